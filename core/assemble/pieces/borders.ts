import type { Sheet } from './sheet.js'
import { mainAxis, rawEdge, type EdgePoint } from './torn-edge.js'

/**
 * Straight borders of a print. A tear runs across them, so that in both pieces a border is part of one line: that tells how
 * far a piece lies along a tear that itself has few features, and how it is turned.
 */
export interface Border {
  /** Its ends, in pixels of the scan; on the way from one to the other what is outside lies to the right, as on screen. */
  readonly from: Place
  readonly to: Place
  readonly length: number
}

type Place = readonly [number, number]

/** A border is straight to so many pixels, or this share of the piece's longer side. */
const [STRAIGHT_PX, STRAIGHT_SHARE] = [1.2, 0.0012]
/** It is at least this share of the longer side long, and seen on this share of its length. */
const [LEAST_SHARE, SEEN_SHARE] = [0.12, 0.8]
/** It is looked for from so many of the edge points on. */
const SEEDS = 160
const GOLDEN = (Math.sqrt(5) - 1) / 2
/** Normals of one border agree by this cosine. */
const AGREE = 0.94

/** Of the whole outline: how torn it is does not matter here. */
type Point = Omit<EdgePoint, 'torn'>

const kept = new WeakMap<Uint8Array, Border[]>()

/** The straight borders of a piece, the longest first. A tear that is straight is one too; it runs on in nothing. */
export function bordersOf(sheet: Sheet): readonly Border[] {
  const known = kept.get(sheet.mask)
  if (known) return known
  const side = Math.max(sheet.width, sheet.height)
  const straight = Math.max(STRAIGHT_PX, STRAIGHT_SHARE * side)
  let points: Point[] = rawEdge(sheet)
  const found: { border: Border; on: Set<Point> }[] = []
  for (let k = 0; k < Math.min(SEEDS, points.length); k++) {
    // Spread by the golden ratio: points stand row by row, and even steps would meet one side of the piece alone.
    const one = grown(points, points[Math.floor(((k * GOLDEN) % 1) * points.length)]!, straight, side)
    if (one) found.push(one)
  }
  const borders: Border[] = []
  for (;;) {
    const best = found.reduce<(typeof found)[number] | null>((longest, one) => (longest && longest.border.length >= one.border.length ? longest : one), null)
    if (!best) break
    borders.push(best.border)
    points = points.filter((point) => !best.on.has(point))
    // What shares most of its points with it is the same border.
    for (let k = found.length - 1; k >= 0; k--) {
      const shared = [...found[k]!.on].filter((point) => best.on.has(point)).length
      if (shared > 0.2 * found[k]!.on.size) found.splice(k, 1)
    }
  }
  kept.set(sheet.mask, borders)
  return borders
}

/** The border that runs through an edge point: a line through what is near, longer as long as it stays straight. */
function grown(points: readonly Point[], seed: Point, straight: number, side: number): { border: Border; on: Set<Point> } | null {
  let line: { x: number; y: number; nx: number; ny: number } = seed
  let on: Point[] = []
  for (let reach = 0.06 * side; reach < 2.5 * side; reach *= 1.6) {
    on = points.filter((point) => point.nx * line.nx + point.ny * line.ny > AGREE && Math.abs((point.x - line.x) * line.nx + (point.y - line.y) * line.ny) <= straight && Math.abs((point.x - seed.x) * line.ny - (point.y - seed.y) * line.nx) <= reach)
    if (on.length < 10) return null
    const { x, y, middle } = mainAxis(on)
    const outward = y * line.nx - x * line.ny >= 0 ? 1 : -1
    line = { ...middle, nx: y * outward, ny: -x * outward }
  }
  const along = on.map((point) => (point.x - line.x) * line.ny - (point.y - line.y) * line.nx)
  const [from, to] = [Math.min(...along), Math.max(...along)]
  const length = to - from
  if (length < LEAST_SHARE * side || on.length < SEEN_SHARE * length) return null
  const at = (t: number) => [line.x + t * line.ny, line.y - t * line.nx] as const
  return { border: { from: at(from), to: at(to), length }, on: new Set(on) }
}

/** Two borders are of one line where their directions agree by this cosine and they lie one after the other. */
const ONE_LINE = 0.99
const MOST_OVERLAP = 0.15

/**
 * How far borders of a piece run on in borders of a base.
 *
 * @param place  Where a place of the piece comes to lie on the base.
 * @param wide   So far apart, in pixels of the scan, two borders are no longer of one line.
 * @returns Length of the shorter border of each pair, in pixels of the scan, by how well they lie on one line.
 */
export function runOn(base: readonly Border[], piece: readonly Border[], place: (x: number, y: number) => Place, wide: number): number {
  let sum = 0
  for (const own of piece) {
    const [first, last] = [place(...own.from), place(...own.to)]
    for (const other of base) {
      const [ux, uy] = [(other.to[0] - other.from[0]) / other.length, (other.to[1] - other.from[1]) / other.length]
      if ((last[0] - first[0]) * ux + (last[1] - first[1]) * uy < ONE_LINE * own.length) continue
      const [start, end] = [first, last].map(([x, y]) => ({ along: (x - other.from[0]) * ux + (y - other.from[1]) * uy, off: (y - other.from[1]) * ux - (x - other.from[0]) * uy })) as [OnLine, OnLine]
      const shorter = Math.min(own.length, other.length)
      if (Math.min(end.along, other.length) - Math.max(start.along, 0) > MOST_OVERLAP * shorter) continue
      // The end that is nearer to the other border must lie on its line, the far one within what a short line tells of its direction.
      const [near, far] = end.along < other.length / 2 ? [end, start] : [start, end]
      const stray = (near.off / wide) ** 2 + ((far.off - near.off) / (2 * wide)) ** 2
      if (stray < 1) sum += shorter * (1 - stray) ** 2
    }
  }
  return sum
}

/** Where an end lies beside a border: along it from its first end, and off its line. */
interface OnLine { readonly along: number; readonly off: number }
