import { defineStore } from 'pinia'
import { computed, ref } from 'vue'
import { whatShows } from '@fennip/core/check/telltales.js'
import { mendShape } from '@fennip/core/mend/mend-shape.js'
import { looksLike } from '@fennip/core/find/judging/likeness.js'
import type { MethodName } from '@fennip/core/mend/methods.js'
import type { Region } from '@fennip/core/raster/raster.js'
import { areaCoverage } from '@fennip/core/shape/zone/area.js'
import { shapeCentre } from '@fennip/core/shape/shape.js'
import type { Area, Flaw, Operation, Step } from '@fennip/core/treatment/schema.js'
import { plain } from '../../shared/plain.js'
import { useBench } from '../bench.js'
import type { Settings } from './draft.js'
import { isUndecided } from './ledger.js'

/** By what flaws are alike: all of how they look, their kind, about their size, or the telltale that gives them away most. */
export type Likeness = 'look' | 'kind' | 'size' | 'telltale'

/** Flaws that are chosen together and changed in one gesture. */
export const useGroup = defineStore('group', () => {
  const bench = useBench()
  /** How far long work on the group has come; null when there is none. */
  const progress = ref<{ done: number; all: number } | null>(null)
  let cancelled = false

  const flaws = computed(() => bench.flaws.filter((flaw) => bench.group.has(flaw.id)))
  const steps = computed(() => flaws.value.flatMap((flaw) => bench.stepOf.get(flaw.id) ?? []))

  const choose = (ids: Iterable<string>) => (bench.group = new Set(ids))
  const clear = () => {
    if (bench.filter === 'group') bench.filter = 'all'
    bench.group = new Set()
  }

  function toggle(id: string): void {
    const ids = new Set(bench.group)
    // The one that is selected is the first of a group that is begun.
    if (ids.size === 0 && bench.selectedId && bench.selectedId !== id) ids.add(bench.selectedId)
    if (!ids.delete(id)) ids.add(id)
    bench.group = ids
  }

  /** Add what has its middle in a rectangle of the picture. */
  function addWithin({ x, y, width, height }: Region): void {
    const inside = bench.flaws.filter((flaw) => {
      const centre = shapeCentre(bench.stepOf.get(flaw.id)?.shape ?? mendShape(flaw))
      return centre.x >= x && centre.y >= y && centre.x < x + width && centre.y < y + height
    })
    choose([...bench.group, ...inside.map(({ id }) => id)])
  }

  /** Choose what has its middle in an area. */
  function chooseIn(area: Area): void {
    choose(bench.flaws.filter((flaw) => {
      const { x, y } = shapeCentre(flaw.shape)
      return (areaCoverage([area], { x: Math.floor(x), y: Math.floor(y), width: 1, height: 1 })?.data[0] ?? 0) >= 0.5
    }).map(({ id }) => id))
  }

  const tellOf = (flaw: Flaw) => whatShows(bench.stepOf.get(flaw.id)?.telltales)[0]

  /** Choose all flaws that are like the selected one. */
  function chooseAlike(by: Likeness): void {
    const model = bench.selected
    if (!model) return
    const size = shapeCentre(model.shape).r
    const alike: Record<Likeness, (flaw: Flaw) => boolean> = {
      look: (flaw) => looksLike(model, flaw),
      kind: (flaw) => flaw.kind === model.kind && (flaw.kind !== 'other' || flaw.shape.type === model.shape.type),
      size: (flaw) => Math.max(shapeCentre(flaw.shape).r / size, size / shapeCentre(flaw.shape).r) < 1.3,
      telltale: (flaw) => tellOf(flaw) === tellOf(model),
    }
    choose(bench.flaws.filter(alike[by]).map(({ id }) => id))
  }

  /** Leave everything that looks like the selected flaw and is not decided yet: none like this. */
  async function leaveAlike(): Promise<void> {
    const model = bench.selected
    if (!model) return
    choose(bench.flaws.filter((flaw) => looksLike(model, flaw) && isUndecided(flaw)).map(({ id }) => id))
    await leave()
    clear()
  }

  /** Choose several together; one alone is selected. */
  function chooseThese(ids: ReadonlySet<string>): void {
    const [only, ...others] = ids
    if (others.length === 0) bench.selectedId = only ?? null
    else choose(ids)
  }
  /** Those that nobody will see in the size that is delivered. */
  const chooseUnseen = () => chooseThese(bench.unseen)
  const chooseDoubtful = () => chooseThese(bench.doubtful)
  const chooseListed = () => choose(bench.ledger.map(({ id }) => id))

  async function save(label: string, operations: Operation[], touched: readonly Step[]): Promise<void> {
    if (operations.length > 0) await bench.change(label, operations, bench.extentOf(touched))
  }

  const put = (list: Step[]): Operation[] => (list.length > 0 ? [{ type: 'put', list: 'steps', items: list }] : [])
  const takeAway = (list: readonly Step[]): Operation[] => (list.length > 0 ? [{ type: 'remove', list: 'steps', ids: list.map(({ id }) => id) }] : [])

  async function settle(): Promise<void> {
    const ids = steps.value.map(({ flaw }) => flaw)
    if (ids.length > 0) await save(`Settle ${ids.length} flaws`, [{ type: 'setState', ids, state: 'settled' }], [])
  }

  async function leave(): Promise<void> {
    const gone = [...steps.value]
    await save(`Leave ${flaws.value.length} flaws`, [...takeAway(gone), { type: 'setState', ids: flaws.value.map(({ id }) => id), state: 'left' }], gone)
  }

  /** Take all mends of the group out; its flaws are open again. */
  async function reset(): Promise<void> {
    const gone = [...steps.value]
    await save(`Reset ${flaws.value.length} flaws`, [...takeAway(gone), { type: 'setState', ids: flaws.value.map(({ id }) => id), state: 'open' }], gone)
  }

  /** Do something for each of many, one after another; nothing is changed when it is cancelled. */
  async function each<T, R>(list: readonly T[], work: (item: T) => Promise<R | null>): Promise<R[] | null> {
    cancelled = false
    progress.value = { done: 0, all: list.length }
    const results: R[] = []
    try {
      for (const item of list) {
        if (cancelled) return null
        const result = await work(item)
        if (result !== null) results.push(result)
        progress.value = { done: progress.value.done + 1, all: list.length }
      }
      return results
    } catch (error) {
      bench.report(error)
      return null
    } finally {
      progress.value = null
    }
  }
  const cancel = () => (cancelled = true)

  /** Set strength or soft edge of all mends of the group. */
  async function adjust(values: Settings, label: string): Promise<void> {
    const before = [...steps.value]
    const changed = await each(before, async (step) => {
      const next = { ...step, ...values }
      return { ...next, telltales: await bench.thePool().mender.measure(plain(next), plain(bench.openShapes(step.flaw, step.shape))) }
    })
    if (changed) await save(`${label} of ${changed.length} mends`, put(changed), [...before, ...changed])
  }

  /** Choose a mend for each flaw of the group, by a method or the gentlest that works. */
  async function mend(method?: MethodName): Promise<void> {
    const before = [...steps.value]
    const made = await each(flaws.value, (flaw) => {
      const id = bench.stepOf.get(flaw.id)?.id ?? bench.freshMendId()
      return bench.thePool().mender.choose(plain(flaw), plain(bench.openShapes(flaw.id, flaw.shape)), { id, ...(method ? { method } : {}) }).catch((error: unknown) => {
        bench.report(error)
        return null
      })
    })
    if (!made || made.length === 0) return
    await save(method ? `Mend ${made.length} flaws by ${method}` : `Mend ${made.length} flaws`, [...put(made), { type: 'setState', ids: made.map(({ flaw }) => flaw), state: 'mended' }], [...before, ...made])
  }

  /** Take out every mend of the picture. */
  async function resetAll(): Promise<void> {
    choose(bench.flaws.map(({ id }) => id))
    await reset()
    clear()
  }

  return { progress, flaws, steps, toggle, clear, addWithin, chooseIn, chooseAlike, leaveAlike, chooseListed, chooseUnseen, chooseDoubtful, settle, leave, reset, resetAll, adjust, mend, cancel }
})
