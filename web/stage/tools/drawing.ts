import fitCurve from 'fit-curve'
import { computed, ref, shallowRef } from 'vue'
import { roundTo } from '@fennip/core/round.js'
import type { Shape } from '@fennip/core/shape/shape.js'
import type { useBench } from '../../store/bench.js'

type Point = [number, number]

/** Where the pointer is, in picture pixels, and how hard a pen is pressed. */
export interface DrawnPoint {
  readonly x: number
  readonly y: number
  /** 0..1; null for a mouse or a finger. */
  readonly pressure: number | null
}

/** How far a smoothed path may stray from the hand, in pixels of the screen. */
const SMOOTHING = 1.6
/** Steps in which a fitted curve is followed, in pixels of the screen. */
const STEP = 3
/** A pen at half its pressure draws the width that is set; common practice. */
const widthOf = (width: number, pressures: readonly number[]) =>
  pressures.length === 0 ? width : width * (0.4 + (1.2 * pressures.reduce((sum, pressure) => sum + pressure, 0)) / pressures.length)

/** What is being drawn, and who gets it. */
export interface DrawingTask {
  kind(): 'stroke' | 'outline' | null
  /** Width of a stroke; that of the bench where it is not said. */
  width?(): number
  drawn(shape: Shape): Promise<void>
}

/** Drawing of flaws, with the stroke and the outline tool. */
const flawTask = (bench: ReturnType<typeof useBench>): DrawingTask => ({
  kind: () => (bench.tool === 'stroke' || bench.tool === 'outline' ? bench.tool : null),
  drawn: (shape) => bench.addShape(shape),
})

/**
 * Drawing of strokes and outlines: freehand while the button is down, corner by corner with clicks. A click on the first
 * corner, Enter or a double click ends a shape of corners; Backspace takes the last corner back, Escape all of it.
 */
export function useDrawing(bench: ReturnType<typeof useBench>, screenScale: () => number, task: DrawingTask = flawTask(bench)) {
  const points = shallowRef<readonly Point[]>([])
  /** Where the next corner would be. */
  const next = shallowRef<Point | null>(null)
  const pressures: number[] = []
  const freehand = ref(false)
  const drawing = computed(() => task.kind() !== null)
  const width = () => task.width?.() ?? bench.strokeWidth

  function press(at: DrawnPoint): void {
    if (!drawing.value || points.value.length > 0) return
    pressures.length = 0
    freehand.value = true
    points.value = [[at.x, at.y]]
    if (at.pressure !== null) pressures.push(at.pressure)
  }

  /** @returns Whether the movement is ours, so that the picture stays. */
  function move(at: DrawnPoint): boolean {
    if (!freehand.value) return false
    const [x, y] = points.value.at(-1)!
    if (Math.hypot(at.x - x, at.y - y) * screenScale() >= 1) points.value = [...points.value, [at.x, at.y]]
    if (at.pressure !== null) pressures.push(at.pressure)
    return true
  }

  /** The button is let go: a path that was drawn is done, one that did not move is the first corner. */
  async function release(): Promise<void> {
    if (!freehand.value) return
    freehand.value = false
    if (lengthOf(points.value) * screenScale() < 6) return
    const path = smoothed(points.value, screenScale())
    points.value = []
    await add(path)
  }

  /** A click sets a corner. @returns Whether it was ours. */
  async function click(at: DrawnPoint): Promise<boolean> {
    if (!drawing.value) return false
    const corners = points.value
    const near = (corner: Point | undefined) => corner && Math.hypot(corner[0] - at.x, corner[1] - at.y) * screenScale() < 8
    const enough = corners.length >= (task.kind() === 'outline' ? 3 : 2)
    if (enough && (near(corners.at(-1)) || (task.kind() === 'outline' && near(corners[0])))) await finish()
    else if (corners.length === 0 || !near(corners.at(-1))) points.value = [...corners, [at.x, at.y]]
    return true
  }

  function hover(at: { x: number; y: number } | null): void {
    next.value = at && points.value.length > 0 && !freehand.value ? [at.x, at.y] : null
  }

  async function finish(): Promise<void> {
    const corners = [...points.value]
    points.value = []
    next.value = null
    if (corners.length >= (task.kind() === 'outline' ? 3 : 1)) await add(corners)
  }

  async function add(path: readonly Point[]): Promise<void> {
    const rounded = path.map(([x, y]): Point => [roundTo(x, 1), roundTo(y, 1)])
    if (task.kind() === 'outline') {
      if (rounded.length >= 3) await task.drawn({ type: 'outline', points: rounded })
    } else await task.drawn({ type: 'stroke', points: rounded, width: Math.max(1, Math.round(widthOf(width(), pressures))) })
  }

  function undoCorner(): void {
    points.value = points.value.slice(0, -1)
  }

  /** A second finger landed, or Escape: it was not meant. */
  function giveUp(): void {
    freehand.value = false
    points.value = []
    next.value = null
  }

  /** What is being drawn, as it would be if it ended here. */
  const preview = computed<Shape | null>(() => {
    const path = next.value ? [...points.value, next.value] : [...points.value]
    if (path.length === 0) return null
    if (task.kind() === 'outline' && path.length > 2) return { type: 'outline', points: path }
    return { type: 'stroke', points: path, width: task.kind() === 'outline' ? 1 : Math.max(1, widthOf(width(), pressures)) }
  })

  return { preview, drawing, active: computed(() => points.value.length > 0), press, move, release, click, hover, finish, undoCorner, giveUp }
}

function lengthOf(path: readonly Point[]): number {
  let sum = 0
  for (let i = 1; i < path.length; i++) sum += Math.hypot(path[i]![0] - path[i - 1]![0], path[i]![1] - path[i - 1]![1])
  return sum
}

/** Curves fitted to the path of a hand (Schneider 1990, by the library), followed in even steps. */
export function smoothed(path: readonly Point[], screenScale: number): Point[] {
  const curves = fitCurve(path.map(([x, y]) => [x, y]), (SMOOTHING / screenScale) ** 2)
  const result: Point[] = [path[0]!]
  for (const [a, b, c, d] of curves) {
    const steps = Math.max(1, Math.ceil((lengthOf([a, b, c, d]) * screenScale) / STEP))
    for (let k = 1; k <= steps; k++) {
      const t = k / steps
      const u = 1 - t
      const along = (i: 0 | 1) => u * u * u * a[i] + 3 * u * u * t * b[i] + 3 * u * t * t * c[i] + t * t * t * d[i]
      result.push([along(0), along(1)])
    }
  }
  return result
}
