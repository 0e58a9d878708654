import { type Plane, type Region } from '../raster/raster.js'

/** A disc; pixel centres lie at .5. */
export interface Disc {
  readonly type: 'disc'
  readonly x: number
  readonly y: number
  readonly r: number
}

/** A path of a given width. */
export interface Stroke {
  readonly type: 'stroke'
  readonly points: [number, number][]
  readonly width: number
}

/** A closed outline, with holes where the flaw leaves something out. */
export interface Outline {
  readonly type: 'outline'
  readonly points: [number, number][]
  readonly holes?: [number, number][][]
}

export type Shape = Disc | Stroke | Outline

/** Smallest rectangle of whole pixels that holds a shape. */
export function shapeBounds(shape: Shape): Region {
  let left: number, top: number, right: number, bottom: number
  if (shape.type === 'disc') {
    ;[left, top, right, bottom] = [shape.x - shape.r, shape.y - shape.r, shape.x + shape.r, shape.y + shape.r]
  } else {
    const grow = shape.type === 'stroke' ? shape.width / 2 : 0
    ;[left, top, right, bottom] = [Infinity, Infinity, -Infinity, -Infinity]
    for (const [x, y] of shape.points) {
      left = Math.min(left, x - grow)
      top = Math.min(top, y - grow)
      right = Math.max(right, x + grow)
      bottom = Math.max(bottom, y + grow)
    }
  }
  const x = Math.floor(left)
  const y = Math.floor(top)
  return { x, y, width: Math.max(1, Math.ceil(right) - x), height: Math.max(1, Math.ceil(bottom) - y) }
}

/** Middle of a shape and the radius of the disc of its size; what a list shows and a source is moved by. */
export function shapeCentre(shape: Shape): { x: number; y: number; r: number } {
  if (shape.type === 'disc') return { x: shape.x, y: shape.y, r: shape.r }
  const bounds = shapeBounds(shape)
  return { x: bounds.x + bounds.width / 2, y: bounds.y + bounds.height / 2, r: Math.max(bounds.width, bounds.height) / 2 }
}

/** The same shape moved by a number of pixels. */
export function moveShape<S extends Shape>(shape: S, dx: number, dy: number): S {
  const move = (points: [number, number][]) => points.map(([x, y]): [number, number] => [x + dx, y + dy])
  if (shape.type === 'disc') return { ...shape, x: shape.x + dx, y: shape.y + dy }
  if (shape.type === 'stroke') return { ...shape, points: move(shape.points) }
  return { ...shape, points: move(shape.points), ...(shape.holes ? { holes: shape.holes.map(move) } : {}) }
}

/**
 * How far each pixel centre lies outside a shape, in pixels; negative inside.
 *
 * @param region  Where to measure.
 * @returns A plane of the region's size.
 */
export function distanceOutside(shape: Shape, region: Region): Plane {
  const data = new Float32Array(region.width * region.height)
  const rings = shape.type === 'outline' ? [shape.points, ...(shape.holes ?? [])] : []
  for (let y = 0; y < region.height; y++) {
    const py = region.y + y + 0.5
    for (let x = 0; x < region.width; x++) {
      const px = region.x + x + 0.5
      let distance: number
      if (shape.type === 'disc') distance = Math.sqrt((px - shape.x) * (px - shape.x) + (py - shape.y) * (py - shape.y)) - shape.r
      else if (shape.type === 'stroke') distance = distanceToPath(shape.points, px, py, false) - shape.width / 2
      else {
        let inside = false
        let nearest = Infinity
        for (const ring of rings) {
          if (crossesOdd(ring, px, py)) inside = !inside
          nearest = Math.min(nearest, distanceToPath(ring, px, py, true))
        }
        distance = inside ? -nearest : nearest
      }
      data[y * region.width + x] = distance
    }
  }
  return { width: region.width, height: region.height, data }
}

function distanceToPath(points: readonly (readonly [number, number])[], x: number, y: number, closed: boolean): number {
  let best = Infinity
  const count = points.length
  if (count === 1) return Math.sqrt((x - points[0]![0]) ** 2 + (y - points[0]![1]) ** 2)
  for (let i = closed ? 0 : 1; i < count; i++) {
    const [ax, ay] = points[(i + count - 1) % count]!
    const [bx, by] = points[i]!
    const dx = bx - ax
    const dy = by - ay
    const length = dx * dx + dy * dy
    const t = length === 0 ? 0 : Math.max(0, Math.min(1, ((x - ax) * dx + (y - ay) * dy) / length))
    const ex = x - ax - t * dx
    const ey = y - ay - t * dy
    best = Math.min(best, ex * ex + ey * ey)
  }
  return Math.sqrt(best)
}

function crossesOdd(ring: readonly (readonly [number, number])[], x: number, y: number): boolean {
  let odd = false
  for (let i = 0, j = ring.length - 1; i < ring.length; j = i++) {
    const [ax, ay] = ring[i]!
    const [bx, by] = ring[j]!
    if (ay > y !== by > y && x < ((bx - ax) * (y - ay)) / (by - ay) + ax) odd = !odd
  }
  return odd
}

export type Fade = 'linear' | 'smooth'

/**
 * How much of a mend each pixel takes: 1 well inside, falling to 0 over the soft edge, which lies half on either side
 * of the outline. A smooth fade is level at both ends, so that no line shows.
 *
 * @param distance    From `distanceOutside`.
 * @param softEdgePx  Width of the fading, 0 or more; never narrower than one pixel.
 * @param fade        Course of the fading: `linear` belongs to the first version of heal and clone.
 */
export function coverage(distance: Plane, softEdgePx: number, fade: Fade): Plane {
  const width = Math.max(1, softEdgePx)
  const data = new Float32Array(distance.data.length)
  for (let i = 0; i < data.length; i++) {
    const t = Math.max(0, Math.min(1, 0.5 - distance.data[i]! / width))
    data[i] = fade === 'smooth' ? t * t * (3 - 2 * t) : t
  }
  return { width: distance.width, height: distance.height, data }
}

/** Whether one shape lies within so many times the other's radius of it: near enough to matter to its mend. */
export function shapesReach(a: Shape, b: Shape, radii: number): boolean {
  const first = shapeCentre(a)
  const second = shapeCentre(b)
  const reach = radii * second.r + first.r
  return Math.abs(first.x - second.x) < reach && Math.abs(first.y - second.y) < reach
}
