import { defineStore } from 'pinia'
import { computed, ref, shallowRef } from 'vue'
import { whatShows } from '@fennip/core/check/telltales.js'
import { mendShape } from '@fennip/core/mend/mend-shape.js'
import type { MethodName } from '@fennip/core/mend/methods.js'
import { stepExtent } from '@fennip/core/render/patch-keys.js'
import { type Region } from '@fennip/core/raster/raster.js'
import { ProblemError } from '@fennip/core/problem.js'
import { roundTo } from '@fennip/core/round.js'
import type { SnapTo } from '@fennip/core/mend/heal/snap-source.js'
import { widenShape } from '@fennip/core/shape/edit-shape.js'
import { roundedShape, shapesReach, type Disc, type Shape } from '@fennip/core/shape/shape.js'
import { applyEdit } from '@fennip/core/treatment/edit.js'
import type { Flaw, Operation, Source, Step, Treatment } from '@fennip/core/treatment/schema.js'
import { poorSourcesOf, refusalOf } from '@fennip/core/treatment/poor-sources.js'
import { api, listen, type OpenedPicture } from '../shared/api.js'
import { plain } from '../shared/plain.js'
import { placeWords } from '../shared/words.js'
import { PixelPool } from '../workers/pool.js'
import { useDraft, type Settings } from './draft.js'
import { useLedger } from './ledger.js'
import { rememberedSources } from './remembered-sources.js'
import { useRuns } from './runs.js'
import { isPassing, useOutbox } from './outbox.js'
import type { Drawn } from './kept.js'

export type MarksShown = 'all' | 'unsettled' | 'none'
export type Tool = 'select' | 'spot' | 'stroke' | 'outline' | 'area' | 'shape'
/** How far a source is moved by snapping, in pixels. */
const SNAP_REACH = 14
/** When the wheel has rested so long a size is set, in milliseconds. */
const RESIZED = 250
/** When what was drawn without pixels at hand is tried again, in milliseconds. */
const RESUME = 3000
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
  const outbox = useOutbox()
  /** Inverses of gestures that were made in this page, by identifier. */
  const inverses = new Map<string, Operation[]>()
  outbox.onOutcome({
    saved(gesture, saved, rebased) {
      inverses.delete(gesture.id)
      if (gesture.picture !== opened.value?.id) return
      revision.value = saved
      undoLabel.value = gesture.label
      redoLabel.value = null
      if (rebased && !isWaiting()) void refresh()
    },
    refused(gesture, refusal) {
      problem.value = `${gesture.label}: ${refusal.detail}`
      if (gesture.picture === opened.value?.id) void refresh()
    },
  })
  const isWaiting = () => !!opened.value && outbox.waitingOf(opened.value.id).length > 0
  const { draft, adjust: draw, keepDraft, dropDraft, forget: forgetDraft } = useDraft({ selectedId, stepOf, thePool, openShapes, extentOf, tellPixels, change })
  const { runs, run, noteRun, find, mendAll, handOver, cancel } = useRuns({ opened, revision, problem, settled, report: (error) => void reportAndRefresh(error) })
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
    await outbox.load()
    const answer = await api.picture(id)
    pool = new PixelPool()
    await pool.open(answer.picture)
    opened.value = answer.picture
    spotRadius.value = Math.max(6, Math.round(answer.picture.original.width / 250))
    strokeWidth.value = Math.max(5, Math.round(answer.picture.original.width / 500))
    take(answer)
    stopListening = listen(id, (event) => {
      if (event.type === 'revision' && event.revision! > revision.value && !isWaiting()) void refresh()
      else if (event.type === 'reconnected') void cameBack()
      else if (event.type === 'run') void noteRun(event.run!, event.state!, event.progress!)
    }, () => void cameBack())
    await pool.load(plain(treatment.value!))
    tellPixels(null)
    void resumeDrawn()
  }

  function close(): void {
    stopListening?.()
    stopListening = null
    clearTimeout(resuming)
    pool?.end()
    pool = null
    opened.value = null
    treatment.value = null
    selectedId.value = null
    forgetDraft()
    inverses.clear()
    sources.forget()
    list.filter.value = 'all'
    group.value = new Set()
    runs.value = []
  }

  function take(answer: OpenedPicture): void {
    outbox.know(answer.picture.id, answer.revision)
    treatment.value = withWaiting(answer.treatment)
    revision.value = answer.revision
    undoLabel.value = answer.undoLabel
    redoLabel.value = answer.redoLabel
    runs.value = answer.runs
    const there = new Set(treatment.value.flaws.map(({ id }) => id))
    if ([...group.value].some((id) => !there.has(id))) group.value = new Set([...group.value].filter((id) => there.has(id)))
    if (selectedId.value && !there.has(selectedId.value)) selectedId.value = null
  }

  /** A saved treatment with the gestures on it that wait to be sent. */
  function withWaiting(saved: Treatment): Treatment {
    let result = saved
    for (const { operations } of outbox.waitingOf(opened.value!.id)) {
      try {
        result = applyEdit(result, operations).treatment
      } catch {
        // The server has it already and only its answer was lost, or it does not fit any more: the server will say.
      }
    }
    return result
  }

  async function refresh(): Promise<void> {
    const id = opened.value?.id
    if (!id) return
    try {
      const answer = await api.picture(id)
      if (opened.value?.id !== id || isWaiting()) return
      take(answer)
      await thePool().load(answer.treatment)
      tellPixels(null)
    } catch (error) {
      // Out of reach: what is on screen stays, and is brought up to date when the server is back.
      if (!isPassing(error)) report(error)
    }
  }

  /** The server can be reached again. */
  async function cameBack(): Promise<void> {
    await refresh()
    await resumeDrawn()
  }

  /** Change the treatment at once on screen, and save it. @param drawnAs  What was drawn and is saved with this. */
  async function change(label: string, operations: Operation[], where: Region | null = null, drawnAs: string | null = null): Promise<void> {
    if (!treatment.value || !opened.value) return
    const data = plain(operations)
    const edited = applyEdit(treatment.value, data)
    treatment.value = edited.treatment
    const gesture = await outbox.push(opened.value.id, revision.value, label.slice(0, 120), data, drawnAs)
    inverses.set(gesture.id, edited.inverse)
    // The workers' treatment follows every gesture; pixels change with the steps alone.
    await thePool().edit(data)
    if (data.some((operation) => operation.type !== 'setState' && operation.list === 'steps')) tellPixels(where)
    else if (data.some((operation) => operation.type !== 'setState' && (operation.list === 'operations' || (operation.list === 'areas' && (treatment.value?.operations ?? []).some(({ zone }) => zone !== undefined))))) tellPixels(null)
  }

  async function settled(): Promise<void> {
    await keepDraft()
    while (isWaiting() && !outbox.trouble) await new Promise((resolve) => setTimeout(resolve, 20))
    if (isWaiting()) throw new ProblemError('not-saved', { title: 'Not everything is saved', detail: 'The server cannot be reached, so this has to wait. What you did is kept in this browser and sent by itself.', status: 503 })
  }

  /** One after the other: what is pressed while an undo is on its way stands on what that leaves. */
  let turn: Promise<unknown> = Promise.resolve()
  function goBack(kind: 'undo' | 'redo', times = 1): Promise<void> {
    const going = turn.then(() => goBackNow(kind, times))
    turn = going
    return going
  }

  async function goBackNow(kind: 'undo' | 'redo', times: number): Promise<void> {
    const id = opened.value?.id
    if (!id) return
    try {
      await keepDraft()
      if (outbox.trouble && kind === 'undo' && times === 1 && (await takeBackWaiting(id))) return
      await settled()
      const gesture = crypto.randomUUID()
      // An answer that got lost is asked for once more: the server knows the identifier.
      await api.goBack(id, kind, revision.value, times, gesture).catch((error: unknown) => {
        if (isPassing(error)) return api.goBack(id, kind, revision.value, times, gesture)
        throw error
      })
      await refresh()
    } catch (error) {
      await reportAndRefresh(error)
    }
  }

  /** Undo a gesture that the server has not got yet. */
  async function takeBackWaiting(id: string): Promise<boolean> {
    const gesture = await outbox.takeBack(id)
    const inverse = gesture && inverses.get(gesture.id)
    if (!gesture || !inverse || !treatment.value) return false
    treatment.value = applyEdit(treatment.value, inverse).treatment
    await thePool().edit(plain(inverse))
    tellPixels(null)
    return true
  }

  /** Make what is on screen what is saved again after a refusal, and say why. */
  async function reportAndRefresh(error: unknown): Promise<void> {
    report(error)
    if (!isPassing(error)) await refresh()
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

  /** Choose a mend for a flaw and lay it on. @returns Whether it was. */
  async function mend(flaw: Flaw, wishes: { method?: MethodName; source?: Source; skipSources?: number; strength?: number; softEdgePx?: number }, label: string, shown: Step | null = null, drawnAs: string | null = null): Promise<boolean> {
    if (!treatment.value) return false
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
      if (existed && !known) return false
      await change(label, [
        { type: 'put', list: 'flaws', items: [{ ...flaw, state: 'mended' }] },
        { type: 'put', list: 'steps', items: [step] },
      ], extentOf([old, step]), drawnAs)
      if (!known) selectedId.value = flaw.id
      return true
    } catch (error) {
      if (shown) await refresh()
      if (drawnAs && isUnreachable(error)) {
        // Nothing that was drawn is swallowed: it is an open flaw until its mend can be chosen.
        if (!isThere(flaw)) await change(`Mark ${placeWords(flaw)}`, [{ type: 'put', list: 'flaws', items: [flaw] }])
        problem.value = 'The server cannot be reached. The place is marked, and mended by itself when the server is back.'
        resumeSoon()
      } else {
        if (drawnAs) await outbox.dropDrawn(drawnAs)
        report(error)
      }
      return false
    } finally {
      busy.value = false
    }
  }

  /** Pixels that are needed could not be fetched. */
  const isUnreachable = (error: unknown) => error instanceof Error && (error.name === 'Unreachable' || /fetch/i.test(error.message))

  let resuming = 0
  const resumeSoon = () => {
    clearTimeout(resuming)
    resuming = window.setTimeout(() => void resumeDrawn(), RESUME)
  }

  /** Mend what was drawn when the page was left, or while the server was out of reach. */
  async function resumeDrawn(): Promise<void> {
    const id = opened.value?.id
    if (!id || busy.value) return
    for (const drawn of outbox.drawnOf(id)) {
      if (opened.value?.id !== id) return
      const there = flaws.value.find((flaw) => flaw.id === drawn.id)
      if (there && stepOf.value.has(there.id)) await outbox.dropDrawn(drawn.id)
      else await mendDrawn(there ?? handFlaw(drawn.shape, drawn.id), drawn)
    }
  }

  /** A click in the picture: a flaw of the current size, mended at once. */
  function addSpot(x: number, y: number): Promise<void> {
    const disc: Disc = { type: 'disc', x: roundTo(x, 1), y: roundTo(y, 1), r: spotRadius.value }
    return addShape(disc)
  }

  /** A flaw drawn by hand, mended at once; kept before anything is worked out, so that it survives a reload. */
  async function addShape(shape: Shape): Promise<void> {
    if (!treatment.value || !opened.value) return
    const flaw = handFlaw(shape)
    const drawn: Drawn = { id: flaw.id, picture: opened.value.id, shape: plain(shape), method: handMethod.value, strength: handStrength.value }
    await outbox.keepDrawn(drawn)
    await mendDrawn(flaw, drawn)
  }

  async function mendDrawn(flaw: Flaw, { id, shape, method, strength }: Drawn): Promise<void> {
    // A stroke that takes from one place needs one ground; a thin fill takes from close by all along.
    if (shape.type === 'stroke' && (method === 'heal' || method === 'clone' || shape.width > WIDE_STROKE)) {
      const parts = await thePool().mender.splitByTexture(plain(shape)).catch(() => [])
      if (parts.length > 1) return addParts(parts, id)
    }
    // First what can be shown at once, then the method that Fennip chooses; only that is saved.
    const step = shape.type === 'disc' && (method === 'auto' || method === 'heal') && strength === 1 ? await thePool().mender.quickHeal(flaw, plain(openShapes(flaw.id, shape)), identifier('m')).catch(() => null) : null
    if (step && !isThere(flaw)) {
      await thePool().edit([{ type: 'put', list: 'flaws', items: [flaw] }, { type: 'put', list: 'steps', items: [step] }])
      tellPixels(extentOf([step]))
    }
    const isMade = await mend(flaw, { ...(method === 'auto' ? {} : { method }), ...(strength < 1 ? { strength } : {}) }, `${{ disc: 'Mend a spot', stroke: 'Mend along a stroke', outline: 'Mend an outline' }[shape.type]} ${placeWords(flaw)}`, step, id)
    if (isMade) selectedId.value = flaw.id
  }

  const handFlaw = (shape: Shape, id = identifier('h')): Flaw => ({ id, kind: 'other', shape, state: 'open', contrast: 0, weight: 0, confidence: 1, origin: 'hand' })

  /** Parts of a stroke over several grounds: flaws of their own, in one gesture. */
  async function addParts(parts: readonly Shape[], drawnAs: string): Promise<void> {
    busy.value = true
    try {
      const made = parts.map((shape, i) => ({ ...handFlaw(shape, i === 0 ? drawnAs : undefined), state: 'mended' as const }))
      const wishes = { ...(handMethod.value === 'auto' ? {} : { method: handMethod.value }), ...(handStrength.value < 1 ? { strength: handStrength.value } : {}) }
      const chosen: Step[] = []
      for (const flaw of made) chosen.push(await thePool().mender.choose(plain(flaw), plain(openShapes(flaw.id, flaw.shape)), { id: freshMendId(), ...wishes }))
      await change(`Mend along a stroke over ${parts.length} grounds`, [{ type: 'put', list: 'flaws', items: made }, { type: 'put', list: 'steps', items: chosen }], extentOf(chosen), drawnAs)
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
    await change(`${to === 'top' ? 'Lay on top' : 'Lay under the others'} ${placeWords(selected.value!)}`, [
      { type: 'remove', list: 'steps', ids: [now.id] },
      { type: 'put', list: 'steps', items: [now], at: [to === 'top' ? steps.value.length - 1 : 0] },
    ], null)
  }

  const sources = rememberedSources()
  async function mendSelected(method?: MethodName): Promise<void> {
    const flaw = selected.value
    if (!flaw) return
    await keepDraft()
    otherSources.delete(flaw.id)
    const step = stepOf.value.get(flaw.id)
    if (step) sources.keep(step)
    await mend(flaw, { ...(method ? { method, ...sources.wishes(flaw.id, method, step) } : {}) }, `Mend ${method ? `by ${method} ` : ''}${placeWords(flaw)}`)
  }

  const otherSources = new Map<string, number>()
  async function otherSource(): Promise<void> {
    const flaw = selected.value
    const step = selectedStep.value
    if (!flaw || !step) return
    const skip = (otherSources.get(flaw.id) ?? 0) + 1
    otherSources.set(flaw.id, skip)
    await mend(flaw, { method: step.method === 'lift' ? 'heal' : step.method, skipSources: skip, strength: step.strength }, `${step.method === 'fill' ? 'Fill differently' : 'Take another source'} ${placeWords(flaw)}`)
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
    if (!step) await change(`${label} ${placeWords(changed)}`, [{ type: 'put', list: 'flaws', items: [changed] }])
    else await mend(changed, step.method === 'lift' ? { method: 'lift' } : { method: step.method, ...(step.source ? { source: step.source } : {}), strength: step.strength, softEdgePx: step.softEdgePx }, `${label} ${placeWords(changed)}`)
  }

  let resizing = 0
  let growth = 1
  /** Make the selected mark larger or smaller; several turns of the wheel are one gesture. */
  function resizeBy(factor: number): void {
    growth *= factor
    clearTimeout(resizing)
    resizing = window.setTimeout(() => {
      const flaw = selected.value
      const by = growth
      growth = 1
      if (flaw) void reshape(roundedShape(widenShape(stepOf.value.get(flaw.id)?.shape ?? flaw.shape, by)), 'Resize')
    }, RESIZED)
  }

  /** Set the size of the selected spot, across, in pixels. */
  async function setSize(across: number): Promise<void> {
    const flaw = selected.value
    if (flaw?.shape.type === 'disc') await reshape({ ...flaw.shape, r: Math.max(0.5, across / 2) }, 'Set the size')
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
    await change(`${state === 'settled' ? 'Settle' : state === 'left' ? 'Leave' : 'Open again'} ${placeWords(flaw)}`, operations, extentOf([step]))
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
    if (operations.length > 0) await change(`Take out ${placeWords(flaw)}`, operations, extentOf([step]))
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

  /** To a place of the ledger; -1 is its last. */
  function stepTo(index: number): void {
    const flaw = list.ledger.value.at(index)
    if (flaw) selectedId.value = flaw.id
  }

  return {
    opened, treatment, revision, undoLabel, redoLabel, runs, run, selectedId, selected, selectedStep, problem, busy,
    areas, guards, handMethod, handStrength, snapTo, group, draft,
    ...list, marks, tool, spotRadius, strokeWidth, toolSize,
    flaws, steps, stepOf, counts,
    thePool, onPixels, open, close, change, goBack, addSpot, addShape, reorder, mendSelected, mend, otherSource, moveSource, trySource, placeSource, sourceRefusal, openShapes, extentOf, freshMendId, poorSources, report, keepDraft, dropDraft, reshape, resizeBy, setSize, setWidth, adjust, setState, takeOut, wires, decideWires,
    stepThrough, stepTo, find, mendAll, handOver, cancel, settled,
  }
})
