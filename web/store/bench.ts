import { defineStore } from 'pinia'
import { computed, ref, shallowRef } from 'vue'
import { whatShows } from '@fennip/core/check/telltales.js'
import { mendShape } from '@fennip/core/mend/mend-shape.js'
import { stepExtent } from '@fennip/core/mend/patches/patch-keys.js'
import { type Region } from '@fennip/core/raster/raster.js'
import { ProblemError } from '@fennip/core/problem.js'
import { shapesReach, type Shape } from '@fennip/core/shape/shape.js'
import { applyEdit } from '@fennip/core/treatment/edit.js'
import type { Operation, Step, Treatment } from '@fennip/core/treatment/schema.js'
import { poorSourcesOf } from '@fennip/core/mend/picture/poor-sources.js'
import { api, listen, type OpenedPicture } from '../shared/api.js'
import { plain } from '../shared/plain.js'
import { PixelPool } from '../workers/pool.js'
import { useJudging } from './bench/judging.js'
import { useMending } from './bench/mending.js'
import { useSource } from './bench/source.js'
import type { BenchTools } from './bench/tools.js'
import { useDraft } from './bench/draft.js'
import { useGoingBack } from './bench/going-back.js'
import { useLedger } from './bench/ledger.js'
import { useRuns } from './saving/runs.js'
import { isPassing, useOutbox } from './saving/outbox.js'

export type MarksShown = 'all' | 'unsettled' | 'none'
export type Tool = 'select' | 'spot' | 'stroke' | 'outline' | 'area' | 'shape'

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
  /** How many steps of a stage are switched on. */
  const stepsOf = (stage: string) => (treatment.value?.operations ?? []).filter((step) => step.stage === stage && step.enabled).length
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
    runs.value = answer.runs
    stopListening = listen(id, (event) => {
      if (event.type === 'revision' && event.revision! > revision.value && !isWaiting() && !goingBack.hears(event.revision!)) void refresh()
      else if (event.type === 'reconnected') void cameBack()
      else if (event.type === 'run') void noteRun(event.run!, event.state!, event.progress!)
    }, () => void cameBack())
    await pool.load(plain(treatment.value!))
    tellPixels(null)
    void mending.resumeDrawn()
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
    inverses.clear()
    mending.forget()
    list.filter.value = 'all'
    group.value = new Set()
    runs.value = []
  }

  function take(answer: Pick<OpenedPicture, 'revision' | 'treatment' | 'undoLabel' | 'redoLabel'>): void {
    outbox.know(opened.value!.id, answer.revision)
    treatment.value = withWaiting(answer.treatment)
    revision.value = answer.revision
    undoLabel.value = answer.undoLabel
    redoLabel.value = answer.redoLabel
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
      runs.value = answer.runs
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
    await mending.resumeDrawn()
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
    tellChanged(data, where)
  }

  /** Pixels change with steps, and with what stands on the mended picture. @param where  Of the steps; everywhere for null. */
  function tellChanged(operations: readonly Operation[], where: Region | null): void {
    if (operations.some((operation) => operation.type !== 'setState' && operation.list === 'steps')) tellPixels(where)
    else if (operations.some((operation) => operation.type !== 'setState' && (operation.list === 'operations' || (operation.list === 'areas' && (treatment.value?.operations ?? []).some(({ zone }) => zone !== undefined))))) tellPixels(null)
  }

  async function settled(): Promise<void> {
    await keepDraft()
    while (isWaiting() && !outbox.trouble) await new Promise((resolve) => setTimeout(resolve, 20))
    if (isWaiting()) throw new ProblemError('not-saved', { title: 'Not everything is saved', detail: 'The server cannot be reached, so this has to wait. What you did is kept in this browser and sent by itself.', status: 503 })
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

  const tools: BenchTools = { opened, treatment, flaws, steps, stepOf, selectedId, selected, selectedStep, problem, busy, thePool, change, keepDraft, openShapes, extentOf, tellPixels, refresh, report }
  const mending = useMending({ ...tools, spotRadius })
  const goingBack = useGoingBack({ ...tools, revision, outbox, inverses, isWaiting, settled, take, tellChanged, reportAndRefresh })
  const source = useSource({ ...tools, draw, dropDraft, mend: mending.mend })
  const judging = useJudging({ ...tools, ledger: list.ledger })

  const { forget: _forget, resumeDrawn: _resumeDrawn, ...mends } = mending
  return {
    opened, treatment, revision, undoLabel, redoLabel, runs, run, selectedId, selected, selectedStep, problem, busy,
    areas, guards, group, draft, ...list, marks, tool, spotRadius, strokeWidth, toolSize, flaws, steps, stepOf, stepsOf, counts,
    thePool, onPixels, open, close, change, goBack: goingBack.goBack, openShapes, extentOf, poorSources, report, keepDraft, dropDraft,
    ...mends, ...source, ...judging, find, mendAll, handOver, cancel, settled,
  }
})
