import { randomUUID } from 'node:crypto'
import { ProblemError } from '@fennip/core/problem.js'
import type { Knex } from 'knex'
import type PgBoss from 'pg-boss'
import type { Database } from '../database/database.js'
import { notify } from '../events.js'

/**
 * Long work. pg-boss carries the jobs; this table beside it holds what it does not: progress, heartbeats, the wish to
 * cancel, and the holder, so that the work of a killed worker is taken up again within seconds.
 */

export type RunKind = 'intake' | 'find' | 'mend' | 'export' | 'learn' | 'chart' | 'carry' | 'lay-together' | 'fit' | 'join' | 'merge' | 'archive' | 'restore' | 'contact-sheet' | 'rescan' | 'bring-over'
export type RunState = 'queued' | 'running' | 'done' | 'failed' | 'cancelled'

/** Why it failed, as RFC 9457 has it. */
export type RunProblem = { readonly title?: string; readonly detail?: string } & Readonly<Record<string, unknown>>

export interface Run {
  readonly id: string
  readonly kind: RunKind
  /** Empty for work on a whole job. */
  readonly picture: string
  readonly job: string | null
  readonly parameters: Record<string, unknown>
  readonly state: RunState
  readonly progress: number
  readonly result: Record<string, unknown> | null
  readonly problem: RunProblem | null
  readonly createdAt: string
  /** How often it was begun. */
  readonly attempts: number
}

/** Files that arrive do not wait for long work: they have a queue, and threads, of their own. */
export const QUEUES = { work: 'runs', intake: 'intakes' } as const
const queueOf = (kind: RunKind) => (kind === 'intake' ? QUEUES.intake : QUEUES.work)
/** Work that killed its worker so often is given up. */
export const MOST_ATTEMPTS = 4

interface RunRow {
  id: string
  kind: RunKind
  picture_id: string | null
  job_id: string | null
  parameters: Record<string, unknown>
  state: RunState
  progress: number
  cancel_wanted: boolean
  attempts: number
  result: Record<string, unknown> | null
  problem: RunProblem | null
  created_at: Date
}

function runOf(row: RunRow): Run {
  return {
    id: row.id, kind: row.kind, picture: row.picture_id ?? '', job: row.job_id, parameters: row.parameters, state: row.state,
    progress: row.progress, result: row.result, problem: row.problem, createdAt: row.created_at.toISOString(), attempts: row.attempts,
  }
}

export async function queueRun(database: Database, boss: PgBoss, kind: RunKind, picture: string, parameters: Record<string, unknown>, batch: string | null = null): Promise<Run> {
  const waiting = (await database('runs').where({ picture_id: picture, kind }).whereIn('state', ['queued', 'running']).whereNot('kind', 'export').first()) as RunRow | undefined
  if (waiting) throw new ProblemError('already-running', { title: 'This is being done already', detail: 'The same work is already under way on this picture. Wait for it or cancel it.', status: 409 })
  return begin(database, boss, { kind, picture_id: picture, parameters: JSON.stringify(parameters), batch_id: batch })
}

/** Queue work on a whole job; the same is not begun twice. */
export async function queueJobRun(database: Database, boss: PgBoss, kind: RunKind, job: string | null, parameters: Record<string, unknown>): Promise<Run> {
  const waiting = job === null ? undefined : ((await database('runs').where({ job_id: job, kind }).whereIn('state', ['queued', 'running']).first()) as RunRow | undefined)
  if (waiting) return runOf(waiting)
  return begin(database, boss, { kind, job_id: job, parameters: JSON.stringify(parameters) })
}

async function begin(database: Database, boss: PgBoss, values: Record<string, unknown>): Promise<Run> {
  const [row] = (await changeAndTell(database, (runs) => runs.insert({ id: randomUUID(), ...values }))) as [RunRow]
  await wake(database, boss, row)
  return runOf(row)
}

export async function runsOfJob(database: Database, job: string): Promise<Run[]> {
  const rows = (await database('runs').where('job_id', job).orderBy('created_at', 'desc').limit(12)) as RunRow[]
  return rows.map(runOf)
}

/** Put a message into the queue that a run waits, and call a worker: who begins something waits for it. */
export async function wake(database: Database, boss: PgBoss, run: { readonly id: string; readonly kind: RunKind }): Promise<void> {
  await boss.send(queueOf(run.kind), { run: run.id }, { retryLimit: 0 })
  await notify(database, { type: 'work-waits' })
}

export async function readRun(database: Database, id: string): Promise<Run> {
  const row = (await database('runs').where('id', id).first()) as RunRow | undefined
  if (!row) throw new ProblemError('run-unknown', { title: 'There is no such work', detail: `No work ${id} is known. It may have ended long ago.`, status: 404 })
  return runOf(row)
}

export async function runsOf(database: Database, picture: string): Promise<Run[]> {
  const rows = (await database('runs').where('picture_id', picture).orderBy('created_at', 'desc').limit(12)) as RunRow[]
  return rows.map(runOf)
}

export async function cancelRun(database: Database, id: string): Promise<Run> {
  await readRun(database, id)
  const [waiting] = await changeAndTell(database, (runs) => runs.where({ id, state: 'queued' }).update({ state: 'cancelled', cancel_wanted: true, ended_at: database.fn.now() }))
  if (!waiting) await database('runs').where({ id, state: 'running' }).update({ cancel_wanted: true })
  return readRun(database, id)
}

/** Take a run for oneself. @returns Null when another holds it, it has ended, or its batch is paused. */
export async function takeRun(database: Database, id: string, holder: string): Promise<Run | null> {
  const [row] = await changeAndTell(database, (runs) => runs.where({ id, state: 'queued' }).where(inNoPausedBatch)
    .update({ state: 'running', holder, heartbeat_at: database.fn.now(), attempts: database.raw('attempts + 1') }))
  return row ? runOf(row) : null
}

/** Sign of life with progress. @returns False when the run is to stop: cancelled, or taken from this holder. */
export async function beat(database: Database, id: string, holder: string, progress: number): Promise<boolean> {
  const [row] = await changeAndTell(database, (runs) => runs.where({ id, holder, state: 'running' }).update({ heartbeat_at: database.fn.now(), progress }))
  return row !== undefined && !row.cancel_wanted
}

export async function endRun(database: Database, id: string, holder: string, end: { state: 'done' | 'failed' | 'cancelled'; result?: Record<string, unknown>; problem?: Record<string, unknown> }): Promise<void> {
  await changeAndTell(database, (runs) => runs.where({ id, holder, state: 'running' }).update({
    state: end.state, ended_at: database.fn.now(), ...(end.state === 'done' ? { progress: 1 } : {}),
    result: end.result ? JSON.stringify(end.result) : null, problem: end.problem ? JSON.stringify(end.problem) : null,
  }))
}

/** Condition on runs that may be worked on. */
const inNoPausedBatch = (query: Knex.QueryBuilder) => void query.whereRaw('not exists (select from batches where batches.id = runs.batch_id and batches.paused)')

/** Of many that wait, so few are called for at once: the others have messages of their own. */
const CALLED_AT_ONCE = 4

/** Put work of silent holders back into the queue, and work whose message was lost. @param silence  A holder that has been silent for so many seconds is taken for dead. */
export async function reviveRuns(database: Database, boss: PgBoss, silence: number): Promise<number> {
  const silent = (await database('runs').where('state', 'running').andWhereRaw('heartbeat_at < now() - make_interval(secs => ?)', silence)
    .update({ state: 'queued', holder: null }).returning('*')) as RunRow[]
  const stuck = (await database('runs').where('state', 'queued').andWhereRaw('created_at < now() - make_interval(secs => ?)', silence).where(inNoPausedBatch).orderBy('created_at').limit(CALLED_AT_ONCE).select('*')) as RunRow[]
  for (const row of new Map([...silent, ...stuck].map((row) => [row.id, row])).values()) await boss.send(queueOf(row.kind), { run: row.id }, { retryLimit: 0, singletonKey: `${row.id}-${Math.floor(Date.now() / 5000)}` })
  return silent.length
}

/**
 * Change runs and tell of it. Both in one transaction: what is told comes in the order in which it happened, so that a sign of
 * life is never heard after the end.
 */
function changeAndTell(database: Database, change: (runs: Knex.QueryBuilder) => Knex.QueryBuilder): Promise<RunRow[]> {
  return database.transaction(async (transaction) => {
    const rows = (await change(transaction('runs')).returning('*')) as RunRow[]
    for (const row of rows) await notify(transaction, { type: 'run', picture: row.picture_id ?? row.job_id ?? row.id, run: row.id, kind: row.kind, state: row.state, progress: row.progress })
    return rows
  })
}
