<script setup lang="ts">
import { ref, watch } from 'vue'
import type { Region } from '@fennip/core/raster/raster.js'
import type { Treatment } from '@fennip/core/treatment/schema.js'
import type { Picture } from '../shared/api.js'
import { screenContext } from '../shared/screen.js'
import type { CropPainters } from './crops.js'

/** One place of a frame before and after, pixel for pixel. */
const props = defineProps<{ painters: CropPainters; picture: Picture; treatment: Treatment; region: Region; side: number }>()
const before = ref<HTMLCanvasElement>()
const after = ref<HTMLCanvasElement>()
let turn = 0

function draw(canvas: HTMLCanvasElement | undefined, bitmap: ImageBitmap): void {
  const drawing = screenContext(canvas)
  if (drawing) {
    drawing.fillStyle = '#8c8c8c'
    drawing.fillRect(0, 0, props.side, props.side)
    // Near an edge of the frame the piece is smaller: it keeps its place.
    drawing.drawImage(bitmap, Math.max(0, -props.region.x), Math.max(0, -props.region.y))
  }
  bitmap.close()
}

watch(() => [props.picture.id, props.treatment, props.region] as const, async () => {
  const mine = ++turn
  const pair = await props.painters.pair(props.picture, props.treatment, props.region).catch(() => null)
  if (!pair || mine !== turn) return
  draw(before.value, pair.before)
  draw(after.value, pair.after)
}, { immediate: true, flush: 'post' })
</script>

<template>
  <canvas ref="before" :width="side" :height="side" :style="{ width: `${side}px`, height: `${side}px` }" aria-label="Before" />
  <canvas ref="after" :width="side" :height="side" :style="{ width: `${side}px`, height: `${side}px` }" aria-label="After" />
</template>

<style scoped>
canvas { display: block; background: var(--surround); image-rendering: pixelated; }
</style>
