import { randomUUID } from 'node:crypto'
import type { Medium } from '@fennip/core/find/judging/medium.js'
import { ProblemError } from '@fennip/core/problem.js'
import { usualKinds } from '@fennip/core/find/search-kinds.js'
import type PgBoss from 'pg-boss'
import type { Database } from '../database/database.js'
import { cancelRun, queueRun, wake, type RunKind, type RunState } from './runs.js'

/** The same work on many pictures: a run for each, paused, taken up again, cancelled and retried together. */

export type BatchKind = Extract<RunKind, 'find' | 'mend' | 'export' | 'chart' | 'carry'>

export interface BatchItem {
  readonly run: string
  readonly picture: string
  readonly name: string
  readonly state: RunState
  readonly progress: number
  readonly file: boolean
  readonly problem: string | null
}

export interface Batch {
  readonly id: string
  readonly kind: BatchKind
  readonly paused: boolean
  readonly createdAt: string
  readonly items: BatchItem[]
}

/** Batches that a contact sheet shows: the newest. */
const SHOWN = 4

/**
 * Begin a batch. Pictures that the same work is being done on already are left out.
 *
 * @param parameters  Of every run; a search without kinds looks for what is usual in each picture.
 */
export async function createBatch(database: Database, boss: PgBoss, job: string, kind: BatchKind, pictures: readonly string[], parameters: Record<string, unknown>): Promise<Batch> {
  const rows = (await database('pictures').join('originals', 'originals.sha256', 'pictures.original').where('job_id', job).whereNull('pictures.deleted_at').whereIn('pictures.id', [...pictures])
    .select('pictures.id', 'pictures.kind', database.raw("about->'camera'->>'aperture' as aperture"))) as { id: string; kind: Medium; aperture: string | null }[]
  if (rows.length !== new Set(pictures).size) throw new ProblemError('pictures-elsewhere', { title: 'Some pictures are not in this job', detail: 'The contact sheet has changed meanwhile. Look at it again and repeat what you wanted.', status: 409 })
  const id = randomUUID()
  await database('batches').insert({ id, job_id: job, kind })
  const inOrder = [...rows].sort((a, b) => pictures.indexOf(a.id) - pictures.indexOf(b.id))
  for (const picture of inOrder) {
    const own = kind === 'find' && !parameters.kinds ? { ...parameters, kinds: usualKinds({ kind: picture.kind, aperture: picture.aperture === null ? null : Number(picture.aperture) }) } : parameters
    try {
      await queueRun(database, boss, kind, picture.id, own, id)
    } catch (error) {
      if (!(error instanceof ProblemError && error.type === 'already-running')) throw error
    }
  }
  return readBatch(database, id)
}

export async function readBatch(database: Database, id: string): Promise<Batch> {
  const [batch] = await batchesOf(database, { id })
  if (!batch) throw new ProblemError('batch-unknown', { title: 'There is no such batch', detail: `No batch ${id} is known. Look at the contact sheet again.`, status: 404 })
  return batch
}

export const listBatches = (database: Database, job: string) => batchesOf(database, { job_id: job })

async function batchesOf(database: Database, which: { id: string } | { job_id: string }): Promise<Batch[]> {
  const batches = (await database('batches').where(which).orderBy('created_at', 'desc').limit(SHOWN)) as { id: string; kind: BatchKind; paused: boolean; created_at: Date }[]
  const items = (await database('runs').join('pictures', 'pictures.id', 'runs.picture_id').whereIn('batch_id', batches.map(({ id }) => id)).orderBy('runs.created_at')
    .select('runs.id', 'batch_id', 'picture_id', 'name', 'state', 'progress', 'result', 'problem')) as
    { id: string; batch_id: string; picture_id: string; name: string; state: RunState; progress: number; result: { files?: unknown[] } | null; problem: { detail?: string } | null }[]
  return batches.map(({ id, kind, paused, created_at }) => ({
    id, kind, paused, createdAt: created_at.toISOString(),
    items: items.filter(({ batch_id }) => batch_id === id).map((item) => ({
      run: item.id, picture: item.picture_id, name: item.name, state: item.state, progress: item.progress, file: item.state === 'done' && !!item.result?.files?.length, problem: item.problem?.detail ?? null,
    })),
  }))
}

/** What is being worked on is finished; nothing new is begun until it is resumed. */
export async function pauseBatch(database: Database, id: string): Promise<Batch> {
  await database('batches').where({ id }).update({ paused: true })
  return readBatch(database, id)
}

export async function resumeBatch(database: Database, boss: PgBoss, id: string): Promise<Batch> {
  await database('batches').where({ id }).update({ paused: false })
  const waiting = (await database('runs').where({ batch_id: id, state: 'queued' }).orderBy('created_at').select('id', 'kind')) as { id: string; kind: RunKind }[]
  for (const run of waiting) await wake(database, boss, run)
  return readBatch(database, id)
}

/** What has ended stays; what runs stops, what waits is never begun. */
export async function cancelBatch(database: Database, id: string): Promise<Batch> {
  for (const { run, state } of (await readBatch(database, id)).items) if (state === 'queued' || state === 'running') await cancelRun(database, run)
  return readBatch(database, id)
}

/** Try the failed ones again, them alone. */
export async function retryBatch(database: Database, boss: PgBoss, id: string): Promise<Batch> {
  const again = (await database('runs').where({ batch_id: id, state: 'failed' })
    .update({ state: 'queued', progress: 0, problem: null, holder: null, ended_at: null, cancel_wanted: false }).returning(['id', 'kind'])) as { id: string; kind: RunKind }[]
  for (const run of again) await wake(database, boss, run)
  return readBatch(database, id)
}
