import { defineStore } from 'pinia'
import { computed, ref, shallowRef, watch } from 'vue'
import type { AreaTelltales } from '@fennip/core/check/area-telltales.js'
import type { AreaExplanation } from '@fennip/core/check/explain-area.js'
import type { StepOptions } from '@fennip/core/pipeline/make-step.js'
import type { Settings } from '@fennip/core/operations/operation.js'
import { allOperations, operationOf, placeOf } from '@fennip/core/pipeline/registry.js'
import { describeSettings, type SettingDescription } from '@fennip/core/operations/settings.js'
import { shapePartsOf } from '@fennip/core/shape/zone/area.js'
import { shapeCentre } from '@fennip/core/shape/shape.js'
import type { Area, Operation, OperationStep, OperationStage } from '@fennip/core/treatment/schema.js'
import { plain } from '../shared/plain.js'
import { useBench } from './bench.js'
import { identifier } from './identifier.js'

/** A setting that has rested so long is saved, in milliseconds. */
const AT_REST = 400
/** How far an operation is laid on: tried on the strip like any setting. */
const STRENGTH: SettingDescription = { name: 'strength', title: 'Strength', help: 'How far the correction is laid on.', unit: '%', type: 'number', minimum: 0, maximum: 100, step: 5, choices: [], default: 100 }

/** Steps of the registry's operations: corrections and finish. The stage decides which of them are listed. */
export const useSteps = defineStore('steps', () => {
  const bench = useBench()
  const stage = ref<OperationStage>('finish')
  const selectedId = ref<string | null>(null)
  /** Steps with a setting that is being moved; null when none is. */
  const draft = shallowRef<readonly OperationStep[] | null>(null)
  /** The setting that the test strip tries; by default the first of the selected step. */
  const tried = ref<string | null>(null)
  /** Middle of the place that the test strip shows, in picture pixels. */
  const place = ref<{ x: number; y: number } | null>(null)
  const busy = ref(false)
  /** Telltales of the selected step; null while they are measured. */
  const telltales = shallowRef<AreaTelltales | null>(null)
  let timer = 0
  let turn = 0

  const saved = computed(() => bench.treatment?.operations ?? [])
  const steps = computed(() => draft.value ?? saved.value)
  /** Those of the stage, in their order. */
  const own = computed(() => steps.value.filter((step) => step.stage === stage.value))
  const selected = computed(() => own.value.find(({ id }) => id === selectedId.value) ?? null)
  const operation = computed(() => (selected.value ? operationOf(selected.value.operation) : null))
  const offered = computed(() => allOperations().filter((one) => one.stage === stage.value && !one.byHand))
  /** Settings of the selected step that a test strip can try. */
  const triable = computed(() => (operation.value ? [...(stage.value === 'finish' ? [] : [STRENGTH]), ...describeSettings(operation.value).filter(({ type }) => type === 'number' || type === 'integer')] : []))
  const triedSetting = computed(() => triable.value.find(({ name }) => name === tried.value) ?? triable.value[0] ?? null)
  const frame = computed(() => {
    if (place.value) return place.value
    const zone = bench.areas.find(({ id }) => id === selected.value?.zone)
    const { width, height } = bench.opened?.original ?? { width: 0, height: 0 }
    // What a correction does is seen in its zone: where it was painted first.
    const part = zone && !zone.inverted ? shapePartsOf(zone).find(({ mode }) => mode === 'add') : undefined
    if (!part) return { x: width / 2, y: height / 2 }
    const [x, y] = part.shape.type === 'stroke' ? part.shape.points[part.shape.points.length >> 1]! : [shapeCentre(part.shape).x, shapeCentre(part.shape).y]
    return { x: Math.max(0, Math.min(width, x)), y: Math.max(0, Math.min(height, y)) }
  })
  /** The value of a setting, strength included. */
  const valueOf = (step: OperationStep, name: string) => (name === 'strength' ? Math.round(100 * step.strength) : Number(step.settings[name]))
  const withValue = (step: OperationStep, name: string, value: number): OperationStep => (name === 'strength' ? { ...step, strength: value / 100 } : { ...step, settings: { ...step.settings, [name]: value } })
  const titleOf = (step: OperationStep) => operationOf(step.operation).title
  /** The steps that a step stands on. */
  const before = (id: string, list: readonly OperationStep[] = saved.value) => list.slice(0, Math.max(0, list.findIndex((step) => step.id === id)))

  async function save(label: string, operations: Operation[]): Promise<void> {
    clearTimeout(timer)
    draft.value = null
    await bench.change(label, operations)
  }

  /** Make a step, measured in a zone. @param areas  Zones in place of the treatment's. */
  const make = (id: string, name: string, settings: Settings, list: readonly OperationStep[], options: StepOptions, areas?: readonly Area[]) =>
    bench.thePool().helper.makeStep(id, name, plain(settings), plain(list), options, areas && plain(areas))

  /** Add a step of an operation, with what it has to look for measured. */
  async function add(name: string, settings: Settings = {}, options: StepOptions = {}): Promise<OperationStep | null> {
    await keep()
    busy.value = true
    try {
      const own = saved.value.filter((step) => step.stage === operationOf(name).stage)
      const at = operationOf(name).stage === 'finish' ? placeOf(name, saved.value) : saved.value.indexOf(own.at(-1)!) + 1
      const step = await make(identifier('s'), name, settings, saved.value.slice(0, at), options)
      const saving = save(`Add: ${titleOf(step)}`, [{ type: 'put', list: 'operations', items: [step], at: [at] }])
      selectedId.value = step.id
      await saving
      return step
    } catch (error) {
      bench.report(error)
      return null
    } finally {
      busy.value = false
    }
  }

  /** Move settings of a step: shown at once, saved when they rest. */
  function adjust(id: string, settings: Settings): void {
    show(id, (step) => ({ ...step, settings: { ...step.settings, ...settings } }))
  }
  /** Move one value, strength included. */
  const adjustValue = (id: string, name: string, value: number) => show(id, (step) => withValue(step, name, value))
  function show(id: string, changed: (step: OperationStep) => OperationStep): void {
    draft.value = steps.value.map((step) => (step.id === id ? changed(step) : step))
    clearTimeout(timer)
    timer = window.setTimeout(() => void keep(), AT_REST)
  }

  /** Save what is being moved; what depends on its settings is measured anew. */
  async function keep(): Promise<void> {
    clearTimeout(timer)
    const changed = draft.value
    if (!changed) return
    const old = new Map(saved.value.map((step) => [step.id, step]))
    const moved = changed.filter((step) => step !== old.get(step.id))
    if (moved.length === 0) {
      draft.value = null
      return
    }
    const items = await Promise.all(moved.map((step) => (old.get(step.id)?.settings === step.settings ? step : remade(step, before(step.id)))))
    // Moved on meanwhile: the next rest saves it.
    if (draft.value !== changed) return
    await save(`Set ${titleOf(items[0]!).toLowerCase()}`, [{ type: 'put', list: 'operations', items: plain(items) }])
  }

  /** A step with what it has to look for measured anew. */
  async function remade(step: OperationStep, list: readonly OperationStep[], areas?: readonly Area[]): Promise<OperationStep> {
    if (!operationOf(step.operation).measure) return step
    const made = await make(step.id, step.operation, step.settings, list, { zone: step.zone, note: step.note }, areas)
    return { ...made, strength: step.strength, enabled: step.enabled }
  }

  async function change(id: string, values: Partial<Pick<OperationStep, 'enabled' | 'strength' | 'zone'>>, label: string): Promise<void> {
    await keep()
    const step = saved.value.find((one) => one.id === id)
    if (!step) return
    let next: OperationStep = { ...step, ...values }
    if (next.zone === undefined) delete next.zone
    try {
      if ('zone' in values) next = await remade(next, before(id))
      await save(`${label}: ${titleOf(step)}`, [{ type: 'put', list: 'operations', items: [next] }])
    } catch (error) {
      bench.report(error)
    }
  }
  const toggle = (step: OperationStep) => change(step.id, { enabled: !step.enabled }, step.enabled ? 'Switch off' : 'Switch on')

  async function remove(id: string): Promise<void> {
    await keep()
    const step = saved.value.find((one) => one.id === id)
    if (!step) return
    selectedId.value = null
    await save(`Take out: ${titleOf(step)}`, [{ type: 'remove', list: 'operations', ids: [id] }])
  }

  /** Put the steps of the stage into another order. */
  async function reorder(ids: readonly string[]): Promise<void> {
    await keep()
    const all = new Map(saved.value.map((step) => [step.id, step]))
    let next = 0
    // Steps of other stages keep their places.
    const order = saved.value.map((step) => (step.stage === stage.value ? ids[next++]! : step.id))
    if (order.every((id, i) => saved.value[i]?.id === id)) return
    const items = order.map((id) => all.get(id)!)
    await save('Change the order', [{ type: 'remove', list: 'operations', ids: order }, { type: 'put', list: 'operations', items: plain(items), at: items.map((_, i) => i) }])
  }
  async function move(id: string, by: 1 | -1): Promise<void> {
    const ids = own.value.map((step) => step.id)
    const at = ids.indexOf(id)
    const to = at + by
    if (at < 0 || to < 0 || to >= ids.length) return
    ;[ids[at], ids[to]] = [ids[to]!, ids[at]!]
    await reorder(ids)
  }

  /** The steps with other values of one setting of the selected one. */
  function variants(values: readonly number[]): OperationStep[][] {
    const setting = triedSetting.value
    if (!setting || !selected.value) return []
    const { id } = selected.value
    return values.map((value) => steps.value.map((step) => (step.id === id ? withValue({ ...step, enabled: true }, setting.name, value) : step)))
  }

  /** Measure the telltales of the selected step, when it rests. */
  async function measure(): Promise<void> {
    const mine = ++turn
    telltales.value = null
    const step = saved.value.find(({ id }) => id === selectedId.value)
    if (stage.value !== 'correct' || !step?.enabled || !bench.opened) return
    const measured = await bench.thePool().helper.areaTelltales(plain(step), plain(before(step.id))).catch(() => null)
    if (mine === turn) telltales.value = measured
  }

  /** What is drawn to explain the telltales of the selected step. */
  async function explain(): Promise<AreaExplanation | null> {
    const step = saved.value.find(({ id }) => id === selectedId.value)
    return step && bench.opened ? bench.thePool().helper.explainArea(plain(step), plain(before(step.id))).catch(() => null) : null
  }

  watch(() => [selectedId.value, saved.value, stage.value, bench.areas], () => void measure())
  watch(() => bench.opened?.id, () => {
    clearTimeout(timer)
    draft.value = null
    selectedId.value = null
    place.value = null
  })
  watch(stage, () => (selectedId.value = null))
  watch(selectedId, () => {
    tried.value = null
    place.value = null
    void keep()
  })

  return { stage, selectedId, draft, tried, place, frame, busy, telltales, saved, steps, own, selected, operation, offered, triable, triedSetting, valueOf, titleOf, before, make, remade, add, adjust, adjustValue, keep, change, toggle, remove, reorder, move, variants, explain, save }
})
