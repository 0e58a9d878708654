<script setup lang="ts">
import { onBeforeUnmount, onMounted, ref, watch } from 'vue'
import type { Region } from '@fennip/core/raster/raster.js'
import { clipRegion, overlaps } from '@fennip/core/raster/raster.js'
import { plain } from './plain.js'
import { screenContext } from './screen.js'
import { useBench } from '../store/bench.js'
import type { View } from '../workers/view.js'

/** A piece of the picture, pixel for pixel or scaled down to fit. */
const props = defineProps<{ region: Region; view: View; width: number; height: number }>()
const bench = useBench()
const canvas = ref<HTMLCanvasElement>()
let stop: (() => void) | null = null
let turn = 0

async function paint(): Promise<void> {
  const mine = ++turn
  const bitmap = await bench.thePool().paintCrop({ ...props.region }, plain(props.view), props.region.width / Math.max(1, canvas.value?.width ?? props.width)).catch(() => null)
  const target = canvas.value
  if (!bitmap) return
  if (mine === turn && target) {
    const drawing = screenContext(target)!
    drawing.imageSmoothingEnabled = props.region.width > target.width
    drawing.imageSmoothingQuality = 'high'
    drawing.fillStyle = '#8c8c8c'
    drawing.fillRect(0, 0, target.width, target.height)
    const scale = target.width / props.region.width
    // Near an edge of the picture the piece is smaller: it keeps its place. It may come from a smaller level.
    const inside = clipRegion(props.region, bench.opened!.original.width, bench.opened!.original.height)
    drawing.drawImage(bitmap, Math.max(0, -props.region.x) * scale, Math.max(0, -props.region.y) * scale, inside.width * scale, inside.height * scale)
  }
  bitmap.close()
}

onMounted(() => {
  void paint()
  stop = bench.onPixels((region) => {
    if (props.view.show !== 'original' && (!region || overlaps(region, props.region))) void paint()
  })
})
watch(() => [props.region.x, props.region.y, props.region.width, props.region.height, props.view.lens, props.view.show, props.view.strength, props.view.operations], () => void paint())
onBeforeUnmount(() => stop?.())
</script>

<template>
  <canvas ref="canvas" :width="width" :height="height" :style="{ width: `${width}px`, height: `${height}px` }" />
</template>

<style scoped>
canvas { display: block; background: var(--surround); image-rendering: pixelated; }
</style>
