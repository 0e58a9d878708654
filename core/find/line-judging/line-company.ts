import { ln } from '../../numbers/exact-math.js'
import { selectSmallest } from '../../numbers/statistics.js'
import { distanceOf, listAt } from '../lines/join-lines.js'
import type { Line } from '../lines/line-features.js'
import type { Alike, LinesAround, Neighbourhood } from './lines-around.js'

/** Fewer scores than so many around say nothing of what is usual there: as if all were hopeless. */
const FEW = 6
const HOPELESS = -8
/** Of those around, the shares that are told by the score that they do not reach. */
const SHARES = [0.5, 0.8, 0.95] as const

/** Lines of a close family: they run within six degrees of each other. */
const FAMILY: Alike = { width: 1.35, difference: 1.6, facing: 0.994, length: 0.25 }
/** Share of a line's strength from which on another counts among the strong ones around it. */
const STRONG = 0.4
/** Pixels that a way may stray and still be as straight as can be. */
const STEADY = 0.05

/**
 * What speaks for a line, or against it, in those around it: what usual scores are there, how it stands among them, and
 * what it crosses. Mortar joints end on each other and are all alike; a scratch runs across them and is like none.
 *
 * @param lines   All of a picture.
 * @param around  The same by where they lie.
 * @param scores  Of each, judged by itself.
 * @param asked   The lines that are asked for.
 * @returns As many numbers for each line asked for.
 */
export function companyOf(lines: readonly Line[], around: LinesAround, scores: readonly number[], asked: readonly number[]): number[][] {
  const comparison = new Comparison(around, scores)
  const crossings = new Crossings(lines, asked)
  return asked.map((i) => [...comparison.of(i), ...crossings.of(i)])
}

const logOfCount = (count: number) => ln(1 + count)

/** What is usual around lines, and how each stands among those. */
class Comparison {
  private readonly usual = new Map<Neighbourhood, readonly number[]>()
  private readonly room: Record<'width' | 'softness' | 'wiggle', Float32Array>

  constructor(private readonly around: LinesAround, private readonly scores: readonly number[]) {
    const room = () => new Float32Array(scores.length)
    this.room = { width: room(), softness: room(), wiggle: room() }
  }

  private usualScores(here: Neighbourhood): readonly number[] {
    let usual = this.usual.get(here)
    if (!usual) {
      const sorted = Float32Array.from(here.lines, (i) => this.scores[i]!).sort()
      usual = SHARES.map((share) => (sorted.length < FEW ? HOPELESS : sorted[Math.floor(share * sorted.length)]!))
      this.usual.set(here, usual)
    }
    return usual
  }

  of(i: number): number[] {
    const here = this.around.of(i)
    const { around: { length, width, difference, wiggle, softness, strength }, room } = this
    let [longer, straighter, family, strong] = [0, 0, 0, 0]
    for (let k = 0; k < here.lines.length; k++) {
      const j = here.lines[k]!
      if (j === i || difference[j]! * difference[i]! < 0) continue
      if (length[j]! >= length[i]!) {
        longer++
        if (wiggle[j]! <= wiggle[i]!) straighter++
      }
      if (this.around.isAlike(i, j, FAMILY)) family++
      if (strength[j]! < STRONG * strength[i]!) continue
      room.width[strong] = width[j]!
      room.softness[strong] = softness[j]!
      room.wiggle[strong] = wiggle[j]!
      strong++
    }
    const middle = (values: Float32Array) => selectSmallest(values, strong, strong >> 1)
    const beside = strong === 0 ? [0, 0, 0] : [ln(width[i]! / middle(room.width)), softness[i]! - middle(room.softness), ln((wiggle[i]! + STEADY) / (middle(room.wiggle) + STEADY))]
    return [...this.usualScores(here), logOfCount(here.lines.length), logOfCount(longer), logOfCount(straighter), logOfCount(family), logOfCount(strong), ...beside]
  }
}

/** Side of the cells in which points of lines are looked up, in pixels. */
const CELL = 16
/** More cells than there are in a row. */
const CELLS = 65536
const cellOf = (x: number, y: number) => Math.floor(y / CELL) * CELLS + Math.floor(x / CELL)
/** Shorter ones than so many pixels, and fainter ones than this share of a line's difference, are nothing that it crosses. */
const LEAST = { length: 12, difference: 0.25 } as const
/** Two lines meet where they are no further apart than so many pixels beside their widths, and part where they are so far. */
const MEET = 3
const PART = 6
/** How far to both sides of where it meets another a line is followed, in points and in pixels. */
const FOLLOWED = { points: 15, pixels: 30 } as const
/** Points before and after from which the direction of a line is taken. */
const REACH = 3
/** A line that ends on the one side and one that ends on the other are one that was crossed where they are so near. */
const ACROSS = 8

/** Where lines meet others. */
class Crossings {
  /** Points of lines as pairs of line and point, in cells where they are asked for. */
  private readonly cells = new Map<number, number[]>()

  constructor(private readonly lines: readonly Line[], asked: readonly number[]) {
    for (const i of asked) {
      for (const [x, y] of lines[i]!.points) {
        const cell = cellOf(x, y)
        for (let dy = -1; dy <= 1; dy++) for (let dx = -1; dx <= 1; dx++) listAt(this.cells, cell + dy * CELLS + dx)
      }
    }
    lines.forEach(({ points, length }, i) => {
      if (length < LEAST.length) return
      points.forEach(([x, y], k) => this.cells.get(cellOf(x, y))?.push(i, k))
    })
  }

  /** How many lines go on beyond both sides of a line, and how many beyond one only, as logarithms of one more. */
  of(i: number): [number, number] {
    const own = this.lines[i]!
    const { points } = own
    const crossed = new Set<number>()
    const ending = new Map<number, { side: number; at: number }>()
    let along = 0
    for (let k = 0; k < points.length; k++) {
      const [x, y] = points[k]!
      if (k > 0) along += distanceOf(points[k]!, points[k - 1]!)
      const [from, to] = [points[Math.max(0, k - REACH)]!, points[Math.min(points.length - 1, k + REACH)]!]
      const chord = Math.max(1e-6, distanceOf(from, to))
      const [dx, dy] = [(to[0] - from[0]) / chord, (to[1] - from[1]) / chord]
      const cell = cellOf(x, y)
      for (let v = -1; v <= 1; v++) {
        for (let u = -1; u <= 1; u++) {
          const near = this.cells.get(cell + v * CELLS + u) ?? []
          for (let n = 0; n < near.length; n += 2) {
            const j = near[n]!
            if (j === i || crossed.has(j)) continue
            const other = this.lines[j]!
            if (Math.abs(other.difference) < LEAST.difference * Math.abs(own.difference)) continue
            if (distanceOf(other.points[near[n + 1]!]!, points[k]!) > MEET + (own.width + other.width) / 2) continue
            const side = sidesOf(other.points, near[n + 1]!, x, y, -dy, dx, PART + own.width)
            if (side === 'both') crossed.add(j)
            else if (side !== 0 && !ending.has(j)) ending.set(j, { side, at: along })
          }
        }
      }
    }
    // A line that was traced in two pieces was crossed as well.
    const ends = [...ending.values()]
    let pairs = 0
    ends.forEach((a, k) => ends.slice(k + 1).forEach((b) => (pairs += a.side !== b.side && Math.abs(a.at - b.at) < ACROSS + own.width ? 1 : 0)))
    return [logOfCount(crossed.size + pairs), logOfCount(ending.size)]
  }
}

/** To which side of a place a line goes on from one of its points further than `far`: 1 or -1, both, or 0 for neither. */
function sidesOf(points: Line['points'], from: number, x: number, y: number, nx: number, ny: number, far: number): 'both' | 1 | -1 | 0 {
  let [least, most] = [0, 0]
  const last = Math.min(points.length - 1, from + FOLLOWED.points)
  for (let k = Math.max(0, from - FOLLOWED.points); k <= last; k++) {
    const [dx, dy] = [points[k]![0] - x, points[k]![1] - y]
    if (dx * dx + dy * dy > FOLLOWED.pixels * FOLLOWED.pixels) continue
    const side = dx * nx + dy * ny
    least = Math.min(least, side)
    most = Math.max(most, side)
  }
  if (most > far && least < -far) return 'both'
  if (most > far) return 1
  return least < -far ? -1 : 0
}
