import { cos, PI, sin } from '../../numbers/exact-math.js'
import type { Placement, Sheet } from './sheet.js'
import { mainAxis, rawEdge, type EdgePoint } from './torn-edge.js'

/**
 * Straight borders of a print. A tear runs across them, so that in both pieces a border is part of one line: that tells how
 * far a piece lies along a tear that itself has few features, and how it is turned.
 */
export interface Border {
  /** Its ends, in pixels of the scan. */
  readonly ends: readonly [readonly [number, number], readonly [number, number]]
  /** Unit vector that leads out of the piece. */
  readonly nx: number
  readonly ny: number
  readonly length: number
}

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
  let line: { x: number; y: number; nx: number; ny: number } = { x: seed.x, y: seed.y, nx: seed.nx, ny: seed.ny }
  let on: Point[] = []
  for (let reach = 0.06 * side; reach < 2.5 * side; reach *= 1.6) {
    on = points.filter((point) => point.nx * line.nx + point.ny * line.ny > AGREE && Math.abs((point.x - line.x) * line.nx + (point.y - line.y) * line.ny) <= straight && Math.abs((point.x - seed.x) * line.ny - (point.y - seed.y) * line.nx) <= reach)
    if (on.length < 10) return null
    const axis = mainAxis(on)
    const outward = axis.y * line.nx - axis.x * line.ny >= 0 ? 1 : -1
    let [x, y] = [0, 0]
    for (const point of on) {
      x += point.x / on.length
      y += point.y / on.length
    }
    line = { x, y, nx: axis.y * outward, ny: -axis.x * outward }
  }
  const along = on.map((point) => (point.x - line.x) * line.ny - (point.y - line.y) * line.nx)
  const [from, to] = [Math.min(...along), Math.max(...along)]
  const length = to - from
  if (length < LEAST_SHARE * side || on.length < SEEN_SHARE * length) return null
  const at = (t: number) => [line.x + t * line.ny, line.y - t * line.nx] as const
  return { border: { ends: [at(from), at(to)], nx: line.nx, ny: line.ny, length }, on: new Set(on) }
}

/** Two borders are of one line where their normals agree by this cosine and they lie one after the other. */
const ONE_LINE = 0.99
const MOST_OVERLAP = 0.15

/**
 * How far borders of a piece run on in borders of a base.
 *
 * @param level  Pixels of the scan in a pixel of the level.
 * @param wide   So far apart, in pixels of the level, two borders are no longer of one line.
 * @returns Length of the shorter border of each pair, in pixels of the level, by how well they lie on one line.
 */
export function runOn(base: readonly Border[], piece: readonly Border[], pivot: { readonly x: number; readonly y: number }, { turnDegrees, dx, dy }: Placement, level: number, wide: number): number {
  const [c, s] = [cos((turnDegrees * PI) / 180), sin((turnDegrees * PI) / 180)]
  let sum = 0
  for (const own of piece) {
    const [nx, ny] = [c * own.nx - s * own.ny, s * own.nx + c * own.ny]
    for (const other of base) {
      if (nx * other.nx + ny * other.ny < ONE_LINE) continue
      const [from, to] = other.ends
      const [ux, uy] = [(to[0] - from[0]) / other.length, (to[1] - from[1]) / other.length]
      const places = own.ends.map(([x, y]) => {
        const [px, py] = [pivot.x + c * (x - pivot.x) - s * (y - pivot.y) + dx * level - from[0], pivot.y + s * (x - pivot.x) + c * (y - pivot.y) + dy * level - from[1]]
        return { along: px * ux + py * uy, off: (px * other.nx + py * other.ny) / level }
      })
      const [first, last] = places[0]!.along < places[1]!.along ? [places[0]!, places[1]!] : [places[1]!, places[0]!]
      const shorter = Math.min(own.length, other.length)
      if (Math.min(last.along, other.length) - Math.max(first.along, 0) > MOST_OVERLAP * shorter) continue
      // The end that is nearer to the other border must lie on its line, the far one within what a short line tells of its direction.
      const [near, far] = last.along < other.length / 2 ? [last, first] : [first, last]
      const stray = (near.off / wide) ** 2 + ((far.off - near.off) / (2 * wide)) ** 2
      if (stray < 1) sum += (shorter / level) * (1 - stray) ** 2
    }
  }
  return sum
}
