import { roundTo } from '../round.js'
import { PI } from '../numbers/exact-math.js'
import { type Plane, type Region } from '../raster/raster.js'
import { distancesToPaths, insideRings, nearestOf, segmentsOf, visitParts, type Path } from './path-distance.js'

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

const knownBounds = new WeakMap<Shape, Region>()

/** Smallest rectangle of whole pixels that holds a shape. */
export function shapeBounds(shape: Shape): Region {
  const known = knownBounds.get(shape)
  if (known) return known
  const bounds = boundsOf(shape)
  // Shapes are never changed; those with thousands of corners are asked again and again.
  if (shape.type !== 'disc') knownBounds.set(shape, bounds)
  return bounds
}

function boundsOf(shape: Shape): Region {
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

/** Area in square pixels: of a stroke its length times its width with round ends, of an outline less its holes. */
export function shapeArea(shape: Shape): number {
  switch (shape.type) {
    case 'disc': return PI * shape.r * shape.r
    case 'stroke': {
      let length = 0
      shape.points.forEach(([x, y], i) => {
        const [px, py] = shape.points[Math.max(0, i - 1)]!
        length += Math.sqrt((x - px) ** 2 + (y - py) ** 2)
      })
      return length * shape.width + (PI * shape.width * shape.width) / 4
    }
    case 'outline': return polygonArea(shape.points) - (shape.holes ?? []).reduce((sum, hole) => sum + polygonArea(hole), 0)
  }
}

/** The shoelace formula. */
function polygonArea(points: readonly (readonly [number, number])[]): number {
  let sum = 0
  points.forEach(([x, y], i) => {
    const [px, py] = points[(i + points.length - 1) % points.length]!
    sum += px * y - x * py
  })
  return Math.abs(sum) / 2
}

/** The same shape moved by a number of pixels. */
export function moveShape<S extends Shape>(shape: S, dx: number, dy: number): S {
  const move = (points: [number, number][]) => points.map(([x, y]): [number, number] => [x + dx, y + dy])
  if (shape.type === 'disc') return { ...shape, x: shape.x + dx, y: shape.y + dy }
  if (shape.type === 'stroke') return { ...shape, points: move(shape.points) }
  return { ...shape, points: move(shape.points), ...(shape.holes ? { holes: shape.holes.map(move) } : {}) }
}

/** The same shape in a picture so many times as large. */
export function scaleShape<S extends Shape>(shape: S, by: number): S {
  const all = (points: [number, number][]) => points.map(([x, y]): [number, number] => [x * by, y * by])
  if (shape.type === 'disc') return { ...shape, x: shape.x * by, y: shape.y * by, r: shape.r * by }
  if (shape.type === 'stroke') return { ...shape, points: all(shape.points), width: shape.width * by }
  return { ...shape, points: all(shape.points), ...(shape.holes ? { holes: shape.holes.map(all) } : {}) }
}

/**
 * How far each pixel centre lies outside a shape, in pixels; negative inside.
 *
 * @param region   Where to measure.
 * @param reachPx  Distances are exact up to this; further away they are at least this. Paths of many points cost far less
 *                 with a small reach.
 * @param depthPx  Inside a stroke they are exact as deep as this; deeper they are at least as deep.
 * @returns A plane of the region's size.
 */
export function distanceOutside(shape: Shape, region: Region, reachPx = Infinity, depthPx = Infinity): Plane {
  const { width, height } = region
  const data = new Float32Array(width * height)
  if (shape.type === 'disc') {
    for (let y = 0; y < height; y++) {
      const dy = region.y + y + 0.5 - shape.y
      for (let x = 0; x < width; x++) {
        const dx = region.x + x + 0.5 - shape.x
        data[y * width + x] = Math.sqrt(dx * dx + dy * dy) - shape.r
      }
    }
    return { width, height, data }
  }
  if (shape.type === 'stroke') {
    const half = shape.width / 2
    distancesToPaths([shape.points], false, region, reachPx + half, half - depthPx, data)
    for (let i = 0; i < data.length; i++) data[i]! -= half
    return { width, height, data }
  }
  const rings = ringsOf(shape)
  distancesToPaths(rings, true, region, reachPx, -Infinity, data)
  const inside = insideRings(rings, region)
  for (let i = 0; i < data.length; i++) if (inside[i]) data[i] = -data[i]!
  return { width, height, data }
}

const ringsOf = (outline: Outline): Path[] => [outline.points, ...(outline.holes ?? [])]

/** 1 for each pixel of a region whose centre lies inside an outline; its border needs no distances. */
export function insideOutline(outline: Outline, region: Region): Uint8Array {
  return insideRings(ringsOf(outline), region)
}

/** How far a point lies outside a shape, in pixels; negative inside. */
export function distanceAt(shape: Shape, x: number, y: number): number {
  return distanceOutside(shape, { x: x - 0.5, y: y - 0.5, width: 1, height: 1 }).data[0]!
}

/** The contour of a stroke: along one side, round its end, back along the other, round its start. */
export function strokeContour(stroke: Stroke): [number, number][] {
  const half = stroke.width / 2
  const points = stroke.points.filter(([x, y], i) => i === 0 || x !== stroke.points[i - 1]![0] || y !== stroke.points[i - 1]![1])
  const side: { x: number; y: number; dx: number; dy: number }[] = points.map(([x, y], i) => {
    const [ax, ay] = points[Math.max(0, i - 1)]!
    const [bx, by] = points[Math.min(points.length - 1, i + 1)]!
    const length = Math.sqrt((bx - ax) * (bx - ax) + (by - ay) * (by - ay)) || 1
    return { x, y, dx: (bx - ax) / length, dy: (by - ay) / length }
  })
  if (points.length === 1) side[0]!.dx = 1
  const beside = ({ x, y, dx, dy }: (typeof side)[number], sign: 1 | -1): [number, number] => [x + sign * dy * half, y - sign * dx * half]
  const cap = ({ x, y, dx, dy }: (typeof side)[number], sign: 1 | -1): [number, number][] =>
    CAP.map(([along, across]) => [x + sign * half * (along * dx + across * dy), y + sign * half * (along * dy - across * dx)])
  return [...side.map((at) => beside(at, 1)), ...cap(side.at(-1)!, 1), ...side.map((at) => beside(at, -1)).reverse(), ...cap(side[0]!, -1)]
}

/** Half a circle in five steps: along the end of a stroke and across it. */
const CAP = [[0.5, 0.866], [0.866, 0.5], [1, 0], [0.866, -0.5], [0.5, -0.866]] as const

const knownThickness = new WeakMap<Outline, number>()

/** Half the width of a shape where it is thickest, in pixels. */
export function shapeThickness(shape: Shape): number {
  if (shape.type === 'disc') return shape.r
  if (shape.type === 'stroke') return shape.width / 2
  const known = knownThickness.get(shape)
  if (known !== undefined) return known
  const thickness = deepestInside(shape)
  // Shapes are never changed, and all that mends one asks for this.
  knownThickness.set(shape, thickness)
  return thickness
}

/** How far within an outline the pixel lies that is furthest from its border. */
function deepestInside(outline: Outline): number {
  const region = shapeBounds(outline)
  const rings = ringsOf(outline)
  const inside = insideRings(rings, region)
  const segments = segmentsOf(rings, true)
  let deepest = 0
  visitParts(segments, region, Infinity, {
    skip: (left, top, width, height, furthest) => {
      if (furthest <= deepest) return true
      for (let y = top; y < top + height; y++) for (let x = left; x < left + width; x++) if (inside[y * region.width + x]) return false
      return true
    },
    leaf: (left, top, width, height, nearest) => {
      for (let y = top; y < top + height; y++) {
        for (let x = left; x < left + width; x++) {
          if (inside[y * region.width + x]) deepest = Math.max(deepest, nearestOf(segments, nearest, region.x + x + 0.5, region.y + y + 0.5, Infinity))
        }
      }
    },
  })
  return Math.fround(deepest)
}

/**
 * How much of a mend each pixel takes: 1 well inside, falling to 0 over the soft edge, which lies half on either side
 * of the outline. The fade is level at both ends, so that no line shows.
 *
 * @param distance    From `distanceOutside`.
 * @param softEdgePx  Width of the fading, 0 or more; never narrower than one pixel.
 */
export function coverage(distance: Plane, softEdgePx: number): Plane {
  const width = Math.max(1, softEdgePx)
  const data = new Float32Array(distance.data.length)
  for (let i = 0; i < data.length; i++) {
    const t = Math.max(0, Math.min(1, 0.5 - distance.data[i]! / width))
    data[i] = t * t * (3 - 2 * t)
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

/** A shape to a hundredth of a pixel: what a document of thousands of flaws need not carry further. */
export function roundedShape(shape: Shape): Shape {
  const points = (list: readonly (readonly [number, number])[]) => list.map(([x, y]): [number, number] => [roundTo(x, 2), roundTo(y, 2)])
  switch (shape.type) {
    case 'disc': return { type: 'disc', x: roundTo(shape.x, 2), y: roundTo(shape.y, 2), r: roundTo(shape.r, 2) }
    case 'stroke': return { type: 'stroke', points: points(shape.points), width: roundTo(shape.width, 2) }
    case 'outline': return { type: 'outline', points: points(shape.points), ...(shape.holes ? { holes: shape.holes.map(points) } : {}) }
  }
}
