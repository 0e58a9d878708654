<script setup lang="ts">
import OpenSeadragon from 'openseadragon'
import { computed, onBeforeUnmount, onMounted, ref, shallowRef, watch } from 'vue'
import { mendShape } from '@fennip/core/mend/choose.js'
import { shapeCentre, type Disc } from '@fennip/core/shape/shape.js'
import { useBench } from '../store/bench.js'
import MarksLayer from './MarksLayer.vue'
import { LivingTiles } from './tile-source.js'
import { useMarkDrag } from './mark-drag.js'
import type { Sight } from './sight.js'

const props = defineProps<{ editable: boolean }>()
const bench = useBench()
const frame = ref<HTMLElement>()
const viewer = shallowRef<OpenSeadragon.Viewer>()
const sight = ref<Sight>({ scale: 1, x: 0, y: 0, width: 0, height: 0 })
const resting = ref<Sight>(sight.value)
const pointer = ref<{ x: number; y: number } | null>(null)
const zoomText = computed(() => {
  const scale = sight.value.scale * devicePixelRatio
  return scale >= 0.995 ? `${Math.round(scale * 10) / 10} : 1` : `${Math.round(scale * 100)} %`
})
const drag = useMarkDrag(bench)
let tiles: LivingTiles | null = null
let restTimer = 0
let stopPixels: (() => void) | null = null

const view = () => ({ lens: bench.lens, strength: bench.lensStrength, show: bench.holdOriginal ? ('original' as const) : ('result' as const) })

function readSight(): Sight {
  const { viewport } = viewer.value!
  const image = viewer.value!.world.getItemAt(0)
  const origin = image.imageToViewerElementCoordinates(new OpenSeadragon.Point(0, 0))
  const unit = image.imageToViewerElementCoordinates(new OpenSeadragon.Point(1000, 0))
  const size = viewport.getContainerSize()
  return { scale: (unit.x - origin.x) / 1000, x: origin.x, y: origin.y, width: size.x, height: size.y }
}

function follow(): void {
  if (!viewer.value?.world.getItemCount()) return
  sight.value = readSight()
  clearTimeout(restTimer)
  restTimer = window.setTimeout(() => {
    resting.value = sight.value
  }, 120)
}

function inPicture(point: { x: number; y: number }): { x: number; y: number } {
  return { x: (point.x - sight.value.x) / sight.value.scale, y: (point.y - sight.value.y) / sight.value.scale }
}

onMounted(() => {
  const made = new OpenSeadragon.Viewer({
    element: frame.value!,
    drawer: 'canvas',
    showNavigationControl: false,
    gestureSettingsMouse: { clickToZoom: false, dblClickToZoom: false },
    gestureSettingsTouch: { clickToZoom: false, dblClickToZoom: false, pinchToZoom: true },
    gestureSettingsPen: { clickToZoom: false, dblClickToZoom: false },
    imageSmoothingEnabled: true,
    animationTime: 0.25,
    springStiffness: 12,
    maxZoomPixelRatio: 16,
    minZoomImageRatio: 0.6,
    visibilityRatio: 0.4,
    immediateRender: true,
    maxImageCacheCount: 300,
    keyboardNavEnabled: false,
    zoomPerScroll: 1.35,
  } as OpenSeadragon.Options)
  made.drawer.setImageSmoothingEnabled(true)
  viewer.value = made
  made.addHandler('viewport-change', () => {
    // From 1:1 on, pixels are shown as they are.
    if (made.world.getItemCount()) made.drawer.setImageSmoothingEnabled(readSight().scale * devicePixelRatio < 0.99)
  })
  made.addHandler('update-viewport', follow)
  made.addHandler('open', follow)
  made.addHandler('resize', () => setTimeout(follow, 30))
  made.addHandler('tile-unloaded', (event: { tile: { getUrl(): string } }) => tiles?.forget(event.tile.getUrl()))
  made.addHandler('canvas-press', (event: { position: OpenSeadragon.Point }) => {
    if (props.editable && !twoFingers()) drag.press(event.position, sight.value)
  })
  made.addHandler('canvas-drag', (event: { position: OpenSeadragon.Point; preventDefaultAction?: boolean }) => {
    if (drag.move(event.position, sight.value)) event.preventDefaultAction = true
  })
  made.addHandler('canvas-drag-end', (event: { preventDefaultAction?: boolean }) => {
    if (drag.active.value) event.preventDefaultAction = true
  })
  made.addHandler('canvas-release', () => void drag.release())
  made.addHandler('canvas-click', (event: { quick: boolean; position: OpenSeadragon.Point }) => {
    if (!event.quick || drag.justEnded()) return
    const at = inPicture(event.position)
    const { width, height } = bench.opened!.original
    if (at.x < 0 || at.y < 0 || at.x >= width || at.y >= height) return
    const hit = markAt(at)
    if (hit) bench.selectedId = hit
    else if (props.editable && bench.tool === 'spot') {
      performance.mark('fennip-click')
      void bench.addSpot(at.x, at.y)
    } else bench.selectedId = null
  })
  stopPixels = bench.onPixels((region) => void repaint(region))
  frame.value!.addEventListener('pointermove', onPointer)
  frame.value!.addEventListener('pointerleave', () => (pointer.value = null))
  show()
})

/** Two fingers always move the picture. */
let touches = 0
const twoFingers = () => touches > 1
const countTouches = (event: TouchEvent) => {
  touches = event.touches.length
  if (touches > 1) drag.giveUp()
}

let prefetching = 0
function onPointer(event: PointerEvent): void {
  const box = frame.value!.getBoundingClientRect()
  pointer.value = { x: event.clientX - box.left, y: event.clientY - box.top }
  if (!props.editable || bench.tool !== 'spot') return
  clearTimeout(prefetching)
  const at = inPicture(pointer.value)
  prefetching = window.setTimeout(() => void bench.thePool().mender.prefetch(at.x, at.y, 8 * bench.spotRadius + 40), 60)
}

function show(): void {
  if (!viewer.value || !bench.opened) return
  tiles = new LivingTiles(bench.opened, bench.thePool(), view)
  viewer.value.open(tiles.source() as never)
}

async function repaint(region: Parameters<LivingTiles['repaint']>[0]): Promise<void> {
  if (!tiles || !viewer.value) return
  const level = Math.max(0, Math.min(bench.opened!.levels - 1, Math.round(-Math.log2(sight.value.scale))))
  await tiles.repaint(region, (url) => url.startsWith(`fennip:${level}/`))
  // The picture may have been left meanwhile.
  if (gone) return
  viewer.value.forceRedraw()
  performance.mark('fennip-painted')
}

function markAt(at: { x: number; y: number }): string | null {
  if (bench.marks === 'none') return null
  let best: string | null = null
  let nearest = Infinity
  const slack = 4 / sight.value.scale
  for (const flaw of bench.flaws) {
    if (bench.marks === 'unsettled' && (flaw.state === 'settled' || flaw.state === 'left')) continue
    const { x, y, r } = shapeCentre(bench.stepOf.get(flaw.id)?.shape ?? mendShape(flaw))
    const distance = Math.hypot(at.x - x, at.y - y)
    if (distance < r + slack && distance / r < nearest) {
      nearest = distance / r
      best = flaw.id
    }
  }
  return best
}

/** Bring the selected flaw into view, near enough to judge. */
function showSelected(): void {
  const flaw = bench.selected
  if (!flaw || !viewer.value?.world.getItemCount()) return
  const { x, y } = shapeCentre(flaw.shape)
  const place = { x: x * sight.value.scale + sight.value.x, y: y * sight.value.scale + sight.value.y }
  const margin = 16
  const inView = place.x > margin && place.y > margin && place.x < sight.value.width - margin && place.y < sight.value.height - margin
  if (inView) return
  const image = viewer.value.world.getItemAt(0)
  viewer.value.viewport.panTo(image.imageToViewportCoordinates(new OpenSeadragon.Point(x, y)))
}

function zoomTo(scale: number | 'fit'): void {
  if (!viewer.value?.world.getItemCount()) return
  const { viewport } = viewer.value
  if (scale === 'fit') {
    viewport.goHome()
    return
  }
  const flaw = bench.selected
  const image = viewer.value.world.getItemAt(0)
  viewport.zoomTo(image.imageToViewportZoom(scale / devicePixelRatio))
  if (flaw) {
    const { x, y } = shapeCentre(flaw.shape)
    viewport.panTo(image.imageToViewportCoordinates(new OpenSeadragon.Point(x, y)))
  }
}

watch(() => bench.selectedId, showSelected)
watch(() => [bench.lens, bench.lensStrength, bench.holdOriginal], () => void repaint(null))
watch(() => bench.opened?.id, show)
let gone = false
onBeforeUnmount(() => {
  gone = true
  stopPixels?.()
  viewer.value?.destroy()
})
const pointerDisc = computed<Disc | null>(() => {
  if (!props.editable || bench.tool !== 'spot' || !pointer.value || drag.active.value) return null
  return { type: 'disc', x: pointer.value.x, y: pointer.value.y, r: bench.spotRadius * sight.value.scale }
})
defineExpose({ zoomTo })
</script>

<template>
  <div class="picture-view" :class="[`lens-${bench.lens}`, { spot: editable && bench.tool === 'spot' }]" @touchstart.capture="countTouches" @touchend.capture="countTouches" @touchcancel.capture="countTouches">
    <div ref="frame" class="frame" data-test="picture" />
    <MarksLayer v-if="bench.opened" :sight="sight" :resting="resting" :drag="drag.preview.value" :faded="drag.active.value || bench.holdOriginal" />
    <svg v-if="pointerDisc" class="pointer"><circle :cx="pointerDisc.x" :cy="pointerDisc.y" :r="Math.max(1.5, pointerDisc.r)" /></svg>
    <div v-if="bench.holdOriginal" class="banner">Original</div>
    <div v-else-if="bench.lens !== 'plain'" class="banner">{{ { negative: 'Negative', relief: 'Relief', change: 'Change' }[bench.lens] }} lens: the result is not touched</div>
    <div v-if="bench.marks !== 'all'" class="banner low">{{ bench.marks === 'none' ? 'Marks are hidden' : 'Settled marks are hidden' }}</div>
    <div class="zoom">
      <button type="button" @click="zoomTo('fit')">Whole <span class="key">0</span></button>
      <button type="button" @click="zoomTo(1)">1 : 1 <span class="key">Z</span></button>
      <span>{{ zoomText }}</span>
    </div>
  </div>
</template>

<style scoped>
.picture-view { position: relative; overflow: hidden; background: var(--surround); height: 100%; border: 3px solid var(--surround); box-sizing: border-box; }
.picture-view.lens-negative, .picture-view.lens-relief, .picture-view.lens-change { border-color: var(--ink); }
.frame { position: absolute; inset: 0; }
.spot .frame { cursor: none; }
.pointer { position: absolute; inset: 0; width: 100%; height: 100%; pointer-events: none; }
.pointer circle { fill: none; stroke: #fff; stroke-width: 1; mix-blend-mode: difference; }
.banner { position: absolute; left: 10px; top: 10px; padding: 3px 9px; background: var(--ink); color: #fff; border-radius: 3px; pointer-events: none; }
.banner.low { top: 42px; background: var(--soft-ink); }
.zoom { position: absolute; right: 10px; bottom: 10px; display: flex; background: var(--sheet); border-radius: 3px; align-items: center; }
.zoom button { border: 0; background: none; padding: 4px 9px; cursor: pointer; }
.zoom button:hover { background: var(--ground); }
.zoom > span { padding: 4px 9px; min-width: 40px; text-align: right; border-left: 1px solid var(--hairline); }
</style>
