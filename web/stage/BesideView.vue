<script setup lang="ts">
import OpenSeadragon from 'openseadragon'
import { onBeforeUnmount, onMounted, ref, watch } from 'vue'
import { useBench } from '../store/bench.js'
import { useLook } from '../store/look.js'
import { LivingTiles } from './tile-source.js'
import { linkViews } from './linked-views.js'
import { VIEWER_OPTIONS } from './viewer-options.js'

/** The picture before, beside the result and moved with it. */
const bench = useBench()
const look = useLook()
const frame = ref<HTMLElement>()
let viewer: OpenSeadragon.Viewer | null = null
let tiles: LivingTiles | null = null
let stop: (() => void)[] = []

const repaint = () => tiles?.repaint(null, 0, () => viewer?.forceRedraw()).then(() => viewer?.forceRedraw())

onMounted(() => {
  viewer = new OpenSeadragon.Viewer({ ...VIEWER_OPTIONS, element: frame.value! })
  viewer.addHandler('viewport-change', () => {
    const item = viewer!.world.getItemAt(0)
    if (item) viewer!.drawer.setImageSmoothingEnabled(item.viewportToImageZoom(viewer!.viewport.getZoom(true)) * devicePixelRatio < 0.99)
  })
  viewer.addHandler('tile-unloaded', (event: { tile: { getUrl(): string } }) => tiles?.forget(event.tile.getUrl()))
  tiles = new LivingTiles(bench.opened!, bench.thePool(), () => ({ lens: look.lens, strength: look.lensStrength, radius: look.reliefRadius, ...look.before }))
  viewer.open(tiles.source() as never)
  stop = [linkViews(viewer, 'before', look), bench.onPixels(() => void repaint())]
})
watch(() => [look.lens, look.lensStrength, look.reliefRadius, look.before], () => void repaint())
onBeforeUnmount(() => {
  for (const end of stop) end()
  viewer?.destroy()
  viewer = null
})
</script>

<template>
  <div class="beside-view" data-test="beside">
    <div ref="frame" class="frame" />
    <div class="banner">{{ look.before.show === 'original' ? 'Original' : 'Without this mend' }}</div>
  </div>
</template>

<style scoped>
.beside-view { position: relative; overflow: hidden; background: var(--surround); border: 3px solid var(--surround); border-right: 1px solid var(--ink); box-sizing: border-box; }
.frame { position: absolute; inset: 0; }
.banner { position: absolute; left: 10px; top: 10px; padding: 3px 9px; background: var(--ink); color: #fff; border-radius: 3px; pointer-events: none; }
</style>
