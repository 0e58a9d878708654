import { access, copyFile, mkdir, open, readdir, readFile, rename, rm, stat } from 'node:fs/promises'
import { dirname, join } from 'node:path'
import { diskProblem } from '@fennip/codec/disk.js'
import { fillFile, writeFileWhole } from '@fennip/codec/sink.js'
import { randomUUID } from 'node:crypto'
import type { KeptSize, Storage } from './storage.js'

/** Files in a folder of this machine, or of one that several machines share. */
export function folderStorage(folder: string): Storage {
  const pathOf = (key: string) => join(folder, key)
  return {
    uploads: join(folder, 'uploads'),
    async prepare() {
      for (const name of ['originals', 'tiles', 'patches', 'outputs', 'uploads']) await mkdir(pathOf(name), { recursive: true })
      for (const name of ['originals', 'outputs']) await forgetHalves(pathOf(name))
    },
    read: (key) => readIfThere(pathOf(key)),
    has: (key) => access(pathOf(key)).then(() => true, () => false),
    async write(key, bytes) {
      await mkdir(dirname(pathOf(key)), { recursive: true })
      await writeFileWhole(pathOf(key), bytes)
    },
    writeFile: (key, path) => copyWhole(path, pathOf(key)),
    fill: (key, fill) => fillFile(pathOf(key), fill),
    localFile: (key) => Promise.resolve(pathOf(key)),
    localFolder: (prefix) => Promise.resolve(pathOf(prefix)),
    sizeOf: (prefix) => sizeOfPath(pathOf(prefix)),
    remove: (prefix) => rm(pathOf(prefix), { recursive: true, force: true }),
  }
}

/** Nobody is still writing what was begun so long ago, in milliseconds. */
const LONG_AGO = 24 * 3600_000

/** What a process that was killed had begun to write lies beside its place, and nothing reads it: it goes after a day. */
async function forgetHalves(folder: string): Promise<void> {
  for (const entry of await readdir(folder, { withFileTypes: true })) {
    const path = join(folder, entry.name)
    if (entry.isDirectory()) await forgetHalves(path)
    else if (entry.name.endsWith('.part')) {
      const info = await stat(path).catch(() => null)
      if (info && Date.now() - info.mtimeMs > LONG_AGO) await rm(path, { force: true })
    }
  }
}

async function sizeOfPath(path: string): Promise<KeptSize> {
  const info = await stat(path).catch(() => null)
  if (!info) return { files: 0, bytes: 0 }
  if (!info.isDirectory()) return { files: 1, bytes: info.size }
  let [files, bytes] = [0, 0]
  for (const name of await readdir(path)) {
    const inside = await sizeOfPath(join(path, name))
    files += inside.files
    bytes += inside.bytes
  }
  return { files, bytes }
}

/** Copied beside, flushed to the disk, then renamed, so never half of it. */
async function copyWhole(from: string, to: string): Promise<void> {
  const beside = `${to}.${randomUUID()}.part`
  try {
    await mkdir(dirname(to), { recursive: true })
    await copyFile(from, beside)
    const file = await open(beside, 'r+')
    await file.sync()
    await file.close()
    await rename(beside, to)
    await syncFolder(dirname(to))
  } catch (error) {
    await rm(beside, { force: true })
    throw diskProblem(error, 'the original')
  }
}

/** A rename is on the disk only when its folder is. */
async function syncFolder(path: string): Promise<void> {
  const folder = await open(path, 'r')
  await folder.sync().finally(() => folder.close())
}

function readIfThere(path: string): Promise<Uint8Array | null> {
  return readFile(path).catch((error: NodeJS.ErrnoException) => {
    if (error.code === 'ENOENT') return null
    throw error
  })
}
