import { Mutex } from 'async-mutex'
import { applyEdit, emptyTreatment, touchedIds } from '@fennip/core/treatment/edit.js'
import { ProblemError } from '@fennip/core/problem.js'
import { checkOperationSteps } from '@fennip/core/pipeline/check-settings.js'
import { checkPlaces } from '@fennip/core/pipeline/check-places.js'
import type { Operation, Original, Treatment } from '@fennip/core/treatment/schema.js'
import { countsOf } from '@fennip/core/check/triage.js'
import type { Database } from './database/database.js'
import { notify } from './events.js'

/** A gesture that can be taken back or made again. */
export interface Gesture {
  /** Revision of the entry that made it, last. */
  readonly revision: number
  readonly label: string
  readonly madeAt: string
}

/** What was done, oldest first, and what was taken back, the next to be made again first. */
export interface Gestures {
  readonly done: Gesture[]
  readonly undone: Gesture[]
}

/** A picture's treatment at its newest revision. */
export interface CurrentTreatment {
  readonly revision: number
  readonly treatment: Treatment
  readonly undoLabel: string | null
  readonly redoLabel: string | null
}

/** Every so many revisions the whole treatment is kept, so that opening replays few entries. */
const SNAPSHOT_EVERY = 25

interface Row {
  revision: number
  kind: 'edit' | 'undo' | 'redo'
  label: string
  operations: Operation[]
  inverse: Operation[]
  gesture: string | null
  made_on: number | null
}

type Queryable = Pick<Database, 'raw'> & ((table: string) => ReturnType<Database>)

/** Read the newest state of a picture. */
export async function currentTreatment(database: Database, picture: string): Promise<CurrentTreatment> {
  return database.transaction(async (transaction) => {
    const query = transaction as unknown as Queryable
    const { revision, treatment } = await load(query, picture)
    const { done, undone } = await stacks(query, picture)
    return { revision, treatment, undoLabel: done.at(-1)?.label ?? null, redoLabel: undone.at(-1)?.label ?? null }
  }, { isolationLevel: 'repeatable read', readOnly: true })
}

/** The newest treatment of a picture, also of one that is deleted. */
export async function loadTreatment(database: Database, picture: string): Promise<Treatment> {
  return (await load(database as unknown as Queryable, picture)).treatment
}

async function load(query: Queryable, picture: string): Promise<{ revision: number; treatment: Treatment }> {
  const row = (await query('pictures').join('originals', 'originals.sha256', 'pictures.original').where('pictures.id', picture)
    .first('pictures.revision', 'sha256', 'width', 'height', 'channels', 'depth')) as ({ revision: number } & Original) | undefined
  if (!row) throw noPicture(picture)
  const { revision, ...original } = row
  const snapshot = (await query('snapshots').where('picture_id', picture).orderBy('revision', 'desc').first()) as { revision: number; treatment: Treatment } | undefined
  let treatment = snapshot?.treatment ?? emptyTreatment({ ...original, sha256: original.sha256 })
  const later = (await query('history').where('picture_id', picture).where('revision', '>', snapshot?.revision ?? 0).orderBy('revision').select('operations')) as Pick<Row, 'operations'>[]
  for (const entry of later) treatment = applyEdit(treatment, entry.operations).treatment
  return { revision, treatment }
}

/** What can be undone and redone, the newest last. */
async function stacks(query: Queryable, picture: string): Promise<Gestures> {
  const entries = (await query('history').where('picture_id', picture).orderBy('revision').select('revision', 'kind', 'label', 'made_at')) as (Pick<Row, 'revision' | 'kind' | 'label'> & { made_at: Date })[]
  const done: Gesture[] = []
  const undone: Gesture[] = []
  for (const { revision, kind, label, made_at } of entries) {
    const gesture = { revision, label, madeAt: made_at.toISOString() }
    if (kind === 'edit') {
      done.push(gesture)
      undone.length = 0
    } else if (kind === 'undo') {
      done.pop()
      // Redoing an undo is applying the inverse of the undo itself.
      undone.push(gesture)
    } else {
      undone.pop()
      done.push(gesture)
    }
  }
  return { done, undone }
}

/** What taking back has done: the edits, as a page makes them that has the treatment; without them it is read anew. */
export interface WentBack {
  readonly revision: number
  readonly operations?: readonly Operation[]
  readonly undoLabel?: string | null
  readonly redoLabel?: string | null
}

/** What a gesture has become. */
export interface Appended {
  readonly revision: number
  /** Whether others changed the picture since the revision it was made on. */
  readonly rebased: boolean
}

/**
 * Append a gesture. It is on the disk when this returns.
 *
 * @param madeOn   Revision the gesture was made on. A gesture made on an older one is kept when it touches nothing that
 *                 changed since, and refused otherwise.
 * @param gesture  Identifier of the gesture: sent again because its answer was lost, it is answered as it was then.
 */
export function appendEdit(database: Database, picture: string, madeOn: number, label: string, operations: Operation[], gesture: string | null = null): Promise<Appended> {
  return changing(database, picture, async (query) => {
    const answered = gesture && (await answerOf(query, picture, gesture))
    if (answered) return answered
    const { revision, treatment } = await load(query, picture)
    if (madeOn > revision) throw fromTheFuture(madeOn, revision)
    checkPlaces(treatment, operations)
    for (const change of operations) if (change.type === 'put' && change.list === 'operations') checkOperationSteps(change.items)
    if (madeOn < revision) {
      const touched = touchedIds(operations)
      const since = (await query('history').where('picture_id', picture).where('revision', '>', madeOn).select('operations')) as Pick<Row, 'operations'>[]
      if (since.some((entry) => [...touchedIds(entry.operations)].some((id) => touched.has(id)))) {
        throw new ProblemError('changed-elsewhere', { title: 'The same thing was changed in another window', detail: 'What you changed was changed in another window meanwhile. The picture is brought up to date; look at it and repeat your change.', status: 409, extra: { revision } })
      }
    }
    const edited = applyEdit(treatment, operations)
    await append(query, picture, { revision: revision + 1, kind: 'edit', label, operations, inverse: edited.inverse, gesture, made_on: madeOn }, edited.treatment)
    return { revision: revision + 1, rebased: madeOn < revision }
  })
}

/** Put another treatment in place of what is there, as one gesture that can be taken back. */
export async function replaceTreatment(database: Database, picture: string, madeOn: number, label: string, wanted: Treatment): Promise<Appended> {
  const { treatment: here } = await currentTreatment(database, picture)
  const lists = ['steps', 'operations', 'flaws', 'areas', 'remarks'] as const
  const removals = lists.flatMap((list): Operation[] => (here[list] && here[list].length > 0 ? [{ type: 'remove', list, ids: here[list].map(({ id }) => id) }] : []))
  const additions = [...lists].reverse().flatMap((list): Operation[] => (wanted[list] && wanted[list].length > 0 ? [{ type: 'put', list, items: wanted[list] } as Operation] : []))
  if (removals.length + additions.length === 0) return { revision: madeOn, rebased: false }
  // Mends before what they mend goes, and zones before what works through them comes.
  const order = ['areas', 'flaws', 'steps', 'operations', 'remarks']
  additions.sort((a, b) => order.indexOf('list' in a ? a.list : '') - order.indexOf('list' in b ? b.list : ''))
  return appendEdit(database, picture, madeOn, label, [...removals, ...additions])
}

/**
 * Take back the last gestures, or make them again; each is a new entry, all in one transaction.
 *
 * @param madeOn   Revision that was seen when this was asked for: on another one, other gestures would be taken back than
 *                 were meant, so it is refused.
 * @param times    How many; fewer when there are not so many.
 * @param gesture  Identifier, as of an edit.
 */
export function appendUndo(database: Database, picture: string, kind: 'undo' | 'redo', madeOn: number, times = 1, gesture: string | null = null): Promise<WentBack> {
  return changing(database, picture, async (query) => {
    const answered = gesture && (await answerOf(query, picture, gesture))
    if (answered) return { revision: answered.revision }
    let { revision, treatment } = await load(query, picture)
    if (madeOn > revision) throw fromTheFuture(madeOn, revision)
    if (madeOn < revision) {
      throw new ProblemError('changed-elsewhere', { title: 'The picture was changed in another window', detail: `The picture was changed in another window meanwhile, so nothing was ${kind === 'undo' ? 'taken back' : 'made again'}. It is brought up to date; look at it and decide again.`, status: 409, extra: { revision } })
    }
    const { done, undone } = await stacks(query, picture)
    const targets = (kind === 'undo' ? done : undone).slice(-times).reverse()
    if (targets.length === 0) throw new ProblemError('nothing-to-undo', { title: `There is nothing to ${kind}`, detail: kind === 'undo' ? 'No change of this picture is left to take back.' : 'No change was taken back last.', status: 409 })
    const rows = (await query('history').where('picture_id', picture).whereIn('revision', targets.map(({ revision }) => revision)).select('revision', 'inverse')) as Pick<Row, 'revision' | 'inverse'>[]
    const made: Operation[] = []
    const inverseOf = new Map(rows.map(({ revision, inverse }) => [revision, inverse]))
    for (const [i, target] of targets.entries()) {
      const operations = inverseOf.get(target.revision)!
      const edited = applyEdit(treatment, operations)
      treatment = edited.treatment
      made.push(...operations)
      await append(query, picture, { revision: ++revision, kind, label: target.label, operations, inverse: edited.inverse, gesture: i === targets.length - 1 ? gesture : null, made_on: madeOn }, treatment)
    }
    const from = kind === 'undo' ? done : undone
    const [left, newest] = [from[from.length - targets.length - 1]?.label ?? null, targets.at(-1)!.label]
    return { revision, operations: made, ...(kind === 'undo' ? { undoLabel: left, redoLabel: newest } : { undoLabel: newest, redoLabel: left }) }
  })
}

/**
 * Refuse work that was asked for on a picture that looks otherwise by now.
 *
 * @throws {ProblemError} when the picture has another revision.
 */
export async function checkRevision(database: Database, picture: string, madeOn: number): Promise<void> {
  const row = (await database('pictures').where('id', picture).first('revision')) as { revision: number } | undefined
  if (!row) throw noPicture(picture)
  if (madeOn > row.revision) throw fromTheFuture(madeOn, row.revision)
  if (madeOn < row.revision) throw new ProblemError('changed-elsewhere', { title: 'The picture was changed in another window', detail: 'The picture was changed in another window meanwhile, so nothing was begun. It is brought up to date; look at it and decide again.', status: 409, extra: { revision: row.revision } })
}

const fromTheFuture = (madeOn: number, revision: number) =>
  new ProblemError('revision-unknown', { title: 'The change is from the future', detail: `The change was made on revision ${madeOn}; the newest is ${revision}. Open the picture again.`, status: 409 })

/** What was answered when a gesture came for the first time. */
async function answerOf(query: Queryable, picture: string, gesture: string): Promise<Appended | null> {
  const row = (await query('history').where({ picture_id: picture, gesture }).first('revision', 'made_on')) as { revision: number; made_on: number } | undefined
  return row ? { revision: row.revision, rebased: row.made_on < row.revision - 1 } : null
}

/** Changes of one picture wait for one another here, and not each with a connection of the database in its hand. */
const turns = new Map<string, { readonly mutex: Mutex; waiting: number }>()

async function changing<T>(database: Database, picture: string, change: (query: Queryable) => Promise<T>): Promise<T> {
  const turn = turns.get(picture) ?? { mutex: new Mutex(), waiting: 0 }
  turns.set(picture, turn)
  turn.waiting++
  try {
    return await turn.mutex.runExclusive(() => database.transaction(async (transaction) => {
      const query = transaction as unknown as Queryable
      await lock(query, picture)
      return change(query)
    }))
  } finally {
    if (--turn.waiting === 0) turns.delete(picture)
  }
}

/** Gestures of a picture, to go to any of them. */
export async function listGestures(database: Database, picture: string): Promise<Gestures> {
  const { done, undone } = await stacks(database as unknown as Queryable, picture)
  return { done, undone: undone.reverse() }
}

async function lock(query: Queryable, picture: string): Promise<void> {
  const row = (await query('pictures').where('id', picture).forUpdate().whereNull('deleted_at').first('id')) as unknown
  if (!row) throw noPicture(picture)
}

async function append(query: Queryable, picture: string, row: Row, treatment: Treatment): Promise<void> {
  await query('history').insert({
    picture_id: picture, revision: row.revision, kind: row.kind, label: row.label,
    operations: JSON.stringify(row.operations), inverse: JSON.stringify(row.inverse), gesture: row.gesture, made_on: row.made_on,
  })
  await query('pictures').where('id', picture).update({ revision: row.revision, counts: JSON.stringify(countsOf(treatment)) })
  if (row.revision % SNAPSHOT_EVERY === 0) await query('snapshots').insert({ picture_id: picture, revision: row.revision, treatment: JSON.stringify(treatment) })
  await notify(query, { type: 'revision', picture, revision: row.revision })
}

export function noPicture(picture: string): ProblemError {
  return new ProblemError('picture-unknown', { title: 'There is no such picture', detail: `No picture ${picture} is kept here. It may have been taken out; go back to the contact sheet.`, status: 404 })
}
