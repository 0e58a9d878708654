import { defineStore } from 'pinia'
import { computed, ref, shallowRef, watch } from 'vue'
import { enlargementVerdict } from '@fennip/core/finish/print-size.js'
import type { Settings } from '@fennip/core/operations/operation.js'
import { allOperations, operationOf, orderOf, placeOf } from '@fennip/core/operations/registry.js'
import { describeSettings } from '@fennip/core/operations/settings.js'
import { Chain } from '@fennip/core/render/chain.js'
import type { Operation, OperationStep } from '@fennip/core/treatment/schema.js'
import { plain } from '../shared/plain.js'
import { identifier, useBench } from './bench.js'

export type FinishTool = 'look' | 'neutral' | 'level' | 'crop' | 'corners'

/** A setting that has rested so long is saved, in milliseconds. */
const AT_REST = 400

/** Steps of the finish: tone, sharpness and frame of the mended picture. */
export const useFinish = defineStore('finish', () => {
  const bench = useBench()
  const selectedId = ref<string | null>(null)
  const tool = ref<FinishTool>('look')
  /** Whether the picture is shown in its delivered frame. */
  const framed = ref(false)
  /** Steps with a setting that is being moved; null when none is. */
  const draft = shallowRef<readonly OperationStep[] | null>(null)
  /** The setting that the test strip tries; by default the first of the selected step. */
  const tried = ref<string | null>(null)
  /** Middle of the place that the test strip shows, in picture pixels. */
  const place = ref<{ x: number; y: number } | null>(null)
  /** Whether what is lost at black and white is hatched: while one of them moves. */
  const clipping = ref(false)
  const busy = ref(false)
  let timer = 0

  const saved = computed(() => bench.treatment?.operations ?? [])
  const steps = computed(() => draft.value ?? saved.value)
  const selected = computed(() => steps.value.find(({ id }) => id === selectedId.value) ?? null)
  const operation = computed(() => (selected.value ? operationOf(selected.value.operation) : null))
  const offered = computed(() => allOperations().filter(({ stage }) => stage === 'finish'))
  /** The frame alone, as far as an operation that is left out; whole when none is named. */
  const frameBefore = (name?: string) => new Chain({ ...bench.opened!.original, profile: bench.opened!.about.profile }, { operations: steps.value.filter(({ operation: other }) => operationOf(other).form === 'geometry' && (name === undefined || orderOf(other) < orderOf(name))) })
  const chain = computed(() => (bench.opened ? frameBefore() : null))
  /** Settings of the selected step that a test strip can try. */
  const triable = computed(() => (operation.value ? describeSettings(operation.value).filter(({ type }) => type === 'number' || type === 'integer') : []))
  const triedSetting = computed(() => triable.value.find(({ name }) => name === tried.value) ?? triable.value[0] ?? null)
  const frame = computed(() => ({ x: place.value?.x ?? (bench.opened?.original.width ?? 0) / 2, y: place.value?.y ?? (bench.opened?.original.height ?? 0) / 2 }))

  /** What enlargement the picture bears on paper; null where no size on paper is set. */
  const verdict = computed(() => {
    const print = steps.value.find((step) => step.operation === 'print-size' && step.enabled)
    if (!print || !bench.opened || !chain.value) return null
    const before = frameBefore('size').delivered
    const scanned = bench.opened.about.resolutionPerInch ?? 300
    return { ...enlargementVerdict(before, Number(print.settings.widthCm), scanned), scanned }
  })

  async function save(label: string, operations: Operation[]): Promise<void> {
    clearTimeout(timer)
    draft.value = null
    clipping.value = false
    await bench.change(label, operations)
  }

  const titleOf = (step: OperationStep) => operationOf(step.operation).title

  /** Add a step of an operation, with what it has to look for measured. */
  async function add(name: string, settings: Settings = {}, note?: string): Promise<OperationStep | null> {
    await keep()
    busy.value = true
    try {
      const step = await bench.thePool().helper.makeStep(identifier('s'), name, plain(settings), plain(saved.value.slice(0, placeOf(name, saved.value))), { note })
      await save(`Add: ${titleOf(step)}`, [{ type: 'put', list: 'operations', items: [step], at: [placeOf(name, saved.value)] }])
      selectedId.value = step.id
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
    const changed = steps.value.map((step) => (step.id === id ? { ...step, settings: { ...step.settings, ...settings } } : step))
    draft.value = changed
    clipping.value = changed.find((step) => step.id === id)?.operation === 'black-and-white'
    clearTimeout(timer)
    timer = window.setTimeout(() => void keep(), AT_REST)
  }

  /** Save what is being moved. */
  async function keep(): Promise<void> {
    clearTimeout(timer)
    const changed = draft.value
    if (!changed) return
    const before = new Map(saved.value.map((step) => [step.id, step]))
    const items = changed.filter((step) => step !== before.get(step.id))
    if (items.length > 0) await save(`Set ${titleOf(items[0]!).toLowerCase()}`, [{ type: 'put', list: 'operations', items: plain(items) }])
    else draft.value = null
    clipping.value = false
  }

  async function change(id: string, values: Partial<Pick<OperationStep, 'enabled' | 'strength' | 'zone'>>, label: string): Promise<void> {
    await keep()
    const step = saved.value.find((one) => one.id === id)
    if (!step) return
    const next: OperationStep = { ...step, ...values }
    if (next.zone === undefined) delete next.zone
    await save(`${label}: ${titleOf(step)}`, [{ type: 'put', list: 'operations', items: [next] }])
  }
  const toggle = (step: OperationStep) => change(step.id, { enabled: !step.enabled }, step.enabled ? 'Switch off' : 'Switch on')

  async function remove(id: string): Promise<void> {
    await keep()
    const step = saved.value.find((one) => one.id === id)
    if (!step) return
    selectedId.value = null
    await save(`Take out: ${titleOf(step)}`, [{ type: 'remove', list: 'operations', ids: [id] }])
  }

  /** Put the steps of the finish into another order. */
  async function reorder(ids: readonly string[]): Promise<void> {
    await keep()
    const own = new Map(saved.value.map((step) => [step.id, step]))
    const others = saved.value.filter(({ stage }) => stage !== 'finish').map(({ id }) => id)
    const order = [...others, ...ids]
    if (order.every((id, i) => saved.value[i]?.id === id)) return
    const items = order.map((id) => own.get(id)!)
    await save('Change the order', [{ type: 'remove', list: 'operations', ids: order }, { type: 'put', list: 'operations', items: plain(items), at: items.map((_, i) => i) }])
  }
  async function move(id: string, by: 1 | -1): Promise<void> {
    const ids = steps.value.filter(({ stage }) => stage === 'finish').map((step) => step.id)
    const at = ids.indexOf(id)
    const to = at + by
    if (at < 0 || to < 0 || to >= ids.length) return
    ;[ids[at], ids[to]] = [ids[to]!, ids[at]!]
    await reorder(ids)
  }

  /** Put what Fennip proposes in place of what it proposed before. */
  async function proposeAll(): Promise<void> {
    await keep()
    busy.value = true
    try {
      const proposals = await bench.thePool().helper.propose()
      const items: OperationStep[] = []
      for (const { operation: name, settings, reason } of proposals) {
        const there = saved.value.find((step) => step.operation === name)
        const made = await bench.thePool().helper.makeStep(there?.id ?? identifier('s'), name, plain(settings), [], { note: reason })
        items.push(made)
      }
      if (items.length === 0) {
        bench.problem = 'Nothing stands out: the tones reach from black to white and have no cast.'
        return
      }
      items.sort((a, b) => orderOf(a.operation) - orderOf(b.operation))
      await save(`Propose: ${items.map(titleOf).join(', ').toLowerCase()}`, [{ type: 'put', list: 'operations', items, at: items.map((_, i) => i) }])
      selectedId.value = items[0]!.id
    } catch (error) {
      bench.report(error)
    } finally {
      busy.value = false
    }
  }

  /** The selected step with other values of one setting. */
  function variants(values: readonly number[]): OperationStep[][] {
    const setting = triedSetting.value
    if (!setting || !selected.value) return []
    const { id } = selected.value
    return values.map((value) => steps.value.map((step) => (step.id === id ? { ...step, enabled: true, settings: { ...step.settings, [setting.name]: value } } : step)))
  }

  /** The first step of an operation, made when there is none. */
  async function stepFor(name: string, settings: Settings): Promise<void> {
    const there = saved.value.find((step) => step.operation === name)
    if (!there) await add(name, settings)
    else {
      const made = await bench.thePool().helper.makeStep(there.id, name, plain({ ...there.settings, ...settings }), [], { note: there.note })
      await save(`Set ${titleOf(there).toLowerCase()}`, [{ type: 'put', list: 'operations', items: [{ ...made, strength: there.strength, enabled: true }] }])
      selectedId.value = there.id
    }
  }

  watch(() => bench.opened?.id, () => {
    clearTimeout(timer)
    draft.value = null
    selectedId.value = null
    tool.value = 'look'
    framed.value = false
    place.value = null
  })
  watch(selectedId, () => {
    tried.value = null
    void keep()
  })

  return { selectedId, tool, framed, draft, tried, place, frame, clipping, busy, saved, steps, selected, operation, offered, chain, frameBefore, triable, triedSetting, verdict, add, adjust, keep, change, toggle, remove, reorder, move, proposeAll, variants, stepFor }
})
