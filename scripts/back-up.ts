import { execFile } from 'node:child_process'
import { copyFile, mkdir, readdir, rename, stat } from 'node:fs/promises'
import { join } from 'node:path'
import { promisify } from 'node:util'
import knexLibrary from 'knex'
import { ProblemError } from '../core/problem.js'

const run = promisify(execFile)

/** What of the storage is kept: originals, their tiles, files that were written. Patches are made again when they are asked for. */
const KEPT = ['originals', 'tiles', 'outputs']
const DUMP = 'database.dump'

/** Where a Fennip keeps what it has. */
export interface Place {
  readonly databaseUrl: string
  /** Folder of the storage; an object store has copies of its own. */
  readonly storage: string
}

function checkFolder(storage: string): void {
  if (/^s3\+/.test(storage)) throw new ProblemError('storage-elsewhere', { title: 'The storage is an object store', detail: 'It is backed up by its own means (replication, versions). Dump the database with pg_dump, before the store is copied.' })
}

/** Copy what is not there yet: content never changes under its name. @returns How many files were copied. */
async function copyNew(from: string, to: string): Promise<number> {
  let copied = 0
  for (const entry of await readdir(from, { withFileTypes: true }).catch(() => [])) {
    const [source, target] = [join(from, entry.name), join(to, entry.name)]
    if (entry.isDirectory()) {
      copied += await copyNew(source, target)
      continue
    }
    const size = (path: string) => stat(path).then((info) => info.size, () => -1)
    if ((await size(target)) === (await size(source))) continue
    await mkdir(to, { recursive: true })
    // Whole or not at all, whatever interrupts it.
    await copyFile(source, `${target}.part`)
    await rename(`${target}.part`, target)
    copied++
  }
  return copied
}

/** Dump the database, then copy the storage: whatever the dump names is there by then. A running Fennip may go on. */
export async function backUp({ databaseUrl, storage }: Place, folder: string): Promise<{ copied: number }> {
  checkFolder(storage)
  await mkdir(folder, { recursive: true })
  await run('pg_dump', ['--format=custom', `--file=${join(folder, `${DUMP}.part`)}`, databaseUrl])
  await rename(join(folder, `${DUMP}.part`), join(folder, DUMP))
  let copied = 0
  for (const name of KEPT) copied += await copyNew(join(storage, name), join(folder, name))
  return { copied }
}

/** Put a back-up into an empty Fennip that is not running. @throws {ProblemError} when there are jobs. */
export async function restoreBackUp({ databaseUrl, storage }: Place, folder: string): Promise<{ copied: number }> {
  checkFolder(storage)
  await stat(join(folder, DUMP)).catch(() => {
    throw new ProblemError('no-back-up', { title: 'There is no back-up', detail: `${folder} has no ${DUMP}. Give the folder that npm run backup wrote.` })
  })
  const database = knexLibrary.knex({ client: 'pg', connection: databaseUrl })
  try {
    if ((await database.schema.hasTable('jobs')) && (await database('jobs').first('id'))) throw new ProblemError('not-empty', { title: 'This Fennip has jobs', detail: 'A back-up is restored into an empty one, so that nothing is lost. Choose another FENNIP_HOME or another database.' })
    if (await database('pg_stat_activity').where({ application_name: 'fennip' }).first('pid')) throw new ProblemError('still-running', { title: 'Fennip is running', detail: 'Stop its servers and workers first; start them when the back-up is restored.' })
    // Without jobs there is nothing but empty tables, which the dump brings itself.
    await database.raw('drop schema if exists pgboss cascade')
    await database.raw('drop schema public cascade')
    await database.raw('create schema public')
  } finally {
    await database.destroy()
  }
  // Files first: what the database names is there when it is there itself.
  let copied = 0
  for (const name of KEPT) copied += await copyNew(join(folder, name), join(storage, name))
  await run('pg_restore', ['--no-owner', '--single-transaction', `--dbname=${databaseUrl}`, join(folder, DUMP)])
  return { copied }
}
