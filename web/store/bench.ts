import { defineStore } from 'pinia'
import { computed, ref, shallowRef } from 'vue'
import { whatShows } from '@fennip/core/check/telltales.js'
import { mendShape } from '@fennip/core/mend/mend-shape.js'
import type { MethodName } from '@fennip/core/mend/methods.js'
import { stepExtent } from '@fennip/core/render/patch-keys.js'
import { type Region } from '@fennip/core/raster/raster.js'
import { ProblemError } from '@fennip/core/problem.js'
import { roundTo } from '@fennip/core/round.js'
import type { SnapTo } from '@fennip/core/mend/snap-source.js'
import { shapesReach, type Disc, type Shape } from '@fennip/core/shape/shape.js'
import { applyEdit } from '@fennip/core/treatment/edit.js'
import type { Flaw, Operation, Source, Step, Treatment } from '@fennip/core/treatment/schema.js'
import { poorSourcesOf, refusalOf } from '@fennip/core/treatment/poor-sources.js'
import { api, listen, type OpenedPicture } from '../shared/api.js'
import { plain } from '../shared/plain.js'
import { PixelPool } from '../workers/pool.js'
import { useDraft, type Settings } from './draft.js'
import { useLedger } from './ledger.js'
import { useRuns } from './runs.js'
import { useSaving } from './saving.js'

export type MarksShown = 'all' | 'unsettled' | 'none'
export type Tool = 'select' | 'spot' | 'stroke' | 'outline' | 'area' | 'shape'
/** How far a source is moved by snapping, in pixels. */
const SNAP_REACH = 14
/** Wider strokes are filled with patches, not bridged, in pixels. */
const WIDE_STROKE = 20

export const identifier = (prefix: string) => `${prefix}${crypto.randomUUID().slice(0, 13)}`

/** The picture on the bench: its treatment, what is selected, and what is still to be saved. */
export const useBench = defineStore('bench', () => {
  const opened = shallowRef<OpenedPicture['picture'] | null>(null)
  const treatment = shallowRef<Treatment | null>(null)
  const revision = ref(0)
  const undoLabel = ref<string | null>(null)
  const redoLabel = ref<string | null>(null)
  const selectedId = ref<string | null>(null)
  const problem = ref<string | null>(null)
  const busy = ref(false)

  const marks = ref<MarksShown>('all')
  const tool = ref<Tool>('select')
  const spotRadius = ref(24)
  const strokeWidth = ref(12)
  /** Across, of what the taken tool makes, in picture pixels. */
  const toolSize = computed({
    get: () => (tool.value === 'stroke' || tool.value === 'area' ? strokeWidth.value : 2 * spotRadius.value),
    set: (size: number) => {
      const across = Math.max(2, Math.min(800, Math.round(size)))
      if (tool.value === 'stroke' || tool.value === 'area') strokeWidth.value = across
      else spotRadius.value = Math.round(across / 2)
    },
  })
  /** How mends by hand are made: the method and strength that are set before drawing. */
  const handMethod = ref<MethodName | 'auto'>('auto')
  const handStrength = ref(1)
  const snapTo = ref<SnapTo | 'free'>('free')
  /** Flaws that are changed together. */
  const group = shallowRef<ReadonlySet<string>>(new Set())

  let pool: PixelPool | null = null
  let stopListening: (() => void) | null = null

  /** Told when pixels have changed: where, or everywhere. */
  const pixelsChanged = new Set<(region: Region | null) => void>()
  const onPixels = (listener: (region: Region | null) => void) => {
    pixelsChanged.add(listener)
    return () => pixelsChanged.delete(listener)
  }
  const tellPixels = (region: Region | null) => {
    for (const listener of pixelsChanged) listener(region)
  }

  const flaws = computed(() => treatment.value?.flaws ?? [])
  const steps = computed(() => treatment.value?.steps ?? [])
  const areas = computed(() => treatment.value?.areas ?? [])
  const guards = computed(() => areas.value.filter((area) => area.role === 'guard'))
  const stepOf = computed(() => new Map(steps.value.map((step) => [step.flaw, step])))
  const selected = computed(() => flaws.value.find((flaw) => flaw.id === selectedId.value) ?? null)
  const { saving, trouble, push, isWaiting, isBusy, allSaved, forget: forgetGestures } = useSaving({ opened, revision, undoLabel, redoLabel, problem, refresh })
  const { draft, adjust: draw, keepDraft, dropDraft, forget: forgetDraft } = useDraft({ selectedId, stepOf, thePool, openShapes, extentOf, tellPixels, change })
  const { runs, run, noteRun, find, mendAll, handOver, cancel } = useRuns({ opened, revision, problem, settled, report })
  const selectedStep = computed(() => (draft.value && draft.value.flaw === selectedId.value ? draft.value : selectedId.value ? stepOf.value.get(selectedId.value) ?? null : null))
  const counts = computed(() => {
    const result = { open: 0, mended: 0, settled: 0, left: 0, shows: 0 }
    for (const flaw of flaws.value) result[flaw.state]++
    for (const step of steps.value) if (whatShows(step.telltales).length > 0) result.shows++
    return result
  })
  /** Mends whose source has become a poor one since it was chosen, and why. */
  const poorSources = computed(() => (treatment.value ? poorSourcesOf(treatment.value) : new Map<string, string>()))
  const list = useLedger({ flaws, steps, stepOf, group, poorSources, original: computed(() => opened.value?.original ?? null) })

  function thePool(): PixelPool {
    if (!pool) throw new Error('No picture is open')
    return pool
  }

  async function open(id: string): Promise<void> {
    close()
    const answer = await api.picture(id)
    pool = new PixelPool()
    await pool.open(answer.picture)
    opened.value = answer.picture
    spotRadius.value = Math.max(6, Math.round(answer.picture.original.width / 250))
    strokeWidth.value = Math.max(5, Math.round(answer.picture.original.width / 500))
    take(answer)
    stopListening = listen(id, (event) => {
      if (event.type === 'revision' && event.revision! > revision.value && !isBusy()) void refresh()
      else if (event.type === 'reconnected') void refresh()
      else if (event.type === 'run') void noteRun(event.run!, event.state!, event.progress!)
    })
    await pool.load(answer.treatment)
    tellPixels(null)
  }

  function close(): void {
    stopListening?.()
    stopListening = null
    pool?.end()
    pool = null
    opened.value = null
    treatment.value = null
    selectedId.value = null
    forgetDraft()
    forgetGestures()
    list.filter.value = 'all'
    group.value = new Set()
    runs.value = []
  }

  function take(answer: OpenedPicture): void {
    treatment.value = answer.treatment
    revision.value = answer.revision
    undoLabel.value = answer.undoLabel
    redoLabel.value = answer.redoLabel
    runs.value = answer.runs
    const there = new Set(answer.treatment.flaws.map(({ id }) => id))
    if ([...group.value].some((id) => !there.has(id))) group.value = new Set([...group.value].filter((id) => there.has(id)))
    if (selectedId.value && !answer.treatment.flaws.some((flaw) => flaw.id === selectedId.value)) selectedId.value = null
  }

  async function refresh(): Promise<void> {
    const id = opened.value?.id
    if (!id) return
    const answer = await api.picture(id)
    if (opened.value?.id !== id || isWaiting()) return
    take(answer)
    await thePool().load(answer.treatment)
    tellPixels(null)
  }

  /** Change the treatment at once on screen, and save it. */
  async function change(label: string, operations: Operation[], where: Region | null = null): Promise<void> {
    if (!treatment.value) return
    const data = plain(operations)
    treatment.value = applyEdit(treatment.value, data).treatment
    push({ label, operations: data })
    // The workers' treatment follows every gesture; pixels change with the steps alone.
    await thePool().edit(data)
    if (data.some((operation) => operation.type !== 'setState' && operation.list === 'steps')) tellPixels(where)
  }

  async function settled(): Promise<void> {
    await keepDraft()
    await allSaved()
  }

  async function goBack(kind: 'undo' | 'redo', times = 1): Promise<void> {
    if (!opened.value) return
    await settled()
    try {
      await (kind === 'undo' ? api.undo : api.redo)(opened.value.id, revision.value, times)
      await refresh()
    } catch (error) {
      report(error)
    }
  }

  function report(error: unknown): void {
    problem.value = error instanceof ProblemError ? error.detail : error instanceof Error ? error.message : String(error)
  }

  function openShapes(except: string, near: Shape): Shape[] {
    return flaws.value.filter((flaw) => flaw.state === 'open' && flaw.id !== except && shapesReach(flaw.shape, near, 8)).map((flaw) => mendShape(flaw))
  }

  /** Whole rectangle of pixels that steps may change. */
  function extentOf(list: readonly (Step | null | undefined)[]): Region | null {
    const { width, height } = opened.value!.original
    const regions = list.filter((step): step is Step => !!step).map((step) => stepExtent(step, { width, height }).writes)
    if (regions.length === 0) return null
    const x = Math.min(...regions.map((region) => region.x))
    const y = Math.min(...regions.map((region) => region.y))
    return { x, y, width: Math.max(...regions.map((region) => region.x + region.width)) - x, height: Math.max(...regions.map((region) => region.y + region.height)) - y }
  }

  const freshMendId = () => identifier('m')

  const isThere = (flaw: Flaw) => flaws.value.some((candidate) => candidate.id === flaw.id)

  /** Choose a mend for a flaw and lay it on. */
  async function mend(flaw: Flaw, wishes: { method?: MethodName; source?: Source; skipSources?: number; strength?: number; softEdgePx?: number }, label: string, shown: Step | null = null): Promise<void> {
    if (!treatment.value) return
    busy.value = true
    try {
      await keepDraft()
      const existed = isThere(flaw)
      // What is shown for the moment is replaced by the mend that is chosen.
      const old = stepOf.value.get(flaw.id) ?? shown
      const id = old?.id ?? freshMendId()
      const step = await thePool().mender.choose(plain(flaw), plain(openShapes(flaw.id, flaw.shape)), { id, ...plain(wishes) })
      const known = isThere(flaw)
      // It was taken out while its mend was being chosen.
      if (existed && !known) return
      await change(label, [
        { type: 'put', list: 'flaws', items: [{ ...flaw, state: 'mended' }] },
        { type: 'put', list: 'steps', items: [step] },
      ], extentOf([old, step]))
      if (!known) selectedId.value = flaw.id
    } catch (error) {
      if (shown) await refresh()
      report(error)
    } finally {
      busy.value = false
    }
  }

  /** A click in the picture: a flaw of the current size, mended at once. */
  function addSpot(x: number, y: number): Promise<void> {
    const disc: Disc = { type: 'disc', x: roundTo(x, 1), y: roundTo(y, 1), r: spotRadius.value }
    return addShape(disc)
  }

  /** A flaw drawn by hand, mended at once. */
  async function addShape(shape: Shape): Promise<void> {
    const kept = treatment.value
    if (!kept) return
    const flaw = handFlaw(shape)
    // First what can be shown at once, then the method that Fennip chooses; only that is saved.
    const byHand = handMethod.value
    // A stroke that takes from one place needs one ground; a thin fill takes from close by all along.
    if (shape.type === 'stroke' && (byHand === 'heal' || byHand === 'clone' || shape.width > WIDE_STROKE)) {
      const parts = await thePool().mender.splitByTexture(plain(shape))
      if (parts.length > 1) return addParts(parts)
    }
    const step = shape.type === 'disc' && (byHand === 'auto' || byHand === 'heal') && handStrength.value === 1 ? await thePool().mender.quickHeal(flaw, plain(openShapes(flaw.id, shape)), identifier('m')).catch(() => null) : null
    if (step) {
      await thePool().edit([{ type: 'put', list: 'flaws', items: [flaw] }, { type: 'put', list: 'steps', items: [step] }])
      tellPixels(extentOf([step]))
    }
    await mend(flaw, { ...(byHand === 'auto' ? {} : { method: byHand }), ...(handStrength.value < 1 ? { strength: handStrength.value } : {}) }, { disc: 'Mend a spot', stroke: 'Mend along a stroke', outline: 'Mend an outline' }[shape.type], step)
    selectedId.value = flaw.id
  }

  const handFlaw = (shape: Shape): Flaw => ({ id: identifier('h'), kind: 'other', shape, state: 'open', contrast: 0, weight: 0, confidence: 1, origin: 'hand' })

  /** Parts of a stroke over several grounds: flaws of their own, in one gesture. */
  async function addParts(parts: readonly Shape[]): Promise<void> {
    busy.value = true
    try {
      const made = parts.map((shape) => ({ ...handFlaw(shape), state: 'mended' as const }))
      const wishes = { ...(handMethod.value === 'auto' ? {} : { method: handMethod.value }), ...(handStrength.value < 1 ? { strength: handStrength.value } : {}) }
      const chosen: Step[] = []
      for (const flaw of made) chosen.push(await thePool().mender.choose(plain(flaw), plain(openShapes(flaw.id, flaw.shape)), { id: freshMendId(), ...wishes }))
      await change(`Mend along a stroke over ${parts.length} grounds`, [{ type: 'put', list: 'flaws', items: made }, { type: 'put', list: 'steps', items: chosen }], extentOf(chosen))
      selectedId.value = made[0]!.id
    } catch (error) {
      report(error)
    } finally {
      busy.value = false
    }
  }

  /** Lay the selected mend on after all others that it meets, or before them. */
  async function reorder(to: 'top' | 'bottom'): Promise<void> {
    const step = selectedStep.value
    if (!step) return
    await keepDraft()
    const now = stepOf.value.get(step.flaw)!
    await change(to === 'top' ? 'Lay a mend on top' : 'Lay a mend under the others', [
      { type: 'remove', list: 'steps', ids: [now.id] },
      { type: 'put', list: 'steps', items: [now], at: [to === 'top' ? steps.value.length - 1 : 0] },
    ], null)
  }

  async function mendSelected(method?: MethodName): Promise<void> {
    if (!selected.value) return
    otherSources.delete(selected.value.id)
    await mend(selected.value, method ? { method } : {}, method ? `Mend by ${method}` : 'Mend')
  }

  const otherSources = new Map<string, number>()
  async function otherSource(): Promise<void> {
    const flaw = selected.value
    const step = selectedStep.value
    if (!flaw || !step) return
    const skip = (otherSources.get(flaw.id) ?? 0) + 1
    otherSources.set(flaw.id, skip)
    await mend(flaw, { method: step.method === 'lift' ? 'heal' : step.method, skipSources: skip, strength: step.strength }, step.method === 'fill' ? 'Fill differently' : 'Take another source')
  }

  /** Why a mend must not take from a source; null when it may. */
  const sourceRefusal = (step: Step, source: Source): string | null => (treatment.value ? refusalOf(treatment.value, step, source) : null)

  /** Show the selected mend with another source while it is being moved; a source that is refused is not shown. */
  function trySource(dx: number, dy: number): void {
    const step = selectedStep.value
    if (!step?.source) return
    const source = { ...step.source, dx: Math.round(dx), dy: Math.round(dy) }
    if (!sourceRefusal(step, source)) adjust({ source }, false)
  }

  /** Set the source of the selected mend down. A source that is refused goes back to where it was. */
  async function moveSource(dx: number, dy: number): Promise<void> {
    const step = selectedStep.value
    if (!selected.value || !step?.source) return
    let near = { dx: Math.round(dx), dy: Math.round(dy) }
    if (snapTo.value !== 'free') near = await thePool().mender.snapSource(plain(step), near, snapTo.value, SNAP_REACH)
    const source = { ...step.source, ...near }
    const refusal = sourceRefusal(step, source)
    if (refusal) {
      problem.value = `The source ${refusal}, so it stays where it was.`
      await dropDraft()
      return
    }
    adjust({ source }, false)
    await keepDraft()
  }

  /** Mirror, turn or scale the source of the selected mend, shown at once. */
  function placeSource(placing: Pick<Source, 'mirror' | 'turn' | 'scale'>): void {
    const step = selectedStep.value
    if (!step?.source) return
    const source = { ...step.source, ...placing }
    if (!source.mirror) delete source.mirror
    if (!source.turn) delete source.turn
    if (!source.scale || source.scale === 1) delete source.scale
    adjust({ source })
  }

  /** Give the selected flaw another place or size; its mend is made anew there. */
  async function reshape(shape: Shape, label: string): Promise<void> {
    const flaw = selected.value
    if (!flaw) return
    const step = selectedStep.value
    const changed: Flaw = { ...flaw, shape, origin: 'hand' }
    if (!step) await change(label, [{ type: 'put', list: 'flaws', items: [changed] }])
    else await mend(changed, step.method === 'lift' ? { method: 'lift' } : { method: step.method, ...(step.source ? { source: step.source } : {}), strength: step.strength, softEdgePx: step.softEdgePx }, label)
  }

  /** Make the selected stroke wider or narrower. */
  async function setWidth(width: number): Promise<void> {
    const flaw = selected.value
    if (flaw?.shape.type === 'stroke') await reshape({ ...flaw.shape, width }, 'Set the width')
  }

  /** Set strength, soft edge or source of the selected mend; nothing is chosen anew. It is saved when it rests, if so said. */
  function adjust(values: Settings, saveAtRest = true): void {
    if (selectedStep.value) draw(selectedStep.value, values, saveAtRest)
  }

  async function setState(state: Flaw['state']): Promise<void> {
    await keepDraft()
    const flaw = selected.value
    if (!flaw) return
    const step = selectedStep.value
    const next = neighbour(1)
    const operations: Operation[] = []
    // A flaw that is left on purpose has no mend.
    if (state === 'left' && step) operations.push({ type: 'remove', list: 'steps', ids: [step.id] })
    operations.push({ type: 'setState', ids: [flaw.id], state })
    if (next) selectedId.value = next.id
    await change(state === 'settled' ? 'Settle' : state === 'left' ? 'Leave as it is' : 'Open again', operations, extentOf([step]))
  }

  /** Lines that may be things in the picture; nobody has decided yet. */
  const wires = computed(() => flaws.value.filter((flaw) => flaw.kind === 'wire' && flaw.state === 'open' && !stepOf.value.has(flaw.id)))

  /** The answer to whether they are flaws, for all of them at once: those that are get mended like scratches, the others are left. */
  async function decideWires(areFlaws: boolean): Promise<void> {
    const list = wires.value
    if (list.length === 0) return
    if (areFlaws) await change(`${list.length} dark lines are flaws`, [{ type: 'put', list: 'flaws', items: list.map((flaw) => ({ ...flaw, kind: 'hair' as const })) }])
    else await change(`${list.length} dark lines belong to the picture`, [{ type: 'setState', ids: list.map(({ id }) => id), state: 'left' }])
  }

  /** Take the mend out; the flaw is open again. A flaw put there by hand goes with it. */
  async function takeOut(): Promise<void> {
    await keepDraft()
    const flaw = selected.value
    if (!flaw) return
    const step = selectedStep.value
    const operations: Operation[] = []
    if (step) operations.push({ type: 'remove', list: 'steps', ids: [step.id] })
    if (flaw.origin === 'hand' && flaw.kind === 'other') {
      operations.push({ type: 'remove', list: 'flaws', ids: [flaw.id] })
      selectedId.value = neighbour(1)?.id ?? null
    } else if (step || flaw.state !== 'open') operations.push({ type: 'setState', ids: [flaw.id], state: 'open' })
    if (operations.length > 0) await change('Take out', operations, extentOf([step]))
  }

  function neighbour(by: 1 | -1): Flaw | null {
    const listed = list.ledger.value
    const at = listed.findIndex((flaw) => flaw.id === selectedId.value)
    return listed[at < 0 ? 0 : at + by] ?? null
  }

  function stepThrough(by: 1 | -1): void {
    const next = neighbour(by)
    if (next) selectedId.value = next.id
  }

  return {
    opened, treatment, revision, undoLabel, redoLabel, runs, run, selectedId, selected, selectedStep, problem, saving, trouble, busy,
    areas, guards, handMethod, handStrength, snapTo, group, draft,
    ...list, marks, tool, spotRadius, strokeWidth, toolSize,
    flaws, steps, stepOf, counts,
    thePool, onPixels, open, close, change, goBack, addSpot, addShape, reorder, mendSelected, mend, otherSource, moveSource, trySource, placeSource, sourceRefusal, openShapes, extentOf, freshMendId, poorSources, report, keepDraft, dropDraft, reshape, setWidth, adjust, setState, takeOut, wires, decideWires,
    stepThrough, find, mendAll, handOver, cancel, settled,
  }
})
