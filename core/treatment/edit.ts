import { ProblemError } from '../problem.js'
import type { Area, Flaw, ListName, Operation, OperationStep, Original, Remark, Step, Treatment } from './schema.js'

/** A treatment in which nothing has been decided. */
export function emptyTreatment(original: Original): Treatment {
  return { format: 'fennip-treatment', version: 1, original, flaws: [], steps: [] }
}

/** A treatment after a gesture, and the gesture that takes it back. */
export interface Edited {
  readonly treatment: Treatment
  readonly inverse: Operation[]
}

/**
 * Apply a gesture.
 *
 * @param treatment   Not changed.
 * @param operations  Made in order; all or none.
 * @returns The new treatment and the exact inverse, order of the lists included.
 * @throws {ProblemError} when an operation names something that is not there, or leaves a step without its flaw.
 */
export function applyEdit(treatment: Treatment, operations: readonly Operation[]): Edited {
  let lists: Lists = { flaws: treatment.flaws, steps: treatment.steps, areas: treatment.areas ?? [], operations: treatment.operations ?? [], remarks: treatment.remarks ?? [] }
  const inverse: Operation[] = []
  for (const operation of operations) {
    if (operation.type === 'setState') {
      const ids = new Set(operation.ids)
      const before = new Map<Flaw['state'], string[]>()
      let met = 0
      const flaws = lists.flaws.map((flaw) => {
        if (!ids.has(flaw.id)) return flaw
        met++
        before.set(flaw.state, [...(before.get(flaw.state) ?? []), flaw.id])
        return { ...flaw, state: operation.state }
      })
      if (met !== ids.size) throw missing('flaw')
      lists = { ...lists, flaws }
      inverse.unshift(...[...before].map(([state, list]): Operation => ({ type: 'setState', ids: list, state })))
    } else {
      const done = changeList(lists[operation.list] as readonly { id: string }[], operation as ListOperation<{ id: string }>)
      lists = { ...lists, [operation.list]: done.items }
      inverse.unshift(...(done.inverse as Operation[]))
    }
  }
  const { flaws, steps, areas, operations: chain, remarks } = lists
  const known = new Set(flaws.map((flaw) => flaw.id))
  const guards = new Set(areas.map((area) => area.id))
  for (const step of steps) {
    const lost = step.guards?.find((id) => !guards.has(id))
    if (lost) throw new ProblemError('step-without-guard', { title: 'A mend has lost its guard', detail: `Step ${step.id} stops at guard ${lost}, which is not in the treatment. Release the mend from the guard in the same change.`, status: 422 })
    if (!known.has(step.flaw)) throw new ProblemError('step-without-flaw', { title: 'A mend has lost its flaw', detail: `Step ${step.id} mends flaw ${step.flaw}, which is not in the treatment. Take out the mend first.`, status: 422 })
  }
  for (const { id, zone } of chain) {
    if (zone !== undefined && !guards.has(zone)) throw new ProblemError('step-without-zone', { title: 'A step has lost its zone', detail: `Step ${id} works through zone ${zone}, which is not in the treatment. Take the zone off the step in the same change.`, status: 422 })
  }
  // Lists that were never used do not appear.
  const optional = { ...(areas.length > 0 || treatment.areas ? { areas } : {}), ...(chain.length > 0 || treatment.operations ? { operations: chain } : {}), ...(remarks.length > 0 || treatment.remarks ? { remarks } : {}) }
  return { treatment: { ...treatment, flaws, steps, ...optional }, inverse }
}

interface Lists { readonly flaws: Flaw[]; readonly steps: Step[]; readonly areas: Area[]; readonly operations: OperationStep[]; readonly remarks: Remark[] }

type ListOperation<T> = { type: 'put'; list: ListName; items: T[]; at?: number[] } | { type: 'remove'; list: ListName; ids: string[] }

const NAMES: Record<ListName, string> = { flaws: 'flaw', steps: 'step', areas: 'guard or zone', operations: 'step', remarks: 'remark' }

function changeList<T extends { id: string }>(items: readonly T[], operation: ListOperation<T>): { items: T[]; inverse: ListOperation<T>[] } {
  const { list } = operation
  if (operation.type === 'remove') {
    const ids = new Set(operation.ids)
    const removed: T[] = []
    const at: number[] = []
    const kept = items.filter((item, i) => {
      if (!ids.has(item.id)) return true
      removed.push(item)
      at.push(i)
      return false
    })
    if (removed.length !== ids.size) throw missing(NAMES[list])
    return { items: kept, inverse: [{ type: 'put', list, items: removed, at }] }
  }
  const place = new Map(items.map((item, i) => [item.id, i]))
  const result = [...items]
  const replaced: T[] = []
  const added: string[] = []
  const inserted: { item: T; at: number }[] = []
  operation.items.forEach((item, k) => {
    const i = place.get(item.id)
    if (i !== undefined) {
      replaced.push(result[i]!)
      result[i] = item
    } else {
      added.push(item.id)
      inserted.push({ item, at: operation.at?.[k] ?? Infinity })
    }
  })
  // Places are those of the finished list, so putting back in rising order restores it exactly.
  inserted.sort((a, b) => a.at - b.at)
  for (const { item, at } of inserted) result.splice(Math.min(at, result.length), 0, item)
  const inverse: ListOperation<T>[] = []
  if (added.length > 0) inverse.push({ type: 'remove', list, ids: added })
  if (replaced.length > 0) inverse.push({ type: 'put', list, items: replaced })
  return { items: result, inverse }
}

/** What a gesture touches: two gestures that share none of it can be made in either order. */
export function touchedIds(operations: readonly Operation[]): Set<string> {
  const ids = new Set<string>()
  for (const operation of operations) {
    if (operation.type === 'put') {
      for (const item of operation.items) {
        ids.add(item.id)
        if ('flaw' in item) ids.add(item.flaw)
      }
    } else for (const id of operation.ids) ids.add(id)
  }
  return ids
}

function missing(what: string): ProblemError {
  return new ProblemError('not-in-treatment', { title: 'The change names something that is not there', detail: `A ${what} of this change is not in the treatment any more. Look at the picture again and repeat the change.`, status: 409 })
}
