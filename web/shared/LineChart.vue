<script setup lang="ts">
import { scaleLinear, scaleLog } from 'd3-scale'
import { area, line } from 'd3-shape'
import { computed } from 'vue'

/** A small chart of a few lines over one scale: what explains a telltale. */
export interface ChartLine { readonly points: readonly (readonly [number, number])[]; readonly look: 'main' | 'compared' | 'faint'; readonly name: string }

const props = defineProps<{
  label: string
  lines: readonly ChartLine[]
  /** Lower and upper edge of a band, by place. */
  band?: readonly (readonly [number, number, number])[]
  /** Place of a line from top to bottom. */
  mark?: number
  logarithmic?: boolean
  /** What stands at the left and right end of the scale. */
  ends: readonly [string, string]
  width: number
  height: number
}>()
const PAD = { left: 6, right: 6, top: 8, bottom: 17 }
/** Powers below are as good as none. */
const LEAST = 1e-12
/** So much of a linear scale is shown at least. */
const LEAST_SPAN = 0.02

const drawn = computed(() => {
  const points = props.lines.flatMap((one) => one.points)
  if (points.length < 2) return null
  const places = points.map(([x]) => x)
  const values = [...points.map(([, y]) => y), ...(props.band ?? []).flatMap(([, low, high]) => [low, high])].map((value) => (props.logarithmic ? Math.max(LEAST, value) : value))
  const x = scaleLinear().domain([Math.min(...places), Math.max(...places)]).range([PAD.left, props.width - PAD.right])
  const [low, high] = [Math.min(...values), Math.max(...values)]
  const y = (props.logarithmic ? scaleLog().domain([low / 1.5, high * 1.5]) : scaleLinear().domain([low, Math.max(high, low + LEAST_SPAN)])).range([props.height - PAD.bottom, PAD.top])
  const path = line<readonly [number, number]>((point) => x(point[0]), (point) => y(props.logarithmic ? Math.max(LEAST, point[1]) : point[1]))
  return {
    lines: props.lines.map(({ points: one, look, name }) => ({ look, name, path: path([...one])! })),
    band: props.band ? area<readonly [number, number, number]>((point) => x(point[0]), (point) => y(point[1]), (point) => y(point[2]))([...props.band])! : null,
    mark: props.mark === undefined ? null : x(props.mark),
  }
})
</script>

<template>
  <svg :width="width" :height="height" role="img" :aria-label="label">
    <template v-if="drawn">
      <path v-if="drawn.band" :d="drawn.band" class="band" />
      <line v-if="drawn.mark !== null" :x1="drawn.mark" :x2="drawn.mark" :y1="PAD.top" :y2="height - PAD.bottom" class="mark" />
      <path v-for="one in drawn.lines" :key="one.name" :d="one.path" :class="one.look" :data-test="`line-${one.name}`" />
      <text :x="PAD.left" :y="height - 4">{{ ends[0] }}</text><text :x="width - PAD.right" :y="height - 4" text-anchor="end">{{ ends[1] }}</text>
    </template>
    <text v-else :x="width / 2" :y="height / 2" text-anchor="middle">Too small to draw</text>
  </svg>
</template>

<style scoped>
svg { display: block; background: #fff; }
.band { fill: var(--hairline); opacity: 0.7; }
.main { fill: none; stroke: var(--settled); stroke-width: 1.8; }
.compared { fill: none; stroke: var(--ink); stroke-width: 1.2; stroke-dasharray: 4 3; }
.faint { fill: none; stroke: var(--soft-ink); stroke-width: 1; }
.mark { stroke: var(--ink); stroke-dasharray: 2 2; }
text { font-size: 11px; fill: var(--soft-ink); }
</style>
