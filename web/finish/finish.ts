import { defineStore } from 'pinia'
import { computed, ref, watch } from 'vue'
import { enlargementVerdict } from '@fennip/core/finish/print-size.js'
import type { Settings } from '@fennip/core/operations/operation.js'
import { operationOf, orderOf } from '@fennip/core/pipeline/registry.js'
import { Chain } from '@fennip/core/pipeline/chain.js'
import type { OperationStep } from '@fennip/core/treatment/schema.js'
import { plain } from '../shared/plain.js'
import { useBench } from '../store/bench.js'
import { identifier } from '../store/identifier.js'
import { useSteps } from '../store/steps.js'

export type FinishTool = 'look' | 'neutral' | 'level' | 'crop' | 'corners'

/** The finish: what the pointer does in it, the frame, and what Fennip proposes. Its steps are in `useSteps`. */
export const useFinish = defineStore('finish', () => {
  const bench = useBench()
  const list = useSteps()
  const tool = ref<FinishTool>('look')
  /** Whether the picture is shown in its delivered frame. */
  const framed = ref(false)
  /** Whether what is lost at black and white is hatched: while one of them moves. */
  const clipping = computed(() => list.draft !== null && list.selected?.operation === 'black-and-white')
  /** The frame alone, as far as an operation that is left out; whole when none is named. */
  const frameBefore = (name?: string) => new Chain({ ...bench.opened!.original, profile: bench.opened!.about.profile }, { operations: list.steps.filter(({ operation: other }) => operationOf(other).form === 'geometry' && (name === undefined || orderOf(other) < orderOf(name))) })
  const chain = computed(() => (bench.opened ? frameBefore() : null))

  /** What enlargement the picture bears on paper; null where no size on paper is set. */
  const verdict = computed(() => {
    const print = list.steps.find((step) => step.operation === 'print-size' && step.enabled)
    if (!print || !bench.opened || !chain.value) return null
    const before = frameBefore('size').delivered
    const scanned = bench.opened.about.resolutionPerInch ?? 300
    return { ...enlargementVerdict(before, Number(print.settings.widthCm), scanned), scanned }
  })

  /** Put what Fennip proposes in place of what it proposed before. */
  async function proposeAll(): Promise<void> {
    await list.keep()
    list.busy = true
    try {
      const proposals = await bench.thePool().helper.propose()
      const items: OperationStep[] = []
      for (const { operation: name, settings, reason } of proposals) {
        const there = list.saved.find((step) => step.operation === name)
        items.push(await list.make(there?.id ?? identifier('s'), name, settings, [], { note: reason }))
      }
      if (items.length === 0) {
        bench.problem = 'Nothing stands out: the tones reach from black to white and have no cast.'
        return
      }
      items.sort((a, b) => orderOf(a.operation) - orderOf(b.operation))
      // Corrections come before the finish.
      const first = list.saved.filter(({ stage }) => stage !== 'finish').length
      await list.save(`Propose: ${items.map(list.titleOf).join(', ').toLowerCase()}`, [{ type: 'put', list: 'operations', items, at: items.map((_, i) => first + i) }])
      list.selectedId = items[0]!.id
    } catch (error) {
      bench.report(error)
    } finally {
      list.busy = false
    }
  }

  /** The first step of an operation, made when there is none. */
  async function stepFor(name: string, settings: Settings): Promise<void> {
    const there = list.saved.find((step) => step.operation === name)
    if (!there) await list.add(name, settings)
    else {
      const made = await list.make(there.id, name, { ...there.settings, ...settings }, list.before(there.id), { note: there.note, zone: there.zone })
      await list.save(`Set ${list.titleOf(there).toLowerCase()}`, [{ type: 'put', list: 'operations', items: [{ ...plain(made), strength: there.strength, enabled: true }] }])
      list.selectedId = there.id
    }
  }

  watch(() => bench.opened?.id, () => {
    tool.value = 'look'
    framed.value = false
  })

  return { tool, framed, clipping, chain, frameBefore, verdict, proposeAll, stepFor }
})
