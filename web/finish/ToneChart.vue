<script setup lang="ts">
import { ElCheckbox } from 'element-plus'
import { max } from 'd3-array'
import { scaleLinear, scaleSymlog } from 'd3-scale'
import { area, curveLinear, line } from 'd3-shape'
import { computed, ref } from 'vue'
import { monotoneCurve } from '@fennip/core/finish/monotone-curve.js'
import { keyHandler } from '../help/use-keys.js'
import { useSteps } from '../store/steps.js'
import { useTones } from './tones.js'

/** Histogram before and after, and the curve on it, whose points are moved by pointer and by keys. */
const chainSteps = useSteps()
const tones = useTones()
const logarithmic = ref(true)
const [WIDTH, HEIGHT] = [300, 128]
const step = computed(() => (chainSteps.selected?.operation === 'curve' ? chainSteps.selected : chainSteps.steps.find(({ operation, enabled }) => operation === 'curve' && enabled) ?? null))
const points = computed(() => (step.value?.settings.points as [number, number][] | undefined) ?? [])
const x = scaleLinear().domain([0, 1]).range([0, WIDTH])
const y = scaleLinear().domain([0, 1]).range([HEIGHT, 0])
const sums = (counts: readonly (readonly number[])[]) => (counts[0] ?? []).map((_, i) => counts.reduce((sum, channel) => sum + channel[i]!, 0))
const heights = computed(() => {
  const [before, after] = [sums(tones.before), sums(tones.after)]
  const top = Math.max(1, max(before) ?? 1, max(after) ?? 1)
  const scale = logarithmic.value ? scaleSymlog().constant(top / 2000).domain([0, top]).range([0, HEIGHT]) : scaleLinear().domain([0, top]).range([0, HEIGHT])
  return { before: before.map((count) => scale(count)), after: after.map((count) => scale(count)) }
})
const shape = area<number>().x((_value, i) => (i / 255) * WIDTH).y0(HEIGHT).y1((value) => HEIGHT - value)
const outline = line<number>().x((_value, i) => (i / 255) * WIDTH).y((value) => HEIGHT - value).curve(curveLinear)
const curvePath = computed(() => {
  if (points.value.length < 2) return ''
  const curve = monotoneCurve(points.value)
  return line<number>().x((t) => x(t)).y((t) => y(curve(t)))(Array.from({ length: 101 }, (_, i) => i / 100)) ?? ''
})
const chart = ref<SVGSVGElement>()
let held = -1

const round = (value: number) => Math.round(value * 1000) / 1000
function setPoint(index: number, at: [number, number]): void {
  if (!step.value) return
  const list = points.value.map(([px, py]): [number, number] => [px, py])
  const low = index === 0 ? 0 : list[index - 1]![0] + 0.005
  const high = index === list.length - 1 ? 1 : list[index + 1]![0] - 0.005
  list[index] = [round(Math.max(low, Math.min(high, at[0]))), round(Math.max(0, Math.min(1, at[1])))]
  chainSteps.adjust(step.value.id, { points: list })
}
function place(event: PointerEvent): [number, number] {
  const box = chart.value!.getBoundingClientRect()
  return [(event.clientX - box.left) / box.width, 1 - (event.clientY - box.top) / box.height]
}
function press(event: PointerEvent): void {
  if (!step.value) return
  const [px, py] = place(event)
  held = points.value.findIndex(([ax, ay]) => Math.hypot((ax - px) * WIDTH, (ay - py) * HEIGHT) < 10)
  if (held < 0 && points.value.length < 16) {
    const list = [...points.value, [round(px), round(py)] as [number, number]].sort((a, b) => a[0] - b[0])
    chainSteps.adjust(step.value.id, { points: list })
    held = list.findIndex(([ax]) => ax === round(px))
  }
  ;(event.currentTarget as Element).setPointerCapture(event.pointerId)
}
function move(event: PointerEvent): void {
  if (held >= 0) setPoint(held, place(event))
}
function onKey(event: KeyboardEvent, index: number): void {
  const [px, py] = points.value[index]!
  const by = event.shiftKey ? 0.05 : 0.01
  const answer = keyHandler(['curve'], {
    'point-left': () => setPoint(index, [px - by, py]),
    'point-right': () => setPoint(index, [px + by, py]),
    'point-up': () => setPoint(index, [px, py + by]),
    'point-down': () => setPoint(index, [px, py - by]),
    'point-remove': { act: () => chainSteps.adjust(step.value!.id, { points: points.value.filter((_, i) => i !== index) }), when: () => points.value.length > 2 && !!step.value },
  })
  if (answer(event)) event.stopPropagation()
}
</script>

<template>
  <figure class="tones" data-test="tone-chart">
    <figcaption><b>Tones</b> <span class="soft">before, after</span> <ElCheckbox v-model="logarithmic" size="small" data-test="logarithmic">logarithmic</ElCheckbox></figcaption>
    <svg ref="chart" :viewBox="`0 0 ${WIDTH} ${HEIGHT}`" preserveAspectRatio="none" role="group" aria-label="Histogram before and after, with the curve" @pointerdown="press" @pointermove="move" @pointerup="held = -1" @pointercancel="held = -1">
      <path :d="shape(heights.before) ?? ''" class="before" />
      <path :d="outline(heights.after) ?? ''" class="after" />
      <path v-if="curvePath" :d="curvePath" class="curve" />
      <rect
        v-for="([px, py], i) in points" :key="i" :x="x(px) - 4" :y="y(py) - 4" width="8" height="8" class="point" tabindex="0" role="slider" :aria-label="`Point ${i + 1} of the curve`" :aria-valuenow="Math.round(100 * py)" aria-valuemin="0" aria-valuemax="100" :aria-valuetext="`${Math.round(100 * px)} % becomes ${Math.round(100 * py)} %`" data-test="curve-point" @keydown="onKey($event, i)"
      />
    </svg>
  </figure>
</template>

<style scoped>
.tones { margin: 0; display: flex; flex-direction: column; min-width: 0; flex: 1 1 220px; }
figcaption { display: flex; gap: 6px; align-items: center; height: 22px; white-space: nowrap; }
figcaption :deep(.el-checkbox) { margin-left: auto; height: 20px; }
@media (max-width: 1199px) { figcaption .soft { display: none; } }
svg { flex: 1; min-height: 0; width: 100%; background: #fff; border: 1px solid var(--hairline); overflow: visible; touch-action: none; box-sizing: border-box; }
.before { fill: #dcdcdc; }
.after { fill: none; stroke: var(--settled); stroke-width: 1.4; vector-effect: non-scaling-stroke; }
.curve { fill: none; stroke: var(--ink); stroke-width: 1.4; vector-effect: non-scaling-stroke; }
.point { fill: #fff; stroke: var(--ink); vector-effect: non-scaling-stroke; cursor: grab; }
.point:focus-visible { fill: var(--ink); outline: none; }
</style>
