<script setup lang="ts">
import { scaleLinear, scaleLog } from 'd3-scale'
import { area, line } from 'd3-shape'
import { computed, shallowRef, watch } from 'vue'
import type { TelltaleName } from '@fennip/core/check/telltales.js'
import type { Explanation } from '@fennip/core/check/explain.js'
import { sourceShape } from '@fennip/core/mend/heal/donor.js'
import { shapeCentre } from '@fennip/core/shape/shape.js'
import type { Step } from '@fennip/core/treatment/schema.js'
import Crop from '../shared/Crop.vue'
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
const PAD = { left: 6, right: 6, top: 8, bottom: 17 }

const profile = computed(() => {
  const points = explanation.value?.profile ?? []
  if (points.length < 3) return null
  const x = scaleLinear().domain([points[0]!.distance, points.at(-1)!.distance]).range([PAD.left, props.size - PAD.right])
  const low = Math.min(...points.map(({ tone, spread }) => tone - spread))
  const high = Math.max(...points.map(({ tone, spread }) => tone + spread))
  const y = scaleLinear().domain([low, Math.max(high, low + 0.02)]).range([props.size - PAD.bottom, PAD.top])
  return {
    band: area<(typeof points)[number]>((p) => x(p.distance), (p) => y(p.tone - p.spread), (p) => y(p.tone + p.spread))(points)!,
    line: line<(typeof points)[number]>((p) => x(p.distance), (p) => y(p.tone))(points)!,
    edge: x(0),
  }
})
const spectrum = computed(() => {
  const points = explanation.value?.spectrum ?? []
  if (points.length === 0) return null
  const x = scaleLinear().domain([points[0]!.frequency, points.at(-1)!.frequency]).range([PAD.left + 4, props.size - PAD.right - 4])
  const values = points.flatMap(({ inside, outside }) => [inside, outside]).map((value) => Math.max(1e-12, value))
  const y = scaleLog().domain([Math.min(...values) / 1.5, Math.max(...values) * 1.5]).range([props.size - PAD.bottom, PAD.top])
  const path = (side: 'inside' | 'outside') => line<(typeof points)[number]>((p) => x(p.frequency), (p) => y(Math.max(1e-12, p[side])))(points)!
  return { inside: path('inside'), outside: path('outside') }
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
    <svg v-else :width="size" :height="size" :aria-label="caption">
      <template v-if="kind === 'profile' && profile">
        <path :d="profile.band" class="band" />
        <line :x1="profile.edge" :x2="profile.edge" :y1="PAD.top" :y2="size - PAD.bottom" class="edge" />
        <path :d="profile.line" class="inside" data-test="profile" />
        <text :x="PAD.left" :y="size - 4">inside</text><text :x="size - PAD.right" :y="size - 4" text-anchor="end">outside</text>
      </template>
      <template v-else-if="kind === 'spectrum' && spectrum">
        <path :d="spectrum.outside" class="outside" />
        <path :d="spectrum.inside" class="inside" data-test="spectrum" />
        <text :x="PAD.left" :y="size - 4">coarse</text><text :x="size - PAD.right" :y="size - 4" text-anchor="end">fine</text>
      </template>
      <text v-else :x="size / 2" :y="size / 2" text-anchor="middle">{{ kind === 'source' ? 'No single source' : 'Too small to draw' }}</text>
    </svg>
    <figcaption>{{ caption }}</figcaption>
  </figure>
</template>

<style scoped>
svg { display: block; background: #fff; }
.band { fill: var(--hairline); opacity: 0.7; }
.inside { fill: none; stroke: var(--settled); stroke-width: 1.8; }
.outside { fill: none; stroke: var(--ink); stroke-width: 1.2; stroke-dasharray: 4 3; }
.edge { stroke: var(--ink); stroke-dasharray: 2 2; }
text { font-size: 11px; fill: var(--soft-ink); }
figure { margin: 0; }
figcaption { font-size: 12px; color: var(--soft-ink); padding-top: 1px; white-space: nowrap; }
</style>
