<script setup lang="ts">
import { scaleLinear, scaleLog, scaleTime } from 'd3-scale'
import { curveStepAfter, line } from 'd3-shape'
import { computed } from 'vue'
import type { SensorChart } from '@fennip/core/series/chart-schema.js'
import { shadowAt } from '@fennip/core/series/shadow-law.js'

/** How strong the marks are from the middle to the corners, and how many there were when. */
const props = defineProps<{ chart: SensorChart; aperture: number; selected: string | null }>()
defineEmits<{ select: [mark: string] }>()

const WIDTH = 290
const HEIGHT = 130
const PAD = { left: 34, right: 16, top: 8, bottom: 24 }

const across = computed(() => {
  const { frame, marks } = props.chart
  const corner = Math.hypot(frame.width, frame.height) / 2
  const x = scaleLinear().domain([0, 100]).range([PAD.left, WIDTH - PAD.right])
  const y = scaleLog().domain([0.1, 100]).range([HEIGHT - PAD.bottom, PAD.top]).clamp(true)
  return {
    points: marks.map((mark) => ({
      id: mark.id,
      x: x((100 * Math.hypot(mark.x - frame.width / 2, mark.y - frame.height / 2)) / corner),
      y: y(Math.max(0.1, 100 * shadowAt(mark, props.chart, props.aperture).lost)),
    })),
    ticks: [0.1, 1, 10, 100].map((value) => ({ value, y: y(value) })),
    along: [0, 50, 100].map((value) => ({ value, x: x(value) })),
  }
})

/** Exif dates are written with colons (Exif 2.3, DateTimeOriginal). */
const dateOf = (text: string) => new Date(text.replace(/^(\d+):(\d+):(\d+)/, '$1-$2-$3').replace(' ', 'T'))
const growth = computed(() => {
  const seen = props.chart.marks.flatMap(({ firstSeen }) => (firstSeen ? [dateOf(firstSeen)] : [])).filter((date) => !Number.isNaN(date.getTime())).sort((a, b) => a.getTime() - b.getTime())
  const taken = props.chart.frames.flatMap((frame) => (frame.taken ? [dateOf(frame.taken)] : [])).filter((date) => !Number.isNaN(date.getTime())).sort((a, b) => a.getTime() - b.getTime())
  if (seen.length === 0 || taken.length < 2 || taken[0]!.getTime() === taken.at(-1)!.getTime()) return null
  const x = scaleTime().domain([taken[0]!, taken.at(-1)!]).range([PAD.left, WIDTH - PAD.right])
  const y = scaleLinear().domain([0, seen.length]).nice(4).range([HEIGHT - PAD.bottom, PAD.top])
  const points: [Date, number][] = [...seen.map((date, i): [Date, number] => [date, i + 1]), [taken.at(-1)!, seen.length]]
  return {
    path: line<[Date, number]>(([date]) => x(date), ([, count]) => y(count)).curve(curveStepAfter)(points)!,
    frames: taken.map((date) => x(date)),
    ticks: y.ticks(4).map((value) => ({ value, y: y(value) })),
    from: taken[0]!.toISOString().slice(0, 10),
    to: taken.at(-1)!.toISOString().slice(0, 10),
  }
})
</script>

<template>
  <div class="graphs">
    <figure>
      <svg :viewBox="`0 0 ${WIDTH} ${HEIGHT}`" role="img" aria-label="Strength against position">
        <g v-for="tick in across.ticks" :key="tick.value"><path :d="`M${PAD.left} ${tick.y}H${WIDTH - PAD.right}`" class="grid" /><text :x="PAD.left - 4" :y="tick.y + 3" class="number">{{ tick.value }} %</text></g>
        <text v-for="tick in across.along" :key="`x${tick.value}`" :x="tick.x" :y="HEIGHT - 10" class="below">{{ { 0: 'middle', 50: '', 100: 'corner' }[tick.value] }}</text>
        <circle v-for="point in across.points" :key="point.id" :cx="point.x" :cy="point.y" :r="point.id === selected ? 4.5 : 2.6" :class="{ selected: point.id === selected }" @click="$emit('select', point.id)" />
      </svg>
      <figcaption>Light lost at f/{{ aperture }}, from the middle outward</figcaption>
    </figure>
    <figure v-if="growth">
      <svg :viewBox="`0 0 ${WIDTH} ${HEIGHT}`" role="img" aria-label="Growth over dates">
        <g v-for="tick in growth.ticks" :key="tick.value"><path :d="`M${PAD.left} ${tick.y}H${WIDTH - PAD.right}`" class="grid" /><text :x="PAD.left - 4" :y="tick.y + 3" class="number">{{ tick.value }}</text></g>
        <path :d="growth.path" class="line" />
        <path v-for="(x, i) in growth.frames" :key="i" :d="`M${x} ${HEIGHT - PAD.bottom}v5`" class="frame" />
        <text :x="PAD.left" :y="HEIGHT - 6" class="first">{{ growth.from }}</text><text :x="WIDTH - PAD.right" :y="HEIGHT - 6" class="number">{{ growth.to }}</text>
      </svg>
      <figcaption>Marks known by the date of the frame that first shows them</figcaption>
    </figure>
  </div>
</template>

<style scoped>
.graphs { display: grid; grid-template-columns: 1fr 1fr; gap: 12px; }
figure { margin: 0; background: #fff; border: 1px solid var(--hairline); padding: 6px; }
svg { display: block; width: 100%; }
figcaption { color: var(--soft-ink); padding: 2px 4px 0; }
.grid { stroke: #e4e4e4; fill: none; }
.line { stroke: var(--ink); stroke-width: 1.5; fill: none; }
.frame { stroke: var(--soft-ink); }
text { font-size: 10px; fill: var(--soft-ink); }
text.number { text-anchor: end; }
text.below { text-anchor: middle; }
circle { fill: var(--ink); fill-opacity: 0.55; cursor: pointer; }
circle.selected { fill-opacity: 1; stroke: #fff; }
</style>
