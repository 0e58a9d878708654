<script setup lang="ts">
import OpenSeadragon from 'openseadragon'
import { computed, onBeforeUnmount, onMounted, ref, shallowRef, watch } from 'vue'
import { LENS_WORDS } from '../shared/words.js'
import { useBench } from '../store/bench.js'
import { useLook } from '../store/look.js'
import { useAreas } from '../store/areas.js'
import { useGroup } from '../store/bench/group.js'
import { useRound } from '../store/round.js'
import { useFinish } from '../finish/finish.js'
import { useZones } from '../store/zones.js'
import { useRebuild } from '../rebuild/rebuild.js'
import { useShaping } from '../store/bench/shaping.js'
import AreasLayer from './layers/AreasLayer.vue'
import DividerLayer from './layers/DividerLayer.vue'
import FrameLayer from './layers/FrameLayer.vue'
import MarksLayer from './layers/MarksLayer.vue'
import RemarksLayer from './layers/RemarksLayer.vue'
import ViewControls from './ViewControls.vue'
import { useChoosingRectangle } from './tools/choosing-rectangle.js'
import { useDrawing } from './tools/drawing.js'
import { useFinishTools } from './tools/finish-tools.js'
import { keepWhole } from './keep-whole.js'
import { linkViews } from './linked-views.js'
import { useMarkDrag } from './tools/mark-drag.js'
import { pathOf } from './paths.js'
import { usePen } from './tools/pen.js'
import { usePointer } from './pointer.js'
import { useRepainting } from './repainting.js'
import type { Sight } from './sight.js'
import { useViewMoves } from './view-moves.js'
import { VIEWER_OPTIONS } from './viewer-options.js'

const props = defineProps<{ editable: boolean }>()
const bench = useBench()
const look = useLook()
const frame = ref<HTMLElement>()
const viewer = shallowRef<OpenSeadragon.Viewer>()
const sight = ref<Sight>({ scale: 1, x: 0, y: 0, width: 0, height: 0 })
const resting = ref<Sight>(sight.value)
const areas = useAreas()
const shaping = useShaping()
const group = useGroup()
const round = useRound()
const finish = useFinish()
const zones = useZones()
const finishTools = useFinishTools()
const rebuild = useRebuild()
const penCanvas = ref<HTMLCanvasElement>()
const pen = usePen(penCanvas, sight, rebuild)
const drag = useMarkDrag(bench)
const drawing = useDrawing(bench, () => sight.value.scale, {
  width: () => (look.stage === 'correct' ? zones.sizePx : bench.strokeWidth),
  kind: () => {
    if (look.stage === 'correct') return zones.draws ? (zones.tool === 'outline' ? 'outline' : 'stroke') : null
    switch (bench.tool) {
      case 'stroke': case 'outline': return bench.tool
      case 'area': return areas.drawWith === 'outline' ? 'outline' : 'stroke'
      case 'shape': return shaping.mode === 'draw-out' ? 'stroke' : shaping.mode === 'split' ? null : 'outline'
      default: return null
    }
  },
  drawn: (shape) => (look.stage === 'correct' ? zones.drawn(shape) : bench.tool === 'area' ? areas.drawn(shape) : bench.tool === 'shape' ? shaping.drawn(shape) : bench.addShape(shape)),
})
const rectangle = useChoosingRectangle(bench, group)
const painting = useRepainting(viewer, sight, () => pen.painted())
const { zoomTo, atPrintSize, perInch } = useViewMoves(viewer, sight, () => drawing.giveUp())
const hand = usePointer(frame, sight, () => props.editable, { drag, drawing, pen, rectangle, finishTools })
const { pointer, pointerDisc } = hand
/** Whether the picture is there and can be worked on. */
const seen = ref(false)
let restTimer = 0
let stopPixels: (() => void) | null = null
let stopLink: (() => void) | null = null

function readSight(): Sight {
  const { viewport } = viewer.value!
  const image = viewer.value!.world.getItemAt(0)
  const origin = image.imageToViewerElementCoordinates(new OpenSeadragon.Point(0, 0))
  const unit = image.imageToViewerElementCoordinates(new OpenSeadragon.Point(1000, 0))
  const size = viewport.getContainerSize()
  return { scale: Math.hypot(unit.x - origin.x, unit.y - origin.y) / 1000, x: origin.x, y: origin.y, width: size.x, height: size.y }
}

function follow(): void {
  if (!viewer.value?.world.getItemCount()) return
  const before = sight.value
  sight.value = readSight()
  if ((['scale', 'x', 'y', 'width', 'height'] as const).some((part) => sight.value[part] !== before[part])) painting.moved()
  clearTimeout(restTimer)
  restTimer = window.setTimeout(() => {
    resting.value = sight.value
  }, 120)
}

/** At rest and 1:1 or closer, a pixel of the picture lies on whole pixels of the device, so none is drawn across two. */
function snapToDevice(): void {
  if (!viewer.value?.world.getItemCount()) return
  const { scale, x, y } = readSight()
  if (scale * devicePixelRatio < 0.99) return
  const off = (at: number) => Math.round(at * devicePixelRatio) / devicePixelRatio - at
  const move = new OpenSeadragon.Point(-off(x), -off(y))
  if (Math.hypot(move.x, move.y) < 0.01) return
  const { viewport } = viewer.value
  viewport.panBy(viewport.deltaPointsFromPixels(move), true)
  viewport.applyConstraints(true)
}

onMounted(() => {
  const made = new OpenSeadragon.Viewer({ ...VIEWER_OPTIONS, element: frame.value! })
  made.drawer.setImageSmoothingEnabled(true)
  viewer.value = made
  made.addHandler('viewport-change', () => {
    // From 1:1 on, pixels are shown as they are.
    if (made.world.getItemCount()) made.drawer.setImageSmoothingEnabled(readSight().scale * devicePixelRatio < 0.99)
  })
  made.addHandler('update-viewport', follow)
  made.addHandler('animation-finish', snapToDevice)
  made.addHandler('open', () => {
    seen.value = true
    follow()
  })
  keepWhole(made, follow)
  made.addHandler('tile-unloaded', (event: { tile: { getUrl(): string } }) => painting.forget(event.tile.getUrl()))
  stopPixels = bench.onPixels((region) => void painting.repaint(region).then(pen.painted))
  stopLink = linkViews(made, 'result', look)
  hand.attach(made)
  painting.show()
})

watch(resting, round.rest)
watch(() => look.beside, () => setTimeout(follow, 60))
function toggleDivider(): void {
  const { scale, x, width } = sight.value
  look.divider = look.divider === null ? Math.max(0, Math.min(bench.opened!.original.width, Math.round((width / 2 - x) / scale))) : null
}
onBeforeUnmount(() => {
  painting.stop()
  void round.save()
  round.lookAt = null
  stopPixels?.()
  stopLink?.()
  viewer.value?.destroy()
})
const beforeWord = computed(() => (look.before.show === 'original' ? 'Original' : look.before.upTo === 'mended' ? 'As mended' : look.stage === 'correct' ? 'Without this correction' : look.stage === 'rebuild' ? 'Without this drawing' : 'Without this mend'))
const rectangleOnScreen = computed(() => {
  const box = rectangle.box.value
  if (!box) return null
  const { scale, x, y } = sight.value
  return { x: box.x * scale + x, y: box.y * scale + y, width: box.width * scale, height: box.height * scale }
})
/** Why the source that is being dragged must not be set down where it is. */
const refusal = computed(() => {
  const dragged = drag.preview.value
  return dragged?.kind === 'source' && dragged.source && bench.selectedStep ? bench.sourceRefusal(bench.selectedStep, { ...bench.selectedStep.source, dx: Math.round(dragged.source.dx), dy: Math.round(dragged.source.dy) }) : null
})
const drawn = computed(() => (drawing.preview.value ? pathOf(drawing.preview.value, sight.value) : ''))
defineExpose({ zoomTo, atPrintSize, drawing, pen, toggleDivider, finishTools })
</script>

<template>
  <div class="picture-view" tabindex="0" data-keys data-home role="group" aria-label="Picture" @wheel.capture="hand.sizeByWheel" :class="[`lens-${look.lens}`, look.stage === 'rebuild' ? (rebuild.draws ? 'spot' : rebuild.tool === 'look' ? 'select' : 'outline') : look.stage === 'correct' ? (zones.isBrush ? 'spot' : zones.tool === 'look' ? 'select' : 'outline') : editable ? bench.tool : 'select']" @touchstart.capture="hand.countTouches" @touchend.capture="hand.countTouches" @touchcancel.capture="hand.countTouches">
    <div ref="frame" class="frame" data-test="picture" :aria-busy="!seen" />
    <FrameLayer v-if="bench.opened && !finish.framed && !look.isFresh" :sight="sight" :tools="finishTools" />
    <AreasLayer v-if="bench.opened && !look.isFresh && !finish.framed && look.stage !== 'correct' && look.stage !== 'rebuild'" :sight="sight" :resting="resting" :faded="drag.active.value || look.holdOriginal || look.divider !== null" />
    <RemarksLayer v-if="bench.opened && look.stage === 'hand-over' && !look.isFresh && !finish.framed" :sight="sight" />
    <MarksLayer v-if="bench.opened && !look.isFresh && !finish.framed && !look.isOnMended" :sight="sight" :resting="resting" :drag="drag.preview.value" :faded="drag.active.value || look.holdOriginal || look.divider !== null" />
    <canvas ref="penCanvas" class="pointer" data-test="pen" />
    <svg v-if="drawn" class="pointer" data-test="drawn"><path :d="drawn" class="under" /><path :d="drawn" /></svg>
    <svg v-if="pointerDisc" class="pointer"><circle :cx="pointerDisc.x" :cy="pointerDisc.y" :r="Math.max(1.5, pointerDisc.r)" /></svg>
    <DividerLayer :sight="sight" :before="beforeWord" @passed="(region) => painting.repaint(region)" />
    <svg v-if="rectangleOnScreen" class="pointer" data-test="choosing-rectangle"><rect v-bind="rectangleOnScreen" class="under" /><rect v-bind="rectangleOnScreen" /></svg>
    <div v-if="refusal && pointer" class="refusal" :style="{ left: `${pointer.x + 14}px`, top: `${pointer.y + 14}px` }" data-test="refusal">Refused: {{ refusal }}</div>
    <div class="banners">
      <div v-if="look.holdOriginal" class="banner">{{ beforeWord }}</div>
      <div v-else-if="look.lens !== 'plain'" class="banner lens">{{ LENS_WORDS[look.lens] }} lens: the result is not touched</div>
      <div v-if="look.isFresh" class="banner lens" data-test="fresh">Seen {{ [look.flipped ? 'mirrored' : '', look.quarters ? `turned by ${90 * look.quarters}°` : ''].filter(Boolean).join(' and ') }}: nothing is changed</div>
      <div v-if="bench.marks !== 'all'" class="banner low">{{ bench.marks === 'none' ? 'Marks are hidden' : 'Settled marks are hidden' }}</div>
    </div>
    <ViewControls v-if="look.stage !== 'finish' || finish.tool !== 'crop'" :scale="sight.scale" :per-inch="perInch" :is-exact="painting.isExact.value" @zoom="zoomTo" @print="atPrintSize" />
  </div>
</template>

<style scoped>
.picture-view { position: relative; overflow: hidden; background: var(--surround); height: 100%; border: 3px solid var(--surround); box-sizing: border-box; }
.picture-view:not(.lens-plain) { border-color: var(--ink); }
.frame { position: absolute; inset: 0; }
.spot .frame, .stroke .frame { cursor: none; }
.outline .frame, .area .frame, .shape .frame { cursor: crosshair; }
.pointer rect { fill: none; stroke: var(--ink); stroke-width: 1.2; stroke-dasharray: 5 3; }
.pointer rect.under { stroke: #fff; stroke-width: 3; stroke-dasharray: none; opacity: 0.75; }
.refusal { position: absolute; padding: 3px 9px; background: var(--shows); color: #fff; border-radius: 3px; pointer-events: none; white-space: nowrap; z-index: 3; }
.pointer { position: absolute; inset: 0; width: 100%; height: 100%; pointer-events: none; }
.pointer circle { fill: none; stroke: #fff; stroke-width: 1; mix-blend-mode: difference; }
.pointer path { fill: none; stroke: var(--ink); stroke-width: 1.4; }
.pointer path.under { stroke: #fff; stroke-width: 3.5; opacity: 0.75; }
.banners { position: absolute; left: 10px; right: 10px; top: 10px; display: flex; flex-direction: column; align-items: flex-start; gap: 6px; pointer-events: none; }
.banner { padding: 3px 9px; background: var(--ink); color: #fff; border-radius: 3px; pointer-events: none; }
.picture-view:focus-visible { outline: 1px solid var(--ink); outline-offset: -1px; }
.banner.low { background: var(--soft-ink); }
</style>
