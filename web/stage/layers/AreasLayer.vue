<script setup lang="ts">
import { shapePartsOf } from '@fennip/core/shape/zone/area.js'
import { computed } from 'vue'
import type { Area } from '@fennip/core/treatment/schema.js'
import { useAreas } from '../../store/areas.js'
import { useBench } from '../../store/bench.js'
import { pathOf } from '../paths.js'
import type { Sight } from '../sight.js'

/** Guards and zones over the picture, and what is growing. */
const props = defineProps<{ sight: Sight; resting: Sight; faded: boolean }>()
const bench = useBench()
const areas = useAreas()

const moving = computed(() => {
  const { scale, x, y } = props.sight
  const k = scale / props.resting.scale
  return `translate(${x - props.resting.x * k}px, ${y - props.resting.y * k}px) scale(${k})`
})
const shown = computed(() => (bench.marks === 'none' ? [] : bench.areas.map((area) => ({ ...lookOf(area), parts: shapePartsOf(area).map(({ mode, shape }) => ({ mode, path: pathOf(shape, props.resting) })) }))))
const lookOf = (area: Area) => ({ id: area.id, name: area.name, role: area.role, chosen: bench.tool === 'area' && area.id === areas.selectedId })
const marks = computed(() => (['inside', 'outside'] as const).flatMap((side) => areas.marks[side].map((shape) => ({ side, path: pathOf(shape, props.resting) }))))
const grown = computed(() => areas.grown.map((shape) => pathOf(shape, props.resting)))
</script>

<template>
  <svg class="areas" :class="{ faded }" :style="{ transform: moving }" data-test="areas">
    <defs>
      <pattern id="guard-hatch" width="9" height="9" patternUnits="userSpaceOnUse" patternTransform="rotate(30)"><line x1="0" y1="0" x2="0" y2="9" /></pattern>
    </defs>
    <g v-for="area in shown" :key="area.id" :class="[area.role, { chosen: area.chosen }]">
      <path v-for="(part, i) in area.parts" :key="i" :d="part.path" :class="part.mode" fill-rule="evenodd" :data-test="`area-${area.role}`"><title>{{ area.name }}</title></path>
    </g>
    <path v-for="(path, i) in grown" :key="`g${i}`" :d="path" class="grown" fill-rule="evenodd" data-test="grown" />
    <path v-for="(mark, i) in marks" :key="`m${i}`" :d="mark.path" class="mark" :class="mark.side" />
  </svg>
</template>

<style scoped>
.areas { position: absolute; inset: 0; width: 100%; height: 100%; pointer-events: none; overflow: visible; transform-origin: 0 0; }
.areas.faded { opacity: 0.15; }
.areas :deep(pattern line) { stroke: var(--ink); stroke-width: 1; opacity: 0.35; }
g path { fill: none; stroke: var(--ink); stroke-width: 0.8; vector-effect: non-scaling-stroke; }
.guard path.add { fill: none; stroke-dasharray: 12 3 2 3; }
.zone path.add { stroke-dasharray: 2 4; }
.guard.chosen path.add { fill: url('#guard-hatch'); stroke-width: 1.6; }
.zone.chosen path.add { stroke-width: 1.8; }
path.take { stroke-dasharray: 1 2; opacity: 0.7; }
.grown { fill: url('#guard-hatch'); stroke: #fff; stroke-width: 1.4; vector-effect: non-scaling-stroke; }
.mark { stroke-width: 1; vector-effect: non-scaling-stroke; }
.mark.inside { fill: var(--settled); fill-opacity: 0.55; stroke: #fff; }
.mark.outside { fill: var(--open); fill-opacity: 0.5; stroke: #fff; stroke-dasharray: 4 2; }
</style>
