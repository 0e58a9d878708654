<script setup lang="ts">
import { ElButton, ElDropdown, ElDropdownItem, ElDropdownMenu, ElTooltip } from 'element-plus'
import OpenSeadragon from 'openseadragon'
import { computed, onBeforeUnmount, onMounted, ref, shallowRef, watch } from 'vue'
import { operationOf } from '@fennip/core/operations/registry.js'
import { mendShape } from '@fennip/core/mend/mend-shape.js'
import { growRegion, type Region } from '@fennip/core/raster/raster.js'
import { distanceAt, shapeCentre, shapeThickness, type Disc } from '@fennip/core/shape/shape.js'
import { newestNext } from '../shared/newest-next.js'
import { LENS_WORDS } from '../shared/words.js'
import { useBench } from '../store/bench.js'
import { useLook } from '../store/look.js'
import { useAreas } from '../store/areas.js'
import { useGroup } from '../store/group.js'
import { useRound } from '../store/round.js'
import { useFinish } from '../finish/finish.js'
import { useSteps } from '../store/steps.js'
import { useZones } from '../store/zones.js'
import { useRebuild } from '../rebuild/rebuild.js'
import { useRemarks } from '../hand-over/remarks.js'
import { useShaping } from '../store/shaping.js'
import { plain } from '../shared/plain.js'
import { levelCount } from '@fennip/core/raster/pyramid.js'
import type { View } from '../workers/pixels.worker.js'
import { GRAIN_RADIUS } from '../workers/lenses.js'
import AreasLayer from './AreasLayer.vue'
import FrameLayer from './FrameLayer.vue'
import RemarksLayer from './RemarksLayer.vue'
import { useFinishTools } from './finish-tools.js'
import MarksLayer from './MarksLayer.vue'
import { keepWhole } from './keep-whole.js'
import { linkViews } from './linked-views.js'
import { VIEWER_OPTIONS } from './viewer-options.js'
import { useExactView } from './exact-view.js'
import { useChoosingRectangle } from './choosing-rectangle.js'
import { LivingTiles } from './tile-source.js'
import { useDrawing } from './drawing.js'
import { usePen } from './pen.js'
import { useMarkDrag } from './mark-drag.js'
import { pathOf } from './paths.js'
import type { Sight } from './sight.js'

const props = defineProps<{ editable: boolean }>()
const bench = useBench()
const look = useLook()
const frame = ref<HTMLElement>()
const viewer = shallowRef<OpenSeadragon.Viewer>()
const sight = ref<Sight>({ scale: 1, x: 0, y: 0, width: 0, height: 0 })
const resting = ref<Sight>(sight.value)
const pointer = ref<{ x: number; y: number } | null>(null)
const zoomText = computed(() => {
  const scale = sight.value.scale * devicePixelRatio
  return scale >= 0.995 ? `${Math.round(scale * 10) / 10} : 1` : `${Math.round(scale * 100)} %`
})
const areas = useAreas()
const shaping = useShaping()
const group = useGroup()
const round = useRound()
const finish = useFinish()
const list = useSteps()
const zones = useZones()
const finishTools = useFinishTools()
const rebuild = useRebuild()
const remarks = useRemarks()
const penCanvas = ref<HTMLCanvasElement>()
const pen = usePen(penCanvas, sight, rebuild)
/** Stages whose steps stand on the mended picture: flaws are not marked in them. */
const isOnMended = computed(() => look.stage === 'correct' || look.stage === 'rebuild' || look.stage === 'finish' || look.stage === 'hand-over')
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
/** What is in view at small zoom, exactly, when nothing moves. */
const exactView = useExactView(
  () => levelSeen() > 0 && look.lens === 'plain' && (list.draft ?? list.saved).some(({ operation, enabled }) => enabled && operationOf(operation).form === 'area'),
  async () => {
    if (!tiles || gone || list.draft) return false
    const { scale, x, y, width, height } = sight.value
    return tiles.refine({ x: -x / scale, y: -y / scale, width: width / scale, height: height / scale }, levelSeen(), () => viewer.value?.forceRedraw())
  },
)
/** The level of the picture that the view is drawn from. */
const levelSeen = () => Math.max(0, Math.min((finish.framed && finish.chain ? levelCount(finish.chain.delivered.width, finish.chain.delivered.height) : bench.opened?.levels ?? 1) - 1, Math.round(-Math.log2(sight.value.scale))))
/** Whether the picture is there and can be worked on. */
const seen = ref(false)
let tiles: LivingTiles | null = null
let restTimer = 0
let stopPixels: (() => void) | null = null
let stopLink: (() => void) | null = null

/** The zone that is worked on in Correct, and how it is shown. */
const shownZone = computed(() => (look.stage === 'correct' && zones.current && zones.show !== 'nothing' ? { area: zones.current, show: zones.show } : null))
const view = (): View => ({
  lens: look.lens, strength: look.lensStrength, radius: look.reliefRadius, ...(look.holdOriginal ? look.before : { show: 'result' as const }),
  ...(list.draft && !look.holdOriginal ? { operations: plain(list.draft) } : {}), ...(finish.clipping ? { clipping: true } : {}), ...(shownZone.value && !look.holdOriginal ? { zone: plain(shownZone.value) } : {}), ...(finish.framed ? { delivered: true } : {}),
})

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
  if ((['scale', 'x', 'y', 'width', 'height'] as const).some((part) => sight.value[part] !== before[part])) exactView.moved()
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

function inPicture(point: { x: number; y: number }): { x: number; y: number } {
  return { x: (point.x - sight.value.x) / sight.value.scale, y: (point.y - sight.value.y) / sight.value.scale }
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
  made.addHandler('tile-unloaded', (event: { tile: { getUrl(): string } }) => tiles?.forget(event.tile.getUrl()))
  made.addHandler('canvas-press', (event: PointerNews) => {
    frame.value!.parentElement!.focus({ preventScroll: true })
    if (twoFingers()) return
    pressed = { x: event.position.x, y: event.position.y, slipped: false }
    // With fresh eyes one only looks.
    if (look.isFresh) return
    if (look.stage === 'finish' && !finish.framed && finishTools.press(inPicture(event.position), 9 / sight.value.scale)) return
    if (look.stage === 'correct') {
      if (zones.draws) drawing.press(drawnPoint(event))
      return
    }
    if (look.stage === 'hand-over') return
    if (look.stage === 'rebuild') {
      pen.press(drawnPoint(event), event.originalEvent instanceof MouseEvent && event.originalEvent.shiftKey)
      return
    }
    if (rectangle.press(event.originalEvent, inPicture(event.position)) || !props.editable) return
    if (bench.tool === 'area' || bench.tool === 'shape' || !drag.press(event.position, sight.value)) drawing.press(drawnPoint(event))
  })
  made.addHandler('canvas-drag', (event: PointerNews) => {
    if (pen.move(drawnPoint(event), event.originalEvent?.timeStamp)) {
      if (pressed) pressed.slipped = true
      event.preventDefaultAction = true
      return
    }
    if (pressed && !pressed.slipped) {
      // A hand that slips a little means the place it pressed: the picture stays until it is clear that it is to be moved.
      const limit = event.pointerType === 'touch' ? SLIP_FINGER : SLIP_MOUSE
      if (Math.hypot(event.position.x - pressed.x, event.position.y - pressed.y) <= limit && !drag.holds() && !drawing.active.value && !finishTools.holds()) {
        event.preventDefaultAction = true
        return
      }
      pressed.slipped = true
    }
    if (finishTools.move(inPicture(event.position)) || rectangle.move(inPicture(event.position)) || drag.move(event.position, sight.value) || drawing.move(drawnPoint(event))) event.preventDefaultAction = true
  })
  made.addHandler('canvas-drag-end', (event: PointerNews) => {
    // No gliding on after a drag of ours, nor after a slip.
    if ((pressed && !pressed.slipped) || finishTools.justEnded() || rectangle.active() || drag.active.value || drawing.active.value || drag.justEnded() || drawing.drawing.value) event.preventDefaultAction = true
  })
  made.addHandler('canvas-release', () => {
    finishTools.release()
    void pen.release()
    rectangle.release()
    void drag.release()
    void drawing.release()
  })
  made.addHandler('canvas-click', (event: PointerNews) => {
    // Held however long, what was pressed is meant; what was moved away from is not, and with two fingers nothing is.
    if (look.isFresh || !pressed || pressed.slipped || drag.justEnded() || performance.now() - touchedByTwo < AFTER_TWO) return
    const at = inPicture(pressed)
    const { width, height } = bench.opened!.original
    if (at.x < 0 || at.y < 0 || at.x >= width || at.y >= height) return
    if (look.stage === 'finish') {
      if (!finish.framed) finishTools.click(at)
      return
    }
    if (look.stage === 'hand-over') {
      remarks.click(at, 12 / sight.value.scale)
      return
    }
    if (look.stage === 'rebuild') {
      if (rebuild.tool === 'look') list.place = at
      else if (rebuild.tool === 'pick' || rebuild.tool === 'source') void rebuild.pick(at)
      return
    }
    if (look.stage === 'correct') {
      if (zones.tool === 'look') list.place = at
      else if (zones.tool === 'tone' || zones.tool === 'colour') void zones.pick(at)
      else if (zones.tool === 'outline') void drawing.click({ ...drawnPoint(event), ...at })
      else {
        drawing.giveUp()
        // A dab of the brush.
        if (zones.isBrush) void zones.drawn({ type: 'disc', x: Math.round(at.x * 10) / 10, y: Math.round(at.y * 10) / 10, r: zones.sizePx / 2 })
      }
      return
    }
    if (bench.tool === 'shape' && shaping.mode === 'split') {
      void shaping.click(at)
      return
    }
    const hit = drawing.active.value || bench.tool === 'area' || bench.tool === 'shape' ? null : markAt(at)
    if (!hit && props.editable && drawing.drawing.value) {
      void drawing.click({ ...drawnPoint(event), ...at })
      return
    }
    // What began with the press was no stroke.
    drawing.giveUp()
    if (hit && event.originalEvent instanceof MouseEvent && event.originalEvent.shiftKey) group.toggle(hit)
    else if (hit) bench.selectedId = hit
    else if (props.editable && bench.tool === 'spot') {
      performance.mark('fennip-click')
      void bench.addSpot(at.x, at.y)
    } else bench.selectedId = null
  })
  stopPixels = bench.onPixels((region) => void repaint(region).then(pen.painted))
  stopLink = linkViews(made, 'result', look)
  frame.value!.addEventListener('pointermove', onPointer)
  frame.value!.addEventListener('pointerleave', () => (pointer.value = null))
  show()
})

/** With Alt the wheel changes the size of the selected mark, or of what the tool makes; otherwise it zooms, as it always does. */
function sizeByWheel(event: WheelEvent): void {
  if (event.altKey && look.stage === 'rebuild' && rebuild.draws) {
    event.preventDefault()
    event.stopPropagation()
    rebuild.sizePx = Math.max(1, Math.min(600, Math.round(rebuild.sizePx * (event.deltaY < 0 ? 1.12 : 1 / 1.12) + (event.deltaY < 0 ? 0.5 : -0.5))))
    return
  }
  if (event.altKey && look.stage === 'correct' && zones.isBrush) {
    event.preventDefault()
    event.stopPropagation()
    zones.sizePx = Math.max(1, Math.round(zones.sizePx * (event.deltaY < 0 ? 1.12 : 1 / 1.12)))
    return
  }
  if (!event.altKey || !props.editable || bench.tool === 'shape' || (bench.tool === 'select' && !bench.selected)) return
  event.preventDefault()
  event.stopPropagation()
  if (bench.tool === 'select') bench.resizeBy(event.deltaY < 0 ? 1.08 : 1 / 1.08)
  else bench.toolSize *= event.deltaY < 0 ? 1.12 : 1 / 1.12
}

/** Where the pointer went down, in pixels of the view, and whether it has moved away from there. */
let pressed: { x: number; y: number; slipped: boolean } | null = null
/** How far a hand may slip and still mean the place it pressed, in pixels of the screen; common practice. */
const SLIP_MOUSE = 8
const SLIP_FINGER = 14
/** So long after two fingers nothing is a tap, in milliseconds. */
const AFTER_TWO = 400

/** Zoom of the whole picture with room around it. */
const STEPPED_BACK = 0.86

/** Two fingers always move the picture. */
let touches = 0
let touchedByTwo = -Infinity
const twoFingers = () => touches > 1
const countTouches = (event: TouchEvent) => {
  const before = touches
  touches = event.touches.length
  if (Math.max(touches, before) > 1) touchedByTwo = performance.now()
  if (touches > 1) {
    drag.giveUp()
    drawing.giveUp()
    pen.giveUp()
    rectangle.giveUp()
  }
}

interface PointerNews {
  position: OpenSeadragon.Point
  pointerType?: string
  originalEvent?: Event
  preventDefaultAction?: boolean
}

function drawnPoint(event: PointerNews): { x: number; y: number; pressure: number | null } {
  const { originalEvent } = event
  const pen = originalEvent instanceof PointerEvent && originalEvent.pointerType === 'pen' && originalEvent.pressure > 0
  return { ...inPicture(event.position), pressure: pen ? originalEvent.pressure : null }
}

let prefetching = 0
function onPointer(event: PointerEvent): void {
  const box = frame.value!.getBoundingClientRect()
  pointer.value = { x: event.clientX - box.left, y: event.clientY - box.top }
  const at = inPicture(pointer.value)
  drawing.hover(at)
  finishTools.hover(at)
  if (!props.editable || bench.tool !== 'spot') return
  clearTimeout(prefetching)
  prefetching = window.setTimeout(() => void bench.thePool().mender.prefetch(at.x, at.y, 8 * bench.spotRadius + 40), 60)
}

function show(): void {
  if (!viewer.value || !bench.opened) return
  const delivered = finish.framed ? finish.chain?.delivered : undefined
  tiles = new LivingTiles(bench.opened, bench.thePool(), view, () => look.divider, () => look.before, delivered && { ...delivered, levels: levelCount(delivered.width, delivered.height) })
  viewer.value.open(tiles.source() as never)
}

async function repaint(region: Region | null, onlySeen = false): Promise<void> {
  if (!tiles || !viewer.value) return
  const level = levelSeen()
  exactView.moved()
  // Lenses that compare with a neighbourhood carry a change that far.
  const carried = look.lens === 'relief' ? look.reliefRadius : look.lens === 'grain' ? GRAIN_RADIUS * 2 ** level : 0
  await tiles.repaint(region && growRegion(region, carried), level, () => {
    // The picture may have been left meanwhile.
    if (gone) return
    viewer.value?.forceRedraw()
    performance.mark('fennip-painted')
  }, onlySeen)
  if (!gone) viewer.value?.forceRedraw()
}

/** The mark at a place; where several lie on one another, a click on the selected one goes on to the next. */
function markAt(at: { x: number; y: number }): string | null {
  if (bench.marks === 'none') return null
  const hits: { id: string; depth: number }[] = []
  const slack = 4 / sight.value.scale
  for (const flaw of bench.flaws) {
    if (bench.marks === 'unsettled' && (flaw.state === 'settled' || flaw.state === 'left')) continue
    const shape = bench.stepOf.get(flaw.id)?.shape ?? mendShape(flaw)
    const { x, y, r } = shapeCentre(shape)
    if (Math.hypot(at.x - x, at.y - y) > 1.5 * r + slack) continue
    // How deep inside, as a share of the thickness: of marks on one another the one that is hit best.
    const outside = distanceAt(shape, at.x, at.y)
    if (outside < slack) hits.push({ id: flaw.id, depth: outside / shapeThickness(shape) })
  }
  hits.sort((a, b) => a.depth - b.depth)
  const selected = hits.findIndex(({ id }) => id === bench.selectedId)
  return hits[(selected + 1) % Math.max(1, hits.length)]?.id ?? null
}

/** Bring the selected flaw into view, near enough to judge. */
function showSelected(): void {
  const flaw = bench.selected
  if (!flaw || !viewer.value?.world.getItemCount()) return
  // The whole picture shows it as it is.
  const { viewport } = viewer.value
  if (viewport.getZoom() <= viewport.getHomeZoom() * 1.001) return
  const { x, y } = shapeCentre(flaw.shape)
  const place = { x: x * sight.value.scale + sight.value.x, y: y * sight.value.scale + sight.value.y }
  const margin = 16
  const inView = place.x > margin && place.y > margin && place.x < sight.value.width - margin && place.y < sight.value.height - margin
  if (inView) return
  const image = viewer.value.world.getItemAt(0)
  viewport.panTo(image.imageToViewportCoordinates(new OpenSeadragon.Point(x, y)))
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
  // Where the strip looks, or the flaw that is worked on.
  const place = list.selected && isOnMended.value ? list.frame : flaw ? shapeCentre(flaw.shape) : null
  if (place) viewport.panTo(image.imageToViewportCoordinates(new OpenSeadragon.Point(place.x, place.y)))
}

/** Bring a place into the middle, at 1:1 or closer. */
function lookAt(x: number, y: number): void {
  if (!viewer.value?.world.getItemCount()) return
  const { viewport } = viewer.value
  const image = viewer.value.world.getItemAt(0)
  if (sight.value.scale * devicePixelRatio < 0.99) viewport.zoomTo(image.imageToViewportZoom(1 / devicePixelRatio), undefined, true)
  viewport.panTo(image.imageToViewportCoordinates(new OpenSeadragon.Point(x, y)), true)
}
round.lookAt = lookAt
watch(resting, round.rest)

watch(() => bench.selectedId, showSelected)
watch(() => [look.lens, look.lensStrength, look.reliefRadius, look.holdOriginal], () => void repaint(null))
watch(() => bench.opened?.id, show)
watch(() => [finish.framed, finish.framed ? finish.chain?.delivered.width : 0, finish.framed ? finish.chain?.delivered.height : 0], show)
/** A setting that is moved. */
const repaintDraft = newestNext(async () => {
  if (!gone) await repaint(null, true)
  pen.painted()
}, (error) => {
  if (!gone) bench.report(error)
})
watch(() => [list.draft, finish.clipping], () => void repaintDraft())
/** A zone is drawn into the tiles, since it may be made of tones and grey pictures. */
watch(() => [shownZone.value?.area, shownZone.value?.show], () => void repaint(null, true))
watch(() => look.before, () => {
  if (look.holdOriginal || look.divider !== null) void repaint(null)
})
watch(() => look.beside, () => setTimeout(follow, 60))
/** Mirrored and turned in the viewer alone; marks and tools, which know the upright picture, rest meanwhile. */
watch(() => [look.flipped, look.quarters], () => {
  const viewport = viewer.value?.viewport
  if (!viewport) return
  drawing.giveUp()
  viewport.setFlip(look.flipped)
  viewport.setRotation(90 * look.quarters, true)
  viewport.goHome(true)
})
/** Pixels of the picture on an inch of paper: as set in Finish, as the file says, or 300. */
const perInch = computed(() => {
  const print = list.saved.find((step) => step.operation === 'print-size' && step.enabled)
  return print ? Number(print.settings.perInch) : bench.opened?.about.resolutionPerInch ?? 300
})
/** As large as on paper: an inch has 96 pixels of the page (CSS Values 4, 6.2). */
const VIEWS = { print: () => atPrintSize(), flip: () => (look.flipped = !look.flipped), turn: () => (look.quarters = (look.quarters + 1) % 4) }
const atPrintSize = () => zoomTo((96 / perInch.value) * devicePixelRatio)
/** Only what the divider passed over is painted anew. */
watch(() => look.divider, (now, before) => {
  if (!bench.opened) return
  const { height } = bench.opened.original
  if (now === null || before === null) void repaint({ x: 0, y: 0, width: now ?? before ?? 0, height })
  else void repaint({ x: Math.min(now, before) - 2, y: 0, width: Math.abs(now - before) + 4, height })
})
function toggleDivider(): void {
  const { scale, x, width } = sight.value
  look.divider = look.divider === null ? Math.max(0, Math.min(bench.opened!.original.width, Math.round((width / 2 - x) / scale))) : null
}
let draggedFrom: number | null = null
function takeDivider(event: PointerEvent): void {
  draggedFrom = look.divider
  ;(event.target as HTMLElement).setPointerCapture(event.pointerId)
}
function moveDivider(event: PointerEvent): void {
  if (draggedFrom === null) return
  const { left } = frame.value!.getBoundingClientRect()
  look.divider = Math.max(0, Math.min(bench.opened!.original.width, Math.round((event.clientX - left - sight.value.x) / sight.value.scale)))
}
/** Once more over the whole way, since what was painted while it moved may have come in another order. */
function leaveDivider(): void {
  if (draggedFrom === null || look.divider === null) return
  void repaint({ x: Math.min(draggedFrom, look.divider) - 2, y: 0, width: Math.abs(draggedFrom - look.divider) + 4, height: bench.opened!.original.height })
  draggedFrom = null
}

let gone = false
onBeforeUnmount(() => {
  gone = true
  exactView.stop()
  void round.save()
  round.lookAt = null
  stopPixels?.()
  stopLink?.()
  viewer.value?.destroy()
})
const pointerDisc = computed<Disc | null>(() => {
  if (look.stage === 'rebuild') return pointer.value && rebuild.draws ? { type: 'disc', x: pointer.value.x, y: pointer.value.y, r: (rebuild.sizePx / 2) * sight.value.scale } : null
  if (look.stage === 'correct') return pointer.value && zones.isBrush ? { type: 'disc', x: pointer.value.x, y: pointer.value.y, r: (zones.sizePx / 2) * sight.value.scale } : null
  if (!props.editable || !pointer.value || drag.active.value || (bench.tool !== 'spot' && bench.tool !== 'stroke' && !(bench.tool === 'area' && areas.drawWith === 'grow'))) return null
  return { type: 'disc', x: pointer.value.x, y: pointer.value.y, r: (bench.toolSize / 2) * sight.value.scale }
})
/** Corners that are dragged or clicked must be within reach: the view steps back a little. */
watch(() => finish.tool, (tool) => {
  const viewport = viewer.value?.viewport
  if (!viewport || !viewer.value?.world.getItemCount()) return
  if (tool === 'crop' || tool === 'corners') viewport.goHome(true).zoomBy(STEPPED_BACK, undefined, true).applyConstraints(true)
  else if (Math.abs(viewport.getZoom() / viewport.getHomeZoom() - STEPPED_BACK) < 0.01) viewport.goHome(true)
})
watch(() => [bench.tool, zones.tool], () => drawing.giveUp())
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
  <div class="picture-view" tabindex="0" data-keys data-home role="group" aria-label="Picture" @wheel.capture="sizeByWheel" :class="[`lens-${look.lens}`, look.stage === 'rebuild' ? (rebuild.draws ? 'spot' : rebuild.tool === 'look' ? 'select' : 'outline') : look.stage === 'correct' ? (zones.isBrush ? 'spot' : zones.tool === 'look' ? 'select' : 'outline') : editable ? bench.tool : 'select']" @touchstart.capture="countTouches" @touchend.capture="countTouches" @touchcancel.capture="countTouches">
    <div ref="frame" class="frame" data-test="picture" :aria-busy="!seen" />
    <FrameLayer v-if="bench.opened && !finish.framed && !look.isFresh" :sight="sight" :tools="finishTools" />
    <AreasLayer v-if="bench.opened && !look.isFresh && !finish.framed && look.stage !== 'correct' && look.stage !== 'rebuild'" :sight="sight" :resting="resting" :faded="drag.active.value || look.holdOriginal || look.divider !== null" />
    <RemarksLayer v-if="bench.opened && look.stage === 'hand-over' && !look.isFresh && !finish.framed" :sight="sight" />
    <MarksLayer v-if="bench.opened && !look.isFresh && !finish.framed && !isOnMended" :sight="sight" :resting="resting" :drag="drag.preview.value" :faded="drag.active.value || look.holdOriginal || look.divider !== null" />
    <canvas ref="penCanvas" class="pointer" data-test="pen" />
    <svg v-if="drawn" class="pointer" data-test="drawn"><path :d="drawn" class="under" /><path :d="drawn" /></svg>
    <svg v-if="pointerDisc" class="pointer"><circle :cx="pointerDisc.x" :cy="pointerDisc.y" :r="Math.max(1.5, pointerDisc.r)" /></svg>
    <div
      v-if="look.divider !== null" class="divider" :style="{ left: `${look.divider * sight.scale + sight.x}px` }" role="separator" aria-label="Original left, result right" data-test="divider"
      @pointerdown="takeDivider" @pointermove="moveDivider" @pointerup="leaveDivider" @pointercancel="leaveDivider"
    ><span>{{ beforeWord }}</span><span>Result</span></div>
    <svg v-if="rectangleOnScreen" class="pointer" data-test="choosing-rectangle"><rect v-bind="rectangleOnScreen" class="under" /><rect v-bind="rectangleOnScreen" /></svg>
    <div v-if="refusal && pointer" class="refusal" :style="{ left: `${pointer.x + 14}px`, top: `${pointer.y + 14}px` }" data-test="refusal">Refused: {{ refusal }}</div>
    <div class="banners">
      <div v-if="look.holdOriginal" class="banner">{{ beforeWord }}</div>
      <div v-else-if="look.lens !== 'plain'" class="banner lens">{{ LENS_WORDS[look.lens] }} lens: the result is not touched</div>
      <div v-if="look.isFresh" class="banner lens" data-test="fresh">Seen {{ [look.flipped ? 'mirrored' : '', look.quarters ? `turned by ${90 * look.quarters}°` : ''].filter(Boolean).join(' and ') }}: nothing is changed</div>
      <div v-if="bench.marks !== 'all'" class="banner low">{{ bench.marks === 'none' ? 'Marks are hidden' : 'Settled marks are hidden' }}</div>
    </div>
    <div v-if="look.stage !== 'finish' || finish.tool !== 'crop'" class="zoom">
      <ElButton @click="zoomTo('fit')">Whole <span class="key">0</span></ElButton>
      <ElButton @click="zoomTo(1)">1 : 1 <span class="key">Z</span></ElButton>
      <ElDropdown trigger="click" placement="top-end" @command="(view: 'print' | 'flip' | 'turn') => VIEWS[view]()">
        <ElButton data-test="more-views">View</ElButton>
        <template #dropdown>
          <ElDropdownMenu>
            <ElDropdownItem command="print" data-test="print-view">As large as on paper, {{ Math.round(perInch) }} per inch<span class="key beside">R</span></ElDropdownItem>
            <ElDropdownItem command="flip" data-test="flip">{{ look.flipped ? 'Not mirrored' : 'Mirrored' }}<span class="key beside">X</span></ElDropdownItem>
            <ElDropdownItem command="turn" data-test="turn-view">Turned by a quarter<span class="key beside">Y</span></ElDropdownItem>
          </ElDropdownMenu>
        </template>
      </ElDropdown>
      <ElTooltip :disabled="exactView.isExact.value" content="At this zoom corrections are drawn on a smaller copy of the picture; what is exact follows when nothing moves.">
        <span data-test="zoom" :data-exact="exactView.isExact.value">{{ exactView.isExact.value ? '' : '≈ ' }}{{ zoomText }}</span>
      </ElTooltip>
    </div>
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
.divider { position: absolute; top: 0; bottom: 0; width: 15px; margin-left: -7px; cursor: ew-resize; touch-action: none; background: linear-gradient(90deg, transparent 6px, #fff 6px 7px, var(--ink) 7px 8px, transparent 8px); }
.divider span { position: absolute; bottom: 14px; padding: 2px 7px; background: var(--ink); color: #fff; pointer-events: none; white-space: nowrap; }
.divider span:first-child { right: 8px; }
.divider span:last-child { left: 8px; }
.banners { position: absolute; left: 10px; right: 10px; top: 10px; display: flex; flex-direction: column; align-items: flex-start; gap: 6px; pointer-events: none; }
.banner { padding: 3px 9px; background: var(--ink); color: #fff; border-radius: 3px; pointer-events: none; }
.picture-view:focus-visible { outline: 1px solid var(--ink); outline-offset: -1px; }
.banner.low { background: var(--soft-ink); }
.zoom { position: absolute; right: 10px; bottom: 10px; display: flex; background: var(--sheet); border-radius: 3px; align-items: center; }
.zoom button { border: 0; background: none; padding: 4px 9px; cursor: pointer; }
.key.beside { margin-left: 8px; }
.zoom button:hover { background: var(--ground); }
.zoom > span { padding: 4px 9px; min-width: 40px; text-align: right; border-left: 1px solid var(--hairline); }
</style>
