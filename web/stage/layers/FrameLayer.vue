<script setup lang="ts">
import { computed } from 'vue'
import { useFinish } from '../../finish/finish.js'
import { useSteps } from '../../store/steps.js'
import { useLook } from '../../store/look.js'
import type { useFinishTools } from '../tools/finish-tools.js'
import type { Sight } from '../sight.js'

/** The frame of the delivered picture, drawn over the picture that it is cut from, and what the tools of Finish draw. */
const props = defineProps<{ sight: Sight; tools: ReturnType<typeof useFinishTools> }>()
const finish = useFinish()
const list = useSteps()
const look = useLook()
const onScreen = ({ x, y }: { x: number; y: number }) => `${x * props.sight.scale + props.sight.x} ${y * props.sight.scale + props.sight.y}`
const polygon = computed(() => `M${props.tools.corners.value.map(onScreen).join('L')}Z`)
const isCut = computed(() => finish.chain?.changesFrame ?? false)
const outside = computed(() => `M0 0H${props.sight.width}V${props.sight.height}H0Z${polygon.value}`)
const lines = computed(() => {
  const list = [...props.tools.points.value, ...(props.tools.pointer.value && props.tools.points.value.length > 0 ? [props.tools.pointer.value] : [])]
  return list.length < 2 ? '' : `M${list.map(onScreen).join('L')}`
})
/** Thirds of the frame, while it is cut. */
const guides = computed(() => {
  const [a, b, c, d] = props.tools.corners.value as [Corner, Corner, Corner, Corner]
  const between = (p: Corner, q: Corner, t: number) => ({ x: p.x + (q.x - p.x) * t, y: p.y + (q.y - p.y) * t })
  return [1 / 3, 2 / 3].flatMap((t) => [`M${onScreen(between(a, b, t))}L${onScreen(between(d, c, t))}`, `M${onScreen(between(a, d, t))}L${onScreen(between(b, c, t))}`]).join('')
})
interface Corner { x: number; y: number }
const strip = computed(() => {
  const half = 42 * props.sight.scale
  return { x: list.frame.x * props.sight.scale + props.sight.x - half, y: list.frame.y * props.sight.scale + props.sight.y - half, width: 2 * half, height: 2 * half }
})
</script>

<template>
  <svg class="frame-layer" aria-hidden="true">
    <template v-if="isCut || (look.stage === 'finish' && finish.tool === 'crop')">
      <path :d="outside" class="outside" fill-rule="evenodd" />
      <path :d="polygon" class="edge under" /><path :d="polygon" class="edge" data-test="frame" />
    </template>
    <template v-if="look.stage === 'finish'">
      <template v-if="finish.tool === 'crop'">
        <path :d="guides" class="guides" />
        <rect v-for="(corner, i) in tools.corners.value" :key="i" :x="corner.x * sight.scale + sight.x - 5" :y="corner.y * sight.scale + sight.y - 5" width="10" height="10" class="handle" data-test="crop-handle" />
      </template>
      <path v-if="lines" :d="lines" class="edge under" /><path v-if="lines" :d="lines" class="edge" />
      <circle v-for="(point, i) in tools.points.value" :key="`p${i}`" :cx="point.x * sight.scale + sight.x" :cy="point.y * sight.scale + sight.y" r="4" class="handle" />
      <rect v-if="finish.tool === 'look' && list.selected && list.triedSetting" v-bind="strip" class="strip" />
    </template>
  </svg>
</template>

<style scoped>
.frame-layer { position: absolute; inset: 0; width: 100%; height: 100%; pointer-events: none; }
.outside { fill: var(--surround); opacity: 0.62; }
.edge { fill: none; stroke: var(--ink); stroke-width: 1; }
.edge.under { stroke: #fff; stroke-width: 2.6; opacity: 0.8; }
.guides { fill: none; stroke: #fff; stroke-width: 0.7; opacity: 0.8; }
.handle { fill: #fff; stroke: var(--ink); }
.strip { fill: none; stroke: #fff; stroke-width: 1.2; }
</style>
