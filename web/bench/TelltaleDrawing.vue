<script setup lang="ts">
import { computed, shallowRef, watch } from 'vue'
import type { Explanation } from '@fennip/core/check/explain.js'
import { sourceShape } from '@fennip/core/shape/donor.js'
import { shapeCentre } from '@fennip/core/shape/shape.js'
import type { Step, TelltaleName } from '@fennip/core/treatment/schema.js'
import Crop from '../shared/Crop.vue'
import LineChart from '../shared/LineChart.vue'
import { plain } from '../shared/plain.js'
import { useBench } from '../store/bench.js'

/** Why a telltale speaks: tone across the outline, grain inside against outside, or where the pixels came from. */
const props = defineProps<{ name: TelltaleName; step: Step; size: number; across: number }>()
const bench = useBench()
const explanation = shallowRef<Explanation | null>(null)
watch(() => [props.step, bench.steps] as const, async () => {
  const asked = props.step
  const answer = await bench.thePool().mender.explain(plain(asked)).catch(() => null)
  if (asked === props.step) explanation.value = answer
}, { immediate: true })

const kind = computed(() => (props.name === 'grain' ? 'spectrum' : props.name === 'repeat' || props.name === 'taintedSource' ? 'source' : 'profile'))
const caption = computed(() => ({ spectrum: 'Grain by fineness', source: 'Where it is from', profile: 'Tone across the edge' })[kind.value])
const chart = computed(() => {
  const { profile = [], spectrum = [] } = explanation.value ?? {}
  if (kind.value === 'spectrum') {
    return { logarithmic: true, ends: ['coarse', 'fine'] as const, lines: [
      { name: 'outside', look: 'compared' as const, points: spectrum.map(({ frequency, outside }) => [frequency, outside] as const) },
      { name: 'spectrum', look: 'main' as const, points: spectrum.map(({ frequency, inside }) => [frequency, inside] as const) },
    ] }
  }
  return {
    mark: 0, ends: ['inside', 'outside'] as const, band: profile.map(({ distance, tone, spread }) => [distance, tone - spread, tone + spread] as const),
    lines: [{ name: 'profile', look: 'main' as const, points: profile.map(({ distance, tone }) => [distance, tone] as const) }],
  }
})
const source = computed(() => {
  if (!props.step.source) return null
  const { x, y } = shapeCentre(sourceShape(props.step.shape, props.step.source))
  return { x: Math.round(x - props.across / 2), y: Math.round(y - props.across / 2), width: props.across, height: props.across }
})
const RESULT = { lens: 'plain', strength: 0, show: 'result' } as const
</script>

<template>
  <figure data-test="drawing">
    <Crop v-if="kind === 'source' && source" :region="source" :view="RESULT" :width="size" :height="size" />
    <svg v-else-if="kind === 'source'" :width="size" :height="size" :aria-label="caption"><text :x="size / 2" :y="size / 2" text-anchor="middle">No single source</text></svg>
    <LineChart v-else v-bind="chart" :label="caption" :width="size" :height="size" />
    <figcaption>{{ caption }}</figcaption>
  </figure>
</template>

<style scoped>
svg { display: block; background: #fff; }
text { font-size: 11px; fill: var(--soft-ink); }
figure { margin: 0; }
figcaption { font-size: 12px; color: var(--soft-ink); padding-top: 1px; white-space: nowrap; }
</style>
