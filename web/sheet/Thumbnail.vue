<script setup lang="ts">
import { computed, onMounted, ref } from 'vue'
import { levelSize } from '@fennip/core/raster/pyramid.js'
import type { Picture } from '../shared/api.js'
import { paintThumbnail } from './thumbnails.js'

const props = defineProps<{ picture: Picture }>()
const canvas = ref<HTMLCanvasElement>()
const WIDTH = 126
const size = computed(() => levelSize(props.picture.original.width, props.picture.original.height, props.picture.levels - 1))
const height = computed(() => Math.min(76, Math.round((WIDTH * size.value.height) / size.value.width)))

onMounted(async () => {
  const bitmap = await paintThumbnail(props.picture).catch(() => null)
  const drawing = canvas.value?.getContext('2d', { alpha: false })
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
  <canvas ref="canvas" :width="2 * WIDTH" :height="2 * height" :style="{ width: `${WIDTH}px`, height: `${height}px`, display: 'block' }" />
</template>
