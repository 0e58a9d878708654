<script setup lang="ts">
import { computed, onMounted, ref } from 'vue'
import { levelSize } from '@fennip/core/raster/pyramid.js'
import type { Shown } from '../shared/api.js'
import { screenContext } from '../shared/screen.js'
import { paintThumbnail } from './thumbnails.js'

const props = withDefaults(defineProps<{ picture: Shown; width?: number; most?: number }>(), { width: 126, most: 76 })
const canvas = ref<HTMLCanvasElement>()
const size = computed(() => levelSize(props.picture.original.width, props.picture.original.height, props.picture.levels - 1))
const height = computed(() => Math.min(props.most, Math.round((props.width * size.value.height) / size.value.width)))

onMounted(async () => {
  const bitmap = await paintThumbnail(props.picture).catch(() => null)
  const drawing = screenContext(canvas.value)
  if (!bitmap || !drawing) return
  drawing.imageSmoothingQuality = 'high'
  const scale = Math.min(canvas.value!.width / bitmap.width, canvas.value!.height / bitmap.height)
  drawing.fillStyle = '#8c8c8c'
  drawing.fillRect(0, 0, canvas.value!.width, canvas.value!.height)
  drawing.drawImage(bitmap, (canvas.value!.width - bitmap.width * scale) / 2, (canvas.value!.height - bitmap.height * scale) / 2, bitmap.width * scale, bitmap.height * scale)
  bitmap.close()
})
</script>

<template>
  <canvas ref="canvas" :width="2 * width" :height="2 * height" :style="{ width: `${width}px`, height: `${height}px`, display: 'block' }" />
</template>
