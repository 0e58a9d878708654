import type OpenSeadragon from 'openseadragon'
import { computed, ref, watch, type Ref } from 'vue'
import { mendShape } from '@fennip/core/mend/mend-shape.js'
import { distanceAt, shapeCentre, shapeThickness, type Disc } from '@fennip/core/shape/shape.js'
import { useFinish } from '../finish/finish.js'
import { useRemarks } from '../hand-over/remarks.js'
import { useRebuild } from '../rebuild/rebuild.js'
import { useAreas } from '../store/areas.js'
import { useBench } from '../store/bench.js'
import { useGroup } from '../store/bench/group.js'
import { useLook } from '../store/look.js'
import { useShaping } from '../store/bench/shaping.js'
import { useSteps } from '../store/steps.js'
import { useZones } from '../store/zones.js'
import type { useChoosingRectangle } from './tools/choosing-rectangle.js'
import type { useDrawing } from './tools/drawing.js'
import type { useFinishTools } from './tools/finish-tools.js'
import type { useMarkDrag } from './tools/mark-drag.js'
import type { usePen } from './tools/pen.js'
import type { Sight } from './sight.js'

/** How far a hand may slip and still mean the place it pressed, in pixels of the screen; common practice. */
const SLIP_MOUSE = 8
const SLIP_FINGER = 14
/** So long after two fingers nothing is a tap, in milliseconds. */
const AFTER_TWO = 400

interface PointerNews {
  position: OpenSeadragon.Point
  pointerType?: string
  originalEvent?: Event
  preventDefaultAction?: boolean
}

/** Each has press, move and release; which of them is asked depends on the stage and its tool. */
interface Tools {
  readonly drag: ReturnType<typeof useMarkDrag>
  readonly drawing: ReturnType<typeof useDrawing>
  readonly pen: ReturnType<typeof usePen>
  readonly rectangle: ReturnType<typeof useChoosingRectangle>
  readonly finishTools: ReturnType<typeof useFinishTools>
}

/** What the pointer does over the picture, by stage: presses, drags, clicks, touches and the wheel. */
export function usePointer(frame: Ref<HTMLElement | undefined>, sight: Ref<Sight>, editable: () => boolean, { drag, drawing, pen, rectangle, finishTools }: Tools) {
  const bench = useBench()
  const look = useLook()
  const areas = useAreas()
  const shaping = useShaping()
  const group = useGroup()
  const finish = useFinish()
  const list = useSteps()
  const zones = useZones()
  const rebuild = useRebuild()
  const remarks = useRemarks()
  /** In pixels of the view; null outside. */
  const pointer = ref<{ x: number; y: number } | null>(null)
  const inPicture = (point: { x: number; y: number }) => ({ x: (point.x - sight.value.x) / sight.value.scale, y: (point.y - sight.value.y) / sight.value.scale })

  /** Let the viewer tell what the pointer does. */
  function attach(made: OpenSeadragon.Viewer): void {
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
      if (rectangle.press(event.originalEvent, inPicture(event.position)) || !editable()) return
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
      if (!hit && editable() && drawing.drawing.value) {
        void drawing.click({ ...drawnPoint(event), ...at })
        return
      }
      // What began with the press was no stroke.
      drawing.giveUp()
      if (hit && event.originalEvent instanceof MouseEvent && event.originalEvent.shiftKey) group.toggle(hit)
      else if (hit) bench.selectedId = hit
      else if (editable() && bench.tool === 'spot') {
        performance.mark('fennip-click')
        void bench.addSpot(at.x, at.y)
      } else bench.selectedId = null
    })
    frame.value!.addEventListener('pointermove', onPointer)
    frame.value!.addEventListener('pointerleave', () => (pointer.value = null))
  }

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
    if (!event.altKey || !editable() || bench.tool === 'shape' || (bench.tool === 'select' && !bench.selected)) return
    event.preventDefault()
    event.stopPropagation()
    if (bench.tool === 'select') bench.resizeBy(event.deltaY < 0 ? 1.08 : 1 / 1.08)
    else bench.toolSize *= event.deltaY < 0 ? 1.12 : 1 / 1.12
  }

  /** Where the pointer went down, in pixels of the view, and whether it has moved away from there. */
  let pressed: { x: number; y: number; slipped: boolean } | null = null
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

  function drawnPoint(event: PointerNews): { x: number; y: number; pressure: number | null } {
    const { originalEvent } = event
    const pen = originalEvent instanceof PointerEvent && originalEvent.pointerType === 'pen' && originalEvent.pressure > 0
    return { ...inPicture(event.position), pressure: pen ? originalEvent.pressure : null }
  }

  let prefetching = 0
  /** The pointer goes over the view. */
  function onPointer(event: PointerEvent): void {
    const box = frame.value!.getBoundingClientRect()
    pointer.value = { x: event.clientX - box.left, y: event.clientY - box.top }
    const at = inPicture(pointer.value)
    drawing.hover(at)
    finishTools.hover(at)
    if (!editable() || bench.tool !== 'spot') return
    clearTimeout(prefetching)
    prefetching = window.setTimeout(() => void bench.thePool().mender.prefetch(at.x, at.y, 8 * bench.spotRadius + 40), 60)
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

  /** What the tool would reach, under the pointer. */
  const pointerDisc = computed<Disc | null>(() => {
    if (look.stage === 'rebuild') return pointer.value && rebuild.draws ? { type: 'disc', x: pointer.value.x, y: pointer.value.y, r: (rebuild.sizePx / 2) * sight.value.scale } : null
    if (look.stage === 'correct') return pointer.value && zones.isBrush ? { type: 'disc', x: pointer.value.x, y: pointer.value.y, r: (zones.sizePx / 2) * sight.value.scale } : null
    if (!editable() || !pointer.value || drag.active.value || (bench.tool !== 'spot' && bench.tool !== 'stroke' && !(bench.tool === 'area' && areas.drawWith === 'grow'))) return null
    return { type: 'disc', x: pointer.value.x, y: pointer.value.y, r: (bench.toolSize / 2) * sight.value.scale }
  })
  watch(() => [bench.tool, zones.tool], () => drawing.giveUp())

  return { pointer, pointerDisc, attach, countTouches, sizeByWheel }
}
