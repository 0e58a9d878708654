import { defineStore } from 'pinia'
import { computed, ref, shallowRef, watch } from 'vue'
import { plain } from '../shared/plain.js'
import { RELIEF_RADIUS, type Lens } from '../workers/lenses.js'
import type { View } from '../workers/view.js'
import { useBench } from './bench.js'
import { useSteps } from './steps.js'

/** What the result is compared with: all that was done before, or the result without the selected mend or correction. */
export type CompareScope = 'all' | 'mend'

/** How the picture on the bench is looked at: through which lens, and compared with what. Nothing of it is in the result. */
export const useLook = defineStore('look', () => {
  const bench = useBench()
  const list = useSteps()
  const lens = ref<Lens>('plain')
  /** Strength of each lens: what suits one hides the tones in another. */
  const strengths = ref<Record<Lens, number>>({ plain: 0, negative: 0.5, relief: 0.15, grain: 0.4, change: 0.5 })
  const lensStrength = computed({
    get: () => strengths.value[lens.value],
    set: (strength: number) => (strengths.value[lens.value] = strength),
  })
  /** How wide a neighbourhood the relief lens compares with, in pixels. */
  const reliefRadius = ref(RELIEF_RADIUS)
  const holdOriginal = ref(false)
  /** The stage of the bench. */
  const stage = ref('mend')
  const compareScope = ref<CompareScope>('all')
  /** Whether the original is shown beside the result. */
  const beside = ref(false)
  /** Where the linked views look, by the one that was moved last. */
  const linked = shallowRef<{ by: string; x: number; y: number; zoom: number } | null>(null)
  /** Where the original ends and the result begins, in picture pixels from the left; null when they are not compared. */
  const divider = ref<number | null>(null)

  /** What the result is compared with. */
  const before = computed<Pick<View, 'show' | 'without' | 'upTo' | 'operations'>>(() => {
    // In Finish the mended picture is what it is compared with: mends have been judged before.
    if (stage.value === 'finish') return { show: 'result', upTo: 'mended' }
    if (stage.value === 'correct' || stage.value === 'rebuild') {
      const { selectedId } = list
      return compareScope.value === 'mend' && selectedId ? { show: 'result', operations: plain(list.steps.map((step) => (step.id === selectedId ? { ...step, enabled: false } : step))) } : { show: 'result', upTo: 'mended' }
    }
    const step = compareScope.value === 'mend' && bench.selectedId ? bench.stepOf.get(bench.selectedId) : undefined
    return step ? { show: 'result', without: step.id } : { show: 'original' }
  })

  /** Seen with fresh eyes: mirrored, or turned by quarters, in the view alone. */
  const flipped = ref(false)
  const quarters = ref(0)
  /** Stages whose steps stand on the mended picture: flaws are not marked in them. */
  const isOnMended = computed(() => ['correct', 'rebuild', 'finish', 'hand-over'].includes(stage.value))
  const isFresh = computed(() => flipped.value || quarters.value !== 0)

  // Every picture is first seen as it is.
  watch(() => bench.opened?.id, () => {
    lens.value = 'plain'
    divider.value = null
    flipped.value = false
    quarters.value = 0
    beside.value = false
    compareScope.value = 'all'
  })

  return { stage, lens, lensStrength, reliefRadius, holdOriginal, compareScope, beside, linked, divider, before, flipped, quarters, isFresh, isOnMended }
})
