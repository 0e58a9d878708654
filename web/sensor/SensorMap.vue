<script setup lang="ts">
import { scaleLinear } from 'd3-scale'
import { computed } from 'vue'
import type { SensorChart } from '@fennip/core/series/chart-schema.js'
import { shadowAt } from '@fennip/core/series/shadow-law.js'

/** The sensor to scale: every mark as wide and as dark as it is at an aperture. */
const props = defineProps<{ chart: SensorChart; aperture: number; selected: string | null; judged: ReadonlyMap<string, 'open' | 'judged'> }>()
defineEmits<{ select: [mark: string] }>()

const WIDTH = 600
const height = computed(() => (WIDTH * props.chart.frame.height) / props.chart.frame.width)
const x = computed(() => scaleLinear().domain([0, props.chart.frame.width]).range([0, WIDTH]))
/** Even the faintest is seen on the map. */
const darkness = scaleLinear().domain([0, 0.4]).range([0.25, 1]).clamp(true)
const marks = computed(() => props.chart.marks.map((mark) => {
  const { r, lost } = shadowAt(mark, props.chart, props.aperture)
  return { ...mark, cx: x.value(mark.x), cy: x.value(mark.y), r: Math.max(2, x.value(r)), lost, opacity: darkness(lost) }
}))
</script>

<template>
  <svg class="sensor-map" :viewBox="`0 0 ${WIDTH} ${height}`" role="img" :aria-label="`${chart.marks.length} marks on the sensor`" data-test="sensor-map">
    <rect :width="WIDTH" :height="height" class="ground" />
    <path :d="`M${WIDTH / 2} 0V${height}M0 ${height / 2}H${WIDTH}`" class="middle" />
    <g v-for="mark in marks" :key="mark.id" class="mark" :class="{ selected: mark.id === selected }" data-test="mark" @click="$emit('select', mark.id)">
      <circle :cx="mark.cx" :cy="mark.cy" r="9" class="reach" />
      <circle :cx="mark.cx" :cy="mark.cy" :r="mark.r" class="shadow" :style="{ fillOpacity: mark.opacity }" :class="{ doubtful: mark.sureness < 0.6 }" />
      <circle v-if="mark.id === selected || judged.has(mark.id)" :cx="mark.cx" :cy="mark.cy" :r="mark.r + 5" class="ring" :class="[judged.get(mark.id), { selected: mark.id === selected }]" />
      <title>{{ Math.round(100 * mark.lost * 10) / 10 }} % of the light lost at f/{{ aperture }}, seen in {{ mark.seen }} of {{ mark.looked }} frames</title>
    </g>
  </svg>
</template>

<style scoped>
.sensor-map { display: block; width: 100%; background: #fff; border: 1px solid var(--hairline); box-sizing: border-box; }
.ground { fill: #f1f1f1; }
.middle { stroke: var(--hairline); fill: none; }
.mark { cursor: pointer; }
.reach { fill: transparent; }
.shadow { fill: var(--ink); stroke: none; }
.shadow.doubtful { stroke: var(--open); stroke-width: 1; stroke-dasharray: 2 2; }
.ring { fill: none; stroke-width: 1.2; stroke: var(--left); }
.ring.open { stroke: var(--open); stroke-dasharray: 3 2; }
.ring.judged { stroke: var(--settled); }
.ring.selected { stroke: var(--ink); stroke-width: 2; stroke-dasharray: none; }
</style>
