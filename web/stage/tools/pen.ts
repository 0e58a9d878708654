import { ref, watch, type Ref } from 'vue'
import { pressureFactor } from '@fennip/core/rebuild/strokes.js'
import { roundTo } from '@fennip/core/round.js'
import type { useRebuild } from '../../rebuild/rebuild.js'
import type { DrawnPoint } from './drawing.js'
import type { Sight } from '../sight.js'

/** How far the hand must move for another point, in pixels of the screen. */
const APART = 1.5

/**
 * The pen of Rebuild. What it draws is painted over the picture at once, on a canvas of its own; the picture itself follows.
 * With Shift a straight segment leads from the end of the last stroke, or from where the pen was set down.
 */
export function usePen(canvas: Ref<HTMLCanvasElement | undefined>, sight: Ref<Sight>, rebuild: ReturnType<typeof useRebuild>) {
  let points: number[][] = []
  let last: number[] | null = null
  let isStraight = false
  const active = ref(false)
  /** Whether a stroke was handed on that the picture does not show yet. */
  let waiting = false

  const rounded = ({ x, y, pressure }: DrawnPoint) => [roundTo(x, 1), roundTo(y, 1), ...(pressure === null ? [] : [roundTo(pressure, 2)])]

  function press(at: DrawnPoint, shift: boolean): void {
    if (!rebuild.draws) return
    if (waiting) clear()
    active.value = true
    isStraight = shift
    points = shift && last ? [last, rounded(at)] : [rounded(at)]
    setUp()
    if (isStraight) redraw()
    else segment(points[0]!, points[0]!)
  }

  /** @returns Whether the movement is ours, so that the picture stays. */
  function move(at: DrawnPoint, pressedAt?: number): boolean {
    if (!active.value) return false
    const point = rounded(at)
    const before = points.at(-1)!
    if (isStraight) {
      points = [points[0]!, point]
      redraw()
    } else if (Math.hypot(point[0]! - before[0]!, point[1]! - before[1]!) * sight.value.scale >= APART) {
      points.push(point)
      segment(before, point)
    }
    if (pressedAt !== undefined) requestAnimationFrame(() => performance.mark('fennip-pen', { detail: performance.now() - pressedAt }))
    return true
  }

  async function release(): Promise<void> {
    if (!active.value) return
    active.value = false
    last = points.at(-1)!
    waiting = true
    await rebuild.drawn(points)
  }

  function giveUp(): void {
    active.value = false
    clear()
  }

  /** The picture shows what was drawn: the canvas over it is not needed any more. */
  function painted(): void {
    if (waiting && !active.value) clear()
  }

  function clear(): void {
    waiting = false
    wipe()
  }

  /** Nothing is left on the canvas, wherever the picture lies under it. */
  function wipe(): void {
    const context = canvas.value?.getContext('2d')
    if (!context) return
    context.save()
    context.resetTransform()
    context.clearRect(0, 0, canvas.value!.width, canvas.value!.height)
    context.restore()
  }

  function setUp(): void {
    const target = canvas.value
    if (!target) return
    const ratio = devicePixelRatio
    const [width, height] = [Math.round(target.clientWidth * ratio), Math.round(target.clientHeight * ratio)]
    if (target.width !== width || target.height !== height) {
      target.width = width
      target.height = height
    }
    // One stroke is even in itself: the canvas is transparent as a whole.
    const isPaint = rebuild.tool === 'draw'
    target.style.opacity = String(isPaint ? (rebuild.opacity / 100) * (rebuild.group?.strength ?? 1) : 0.35)
    const context = target.getContext('2d')!
    context.setTransform(ratio * sight.value.scale, 0, 0, ratio * sight.value.scale, ratio * sight.value.x, ratio * sight.value.y)
    context.strokeStyle = isPaint ? rebuild.toneOnScreen : '#0ca0a0'
    context.lineCap = 'round'
    context.filter = isPaint && rebuild.hardness < 100 ? `blur(${Math.max(0, ((1 - rebuild.hardness / 100) * rebuild.sizePx * sight.value.scale * ratio) / 5)}px)` : 'none'
  }

  function segment(a: readonly number[], b: readonly number[]): void {
    const context = canvas.value?.getContext('2d')
    if (!context) return
    context.lineWidth = rebuild.sizePx * (rebuild.pen === 'size' ? pressureFactor(b[2]) : 1)
    context.beginPath()
    context.moveTo(a[0]!, a[1]!)
    context.lineTo(b[0]! + (a === b ? 0.01 : 0), b[1]!)
    context.stroke()
  }

  function redraw(): void {
    wipe()
    for (let i = 0; i + 1 < points.length; i++) segment(points[i]!, points[i + 1]!)
  }

  // What lies over the picture belongs to where the view was.
  watch(() => [sight.value.scale, sight.value.x, sight.value.y], () => {
    if (!active.value) clear()
  })
  watch(() => rebuild.tool, giveUp)

  return { active, press, move, release, giveUp, painted }
}
