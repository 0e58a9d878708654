import { randomUUID } from 'node:crypto'
import { ProblemError } from '@fennip/core/problem.js'
import type PgBoss from 'pg-boss'
import type { Database } from './database/database.js'
import { queueRun, runsOf } from './runs/runs.js'
import { sensorOfBody } from './sensors.js'
import { hashFile, keepOriginal, originalKey, tilesPrefix, type Storage } from './storage/storage.js'
import type { TakenIn } from './tasks/tasks.js'

/**
 * Files on their way in. An upload that has come whole is kept under its hash and listed as an arriving picture in one
 * transaction, before it is acknowledged; decoding it is queued work, taken up again whatever is killed.
 */

/** A picture that is not taken in yet, or cannot be. */
export interface Arriving {
  readonly id: string
  readonly name: string
  readonly run: string | null
  readonly state: 'queued' | 'running' | 'failed'
  readonly progress: number
  readonly problem: string | null
}

interface ArrivalTools { readonly database: Database; readonly storage: Storage; readonly boss: PgBoss }

/**
 * Keep a file that has come whole and queue its taking in.
 *
 * @param upload  Identifier of the upload: a repeat answers with the picture that is there.
 */
export async function beginArrival({ database, storage, boss }: ArrivalTools, upload: string, path: string, job: string, name: string): Promise<{ picture: string; run: string | null }> {
  const known = await arrivalOf(database, upload)
  if (known) return known
  const sha256 = await hashFile(path)
  const picture = randomUUID()
  const inserted = await database.transaction(async (transaction) => {
    await lockFile(transaction as unknown as Database, sha256)
    await keepOriginal(storage, path, sha256)
    return (await transaction('pictures').insert({ id: picture, job_id: job, name, kind: 'scan', upload }).onConflict('upload').ignore().returning('id')) as unknown[]
  })
  if (inserted.length === 0) return (await arrivalOf(database, upload))!
  return { picture, run: (await queueRun(database, boss, 'intake', picture, { sha256, name })).id }
}

/** The picture of an upload that came before, with the work on it. */
export async function arrivalOf(database: Database, upload: string): Promise<{ picture: string; run: string | null } | null> {
  const row = (await database('pictures').where({ upload }).first('id')) as { id: string } | undefined
  if (!row) return null
  const run = (await runsOf(database, row.id)).find(({ kind }) => kind === 'intake')
  return { picture: row.id, run: run?.id ?? null }
}

/** Kept and listed, but its work was never queued: the server died in between. */
export async function queueForgottenArrivals({ database, boss }: Pick<ArrivalTools, 'database' | 'boss'>, sha256Of: (upload: string) => Promise<string | null>): Promise<void> {
  const rows = (await database('pictures').whereNull('original').whereNull('deleted_at').whereRaw("created_at < now() - interval '30 seconds'")
    .whereRaw("not exists (select from runs where picture_id = pictures.id and kind = 'intake')").select('id', 'name', 'upload')) as { id: string; name: string; upload: string }[]
  for (const { id, name, upload } of rows) {
    const sha256 = await sha256Of(upload)
    if (sha256) await queueRun(database, boss, 'intake', id, { sha256, name })
    else await database('pictures').where({ id }).delete()
  }
}

export async function listArriving(database: Database, job: string): Promise<Arriving[]> {
  const rows = (await database('pictures').leftJoin('runs', (join) => join.on('runs.picture_id', 'pictures.id').andOnVal('runs.kind', 'intake')).where('pictures.job_id', job).whereNull('original').whereNull('deleted_at')
    .orderBy('pictures.created_at').select('pictures.id', 'name', 'runs.id as run', 'state', 'progress', 'problem')) as { id: string; name: string; run: string | null; state: string | null; progress: number | null; problem: { detail?: string } | null }[]
  return rows.map(({ id, name, run, state, progress, problem }) => ({
    id, name, run, state: state === 'failed' || state === 'cancelled' ? 'failed' : state === 'running' ? 'running' : 'queued', progress: progress ?? 0,
    problem: state === 'cancelled' ? 'Taking it in was cancelled.' : (problem?.detail ?? null),
  }))
}

/** What was seen of an arriving file becomes a picture that can be worked on. */
export async function completeArrival(database: Database, picture: string, sha256: string, bytes: number, taken: TakenIn): Promise<void> {
  const { format, width, height, channels, depth, profile, camera, resolutionPerInch, hasAlpha, pages, notes, medium: kind } = taken
  await database.transaction(async (transaction) => {
    const row = (await transaction('pictures').where({ id: picture }).forUpdate().first('job_id')) as { job_id: string } | undefined
    if (!row) return
    await transaction('originals').insert({ sha256, format, width, height, channels, depth, bytes, about: JSON.stringify({ profile, camera, resolutionPerInch, hasAlpha, pages, notes }) }).onConflict('sha256').ignore()
    const sensor = kind === 'frame' && camera.body ? await sensorOfBody(transaction as unknown as Database, row.job_id, camera.body) : null
    await transaction('pictures').where({ id: picture }).update({ original: sha256, kind, sensor_id: sensor })
  })
}

/**
 * Take away a file that no picture uses and no arriving picture waits for.
 *
 * @param exceptRun  Work that waits for it no more.
 */
export async function forgetUnusedFile(database: Database, storage: Storage, sha256: string, exceptRun: string | null = null): Promise<boolean> {
  return database.transaction(async (transaction) => {
    await lockFile(transaction as unknown as Database, sha256)
    const used = (await transaction('pictures').where({ original: sha256 }).first('id')) as unknown
    const waited = (await transaction('runs').whereIn('state', ['queued', 'running']).where({ kind: 'intake' }).whereRaw('id is distinct from ?', [exceptRun]).whereRaw("parameters->>'sha256' = ?", [sha256]).first('id')) as unknown
    if (used || waited) return false
    await transaction('originals').where({ sha256 }).delete()
    await storage.remove(originalKey(sha256))
    await storage.remove(tilesPrefix(sha256))
    return true
  })
}

/** Keeping a file and taking it away wait for one another, by the hash of its content. */
async function lockFile(transaction: Database, sha256: string): Promise<void> {
  await transaction.raw('select pg_advisory_xact_lock(?)', [Number.parseInt(sha256.slice(0, 8), 16) - 2 ** 31])
}

/** Check that a job is there before bytes are sent for it. */
export async function checkJob(database: Database, job: string): Promise<void> {
  const known = /^[0-9a-f-]{36}$/.test(job) && (await database('jobs').where('id', job).whereNull('deleted_at').first('id'))
  if (!known) throw new ProblemError('job-unknown', { title: 'There is no such job', detail: 'The job that the file was sent to is not kept here. Go back to the shelf.', status: 404 })
}
