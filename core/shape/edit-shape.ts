import clipping from 'polygon-clipping'
import { PI, cos, sin } from '../numbers/exact-math.js'
import { roundTo } from '../round.js'
import { shapeBounds, type Disc, type Outline, type Shape, type Stroke } from './shape.js'

type Point = [number, number]
type Polygon = Point[][]

/** Corners of the polygon that stands for a disc or the round end of a stroke. */
const CORNERS = 32
/** Smaller crumbs that clipping leaves are no flaw, square pixels. */
const LEAST_AREA = 2

/** A shape and another laid over it, as one; pieces that do not touch stay apart. The largest comes first. */
export function addToShape(shape: Shape, added: Shape): Outline[] {
  return outlinesOf(clipping.union(polygonsOf(shape), polygonsOf(added)))
}

/** What is left of a shape without another: nothing, one piece or several. The largest comes first. */
export function takeFromShape(shape: Shape, taken: Shape): Outline[] {
  return outlinesOf(clipping.difference(polygonsOf(shape), polygonsOf(taken)))
}

/**
 * Cut a stroke in two where it comes nearest to a point.
 *
 * @returns Both parts from the start to the end; null where one of them would be shorter than half the width.
 */
export function splitStroke(stroke: Stroke, x: number, y: number): [Stroke, Stroke] | null {
  const { points, width } = stroke
  let nearest = Infinity
  let at = 0
  let cut: Point = points[0]!
  for (let i = 1; i < points.length; i++) {
    const [ax, ay] = points[i - 1]!
    const [bx, by] = points[i]!
    const length = (bx - ax) * (bx - ax) + (by - ay) * (by - ay)
    const t = length === 0 ? 0 : Math.max(0, Math.min(1, ((x - ax) * (bx - ax) + (y - ay) * (by - ay)) / length))
    const place: Point = [round(ax + t * (bx - ax)), round(ay + t * (by - ay))]
    const away = (place[0] - x) * (place[0] - x) + (place[1] - y) * (place[1] - y)
    if (away < nearest) {
      nearest = away
      at = i
      cut = place
    }
  }
  const first = { ...stroke, points: distinct([...points.slice(0, at), cut]) }
  const second = { ...stroke, points: distinct([cut, ...points.slice(at)]) }
  return lengthOf(first) < width / 2 || lengthOf(second) < width / 2 ? null : [first, second]
}

/** Two strokes as one, by the ends that lie nearest to one another, with the width of the wider. */
export function joinStrokes(a: Stroke, b: Stroke): Stroke {
  const ways: [Point[], Point[]][] = [[a.points, b.points], [a.points, reversed(b)], [reversed(a), b.points], [reversed(a), reversed(b)]]
  const gap = ([first, second]: [Point[], Point[]]) => between(first.at(-1)!, second[0]!)
  const [first, second] = ways.reduce((best, way) => (gap(way) < gap(best) ? way : best))
  return { type: 'stroke', points: distinct([...first, ...second]), width: Math.max(a.width, b.width) }
}

/** A stroke of a spot's width that starts in the spot and follows a path. */
export function strokeFromSpot(spot: Disc, path: readonly Point[]): Stroke {
  return { type: 'stroke', points: distinct([[spot.x, spot.y], ...path]), width: roundTo(2 * spot.r, 1) }
}

/** The same shape so many times as wide: radius of a disc, width of a stroke, outline about its middle. */
export function widenShape(shape: Shape, by: number): Shape {
  if (shape.type === 'disc') return { ...shape, r: Math.max(0.5, round(shape.r * by)) }
  if (shape.type === 'stroke') return { ...shape, width: Math.max(0.5, round(shape.width * by)) }
  const { x, y, width, height } = shapeBounds(shape)
  const all = (points: Point[]) => points.map(([px, py]): Point => [round(x + width / 2 + (px - x - width / 2) * by), round(y + height / 2 + (py - y - height / 2) * by)])
  return { ...shape, points: all(shape.points), ...(shape.holes ? { holes: shape.holes.map(all) } : {}) }
}

const between = ([ax, ay]: Point, [bx, by]: Point) => Math.sqrt((ax - bx) * (ax - bx) + (ay - by) * (ay - by))
const reversed = ({ points }: Stroke) => [...points].reverse()
const round = (value: number) => roundTo(value, 1)
const distinct = (points: readonly Point[]) => points.filter((point, i) => i === 0 || point[0] !== points[i - 1]![0] || point[1] !== points[i - 1]![1])

function lengthOf({ points }: Stroke): number {
  return points.slice(1).reduce((sum, [x, y], i) => sum + between([x, y], points[i]!), 0)
}

function polygonsOf(shape: Shape): Polygon[] {
  if (shape.type === 'outline') return [[shape.points, ...(shape.holes ?? [])]]
  if (shape.type === 'disc') return [[circle(shape.x, shape.y, shape.r)]]
  const half = shape.width / 2
  const parts: Polygon[] = shape.points.map(([x, y]) => [circle(x, y, half)])
  for (let i = 1; i < shape.points.length; i++) {
    const [ax, ay] = shape.points[i - 1]!
    const [bx, by] = shape.points[i]!
    const length = between([ax, ay], [bx, by])
    if (length === 0) continue
    const nx = (-(by - ay) / length) * half
    const ny = ((bx - ax) / length) * half
    parts.push([[[ax + nx, ay + ny], [bx + nx, by + ny], [bx - nx, by - ny], [ax - nx, ay - ny]]])
  }
  return clipping.union(parts[0]!, ...parts.slice(1)) as Polygon[]
}

/** A polygon round a circle whose area is that of the circle. */
function circle(x: number, y: number, r: number): Point[] {
  const step = (2 * PI) / CORNERS
  const reach = r * Math.sqrt(step / sin(step))
  return Array.from({ length: CORNERS }, (_value, k): Point => [x + reach * cos(k * step), y + reach * sin(k * step)])
}

function outlinesOf(polygons: Polygon[]): Outline[] {
  return polygons
    .map((rings) => rings.map((ring) => distinct(ring.slice(0, -1).map(([x, y]): Point => [round(x), round(y)]))))
    .filter((rings) => rings[0]!.length >= 3 && Math.abs(areaOf(rings[0]!)) >= LEAST_AREA)
    .sort((a, b) => Math.abs(areaOf(b[0]!)) - Math.abs(areaOf(a[0]!)))
    .map(([points, ...holes]): Outline => {
      const kept = holes.filter((hole) => hole.length >= 3 && Math.abs(areaOf(hole)) >= LEAST_AREA)
      return { type: 'outline', points: points!, ...(kept.length > 0 ? { holes: kept } : {}) }
    })
}

function areaOf(ring: readonly Point[]): number {
  return ring.reduce((sum, [x, y], i) => sum + ring.at(i - 1)![0] * y - x * ring.at(i - 1)![1], 0) / 2
}
