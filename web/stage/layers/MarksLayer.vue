<script setup lang="ts">
import { computed } from 'vue'
import { whatShows } from '@fennip/core/check/telltales.js'
import { mendShape } from '@fennip/core/mend/mend-shape.js'
import { sourceShape } from '@fennip/core/shape/donor.js'
import { shapeCentre, type Shape } from '@fennip/core/shape/shape.js'
import { useBench } from '../../store/bench.js'
import type { DragPreview } from '../tools/mark-drag.js'
import { pathOf } from '../paths.js'
import type { Sight } from '../sight.js'

const props = defineProps<{ sight: Sight; resting: Sight; drag: DragPreview | null; faded: boolean }>()
const bench = useBench()

/** While the picture moves the whole layer moves as one; marks are drawn anew when it rests. */
const moving = computed(() => {
  const { scale, x, y } = props.sight
  const k = scale / props.resting.scale
  return `translate(${x - props.resting.x * k}px, ${y - props.resting.y * k}px) scale(${k})`
})

/** While the selected mark is being changed it is drawn where it goes alone; otherwise over the others, which need not be drawn anew then. */
const changed = computed(() => (props.drag || bench.draft ? bench.selectedId : null))

/** Side of the squares of the view whose marks share a path, in CSS pixels: where one changes, only its square is drawn anew. */
const SQUARE = 200
/** Outlines at this rest, kept with their shapes. */
const outlines = computed(() => {
  const sight = props.resting
  const kept = new WeakMap<Shape, string>()
  return (shape: Shape): string => {
    const outline = kept.get(shape) ?? pathOf(shape, sight)
    kept.set(shape, outline)
    return outline
  }
})

/** Marks that look alike and lie in one square of the view, as one path: ten thousand elements would hold up every frame. */
const marks = computed<{ key: string; look: string; path: string }[]>(() => {
  if (bench.marks === 'none') return []
  const { scale, x, y, width, height } = props.resting
  const paths = new Map<string, { look: string; outlines: string[] }>()
  const outlineOf = outlines.value
  for (const flaw of bench.flaws) {
    if (flaw.id === changed.value) continue
    if (bench.marks === 'unsettled' && (flaw.state === 'settled' || flaw.state === 'left')) continue
    const step = bench.stepOf.get(flaw.id)
    const shape = step?.shape ?? mendShape(flaw)
    const centre = shapeCentre(shape)
    const reach = centre.r * scale + 4
    const sx = centre.x * scale + x
    const sy = centre.y * scale + y
    // Half a view of marks round the view is kept drawn, so that a short pan shows no gap.
    if (sx < -reach - width / 2 || sy < -reach - height / 2 || sx > 1.5 * width + reach || sy > 1.5 * height + reach) continue
    const state = step && whatShows(step.telltales).length > 0 && flaw.state === 'mended' ? 'shows' : flaw.state
    // Dashes of a small mark are short, so that it still reads as a ring.
    const look = `${state}${centre.r * scale < 8 ? ' small' : ''}${bench.group.has(flaw.id) ? ' grouped' : ''}`
    const key = `${look} ${Math.floor(sx / SQUARE)} ${Math.floor(sy / SQUARE)}`
    const together = paths.get(key)
    if (together) together.outlines.push(outlineOf(shape))
    else paths.set(key, { look, outlines: [outlineOf(shape)] })
  }
  return [...paths].map(([key, together]) => ({ key, look: together.look, path: together.outlines.join('') }))
})

const chosen = computed(() => {
  const flaw = bench.selected
  if (!flaw || bench.marks === 'none') return null
  const step = bench.selectedStep
  const shape = props.drag?.shape ?? step?.shape ?? mendShape(flaw)
  const source = props.drag ? props.drag.source : step?.source ?? null
  const centre = shapeCentre(shape)
  const { scale, x, y } = props.resting
  return {
    path: pathOf(shape, props.resting),
    state: flaw.state,
    source: source && step?.method !== 'lift' ? pathOf(sourceShape(shape, source), props.resting) : null,
    line: props.drag?.kind === 'source' && source ? { x1: centre.x * scale + x, y1: centre.y * scale + y, x2: (centre.x + source.dx) * scale + x, y2: (centre.y + source.dy) * scale + y } : null,
    handle: shape.type === 'disc' ? { x: (shape.x + shape.r) * scale + x, y: shape.y * scale + y } : null,
  }
})
</script>

<template>
  <svg class="marks" :class="{ faded }" :style="{ transform: moving }" data-test="marks">
    <g v-memo="[marks]"><path v-for="{ key, look, path } in marks" :key="key" :d="path" :class="look" /></g>
    <template v-if="chosen">
      <path v-if="chosen.source" :d="chosen.source" class="under" />
      <path v-if="chosen.source" :d="chosen.source" class="source" data-test="source-mark" />
      <line v-if="chosen.line" v-bind="chosen.line" class="source" />
      <path :d="chosen.path" class="under" />
      <path :d="chosen.path" class="chosen" :class="chosen.state" data-test="selected-mark" />
      <rect v-if="chosen.handle" :x="chosen.handle.x - 3" :y="chosen.handle.y - 3" width="6" height="6" class="handle" />
    </template>
  </svg>
</template>

<style scoped>
.marks { position: absolute; inset: 0; width: 100%; height: 100%; overflow: visible; pointer-events: none; transform-origin: 0 0; will-change: transform; transition: opacity 120ms; }
.marks.faded path:not(.chosen):not(.source):not(.under) { opacity: 0.12; }
path, line { fill: none; stroke-width: 1.3; vector-effect: non-scaling-stroke; }
.settled { stroke: var(--settled); }
.mended { stroke: var(--settled); stroke-dasharray: 9 3; }
.open { stroke: var(--open); stroke-dasharray: 4 3; }
.left { stroke: var(--left); stroke-dasharray: 1.5 3; }
.shows { stroke: var(--shows); stroke-dasharray: 9 3; stroke-width: 2; }
.mended.small, .shows.small { stroke-dasharray: 4 1.5; }
.chosen { stroke-width: 2; }
.grouped { stroke-width: 2.6; fill: #fff; fill-opacity: 0.22; }
.under { stroke: #fff; stroke-width: 4; opacity: 0.75; }
.source { stroke: var(--ink); stroke-dasharray: 1 3; stroke-width: 1.6; stroke-linecap: round; }
.handle { fill: #fff; stroke: var(--ink); }
</style>
