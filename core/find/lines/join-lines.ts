import { ln } from '../../numbers/exact-math.js'
import { PlaceIndex, squareAround } from '../../shape/place-index.js'
import type { LinePiece } from './lines.js'

/**
 * Put pieces together that go on in each other: over the edges of tiles, and where a line fades out and comes back.
 *
 * Two ends are joined when they lie close for the lines' length, look at each other, and are alike in tone and width.
 */
export function joinPieces(pieces: readonly LinePiece[]): LinePiece[] {
  return chainsOf(pieces).map((chain) => {
    const list = chain.map(({ index, reversed }) => {
      const piece = pieces[index]!
      return reversed ? { ...piece, points: [...piece.points].reverse() } : piece
    })
    return list.length === 1 ? list[0]! : together(list)
  })
}

/** A piece in a chain of pieces, and whether it is run through from its last point to its first. */
interface Link {
  readonly index: number
  readonly reversed: boolean
}

/**
 * Which pieces go on in which: each end in one other at most, the best of all offers first; a piece that goes on in none is a
 * chain of its own.
 */
function chainsOf(pieces: readonly LinePiece[]): Link[][] {
  const ends = pieces.flatMap((piece, index): End[] => SIDES.map((side) => ({ index, side, ...tipOf(piece, side) })))
  const byPlace = new PlaceIndex(ends, ({ x, y }) => [{ x, y, width: 0, height: 0 }])
  const offers: { a: End; b: End; price: number }[] = []
  for (const a of ends) {
    for (const b of byPlace.near(squareAround(a.x, a.y, WIDEST_GAP))) {
      if (b.index <= a.index) continue
      const price = joinCost(pieces[a.index]!, a, pieces[b.index]!, b)
      if (price < 1) offers.push({ a, b, price })
    }
  }
  offers.sort((p, q) => p.price - q.price || p.a.index - q.a.index || p.b.index - q.b.index)
  const partner = new Map<End, End>()
  const chainOf = pieces.map((_piece, i) => i)
  const rootOf = (i: number): number => (chainOf[i] === i ? i : (chainOf[i] = rootOf(chainOf[i]!)))
  for (const { a, b } of offers) {
    if (partner.has(a) || partner.has(b) || rootOf(a.index) === rootOf(b.index)) continue
    partner.set(a, b)
    partner.set(b, a)
    chainOf[rootOf(a.index)] = rootOf(b.index)
  }
  const done = new Set<number>()
  const chains: Link[][] = []
  for (const first of ends) {
    if (done.has(first.index) || partner.has(first)) continue
    const chain: Link[] = []
    for (let end: End | undefined = first; end; end = partner.get(ends[2 * end.index + (end.side === 'first' ? 1 : 0)]!)) {
      done.add(end.index)
      chain.push({ index: end.index, reversed: end.side === 'last' })
    }
    chains.push(chain)
  }
  return chains
}

const SIDES = ['first', 'last'] as const

/** An end of a line. */
interface Tip {
  readonly x: number
  readonly y: number
  /** Unit vector outward. */
  readonly dx: number
  readonly dy: number
}

interface End extends Tip {
  readonly index: number
  readonly side: (typeof SIDES)[number]
}

function tipOf(piece: LinePiece, side: End['side']): Tip {
  const { points } = piece
  const tip = points[side === 'first' ? 0 : points.length - 1]!
  let back = points[side === 'first' ? points.length - 1 : 0]!
  if (!isStraight(piece)) {
    const reach = Math.max(16, 3 * piece.width)
    const step = side === 'first' ? 1 : -1
    for (let k = side === 'first' ? 0 : points.length - 1; k >= 0 && k < points.length; k += step) {
      if (distanceOf(points[k]!, tip) <= reach) continue
      back = points[k]!
      break
    }
  }
  const length = Math.max(1e-9, distanceOf(tip, back))
  return { x: tip[0], y: tip[1], dx: (tip[0] - back[0]) / length, dy: (tip[1] - back[1]) / length }
}

/** Ends are joined over so many pixels at most. */
const WIDEST_GAP = 60
/** Cosine of the turn between two ends that may be of one line, and of the way from one to the other at least. */
const FACING = 0.8
const TOWARD = 0.85

/** How two ends lie to each other, or null where they are not of one line. */
export function meeting(p: LinePiece, a: Tip, q: LinePiece, b: Tip, most: number): { gap: number; facing: number; toward: number } | null {
  if (p.difference * q.difference < 0 || !between(p.width / q.width, 2.6)) return null
  const gap = Math.sqrt((a.x - b.x) ** 2 + (a.y - b.y) ** 2)
  const facing = -(a.dx * b.dx + a.dy * b.dy)
  if (gap > most || facing < FACING) return null
  // Over a gap both ends must point at each other; side by side they would be two lines.
  const toward = gap < 4 ? 1 : Math.min((b.x - a.x) * a.dx + (b.y - a.y) * a.dy, (a.x - b.x) * b.dx + (a.y - b.y) * b.dy) / gap
  return toward < TOWARD ? null : { gap, facing, toward }
}

/** Below 1 two ends are taken for the same line; the less the better. */
function joinCost(p: LinePiece, a: Tip, q: LinePiece, b: Tip): number {
  const straight = isStraight(p) && isStraight(q)
  const most = Math.min(WIDEST_GAP, Math.max(6, 2 * Math.max(p.width, q.width), (straight ? 0.8 : 0.35) * Math.min(p.length, q.length)))
  const met = meeting(p, a, q, b, most)
  if (!met) return Infinity
  const unlike = Math.abs(ln(p.difference / q.difference))
  // What runs straight up to its end and straight on from there in another direction is two lines that meet.
  const bend = straight ? 20 : 4
  return 0.5 * (met.gap / most) + bend * (1 - met.facing) + 1.5 * (1 - met.toward) + 0.5 * unlike
}

/** Furthest that a straight line is looked for beyond its end, never further than both are long, and how far it may lie aside, in pixels. */
const BEYOND = { most: 200, aside: 3 } as const

/** Whether a straight line is another straight one gone on with, over a stretch where neither shows. */
export function goesOn(p: LinePiece, q: LinePiece): boolean {
  if (p.difference * q.difference < 0 || !between(p.width / q.width, 2) || !isStraight(p) || !isStraight(q)) return false
  const most = Math.min(BEYOND.most, p.length + q.length)
  const apart = Math.min(...[p.points[0]!, p.points.at(-1)!].flatMap((tip) => [distanceOf(tip, q.points[0]!), distanceOf(tip, q.points.at(-1)!)]))
  if (apart > most + BEYOND.aside) return false
  return SIDES.some((side) => SIDES.some((other) => {
    const a = tipOf(p, side)
    const b = tipOf(q, other)
    const along = (b.x - a.x) * a.dx + (b.y - a.y) * a.dy
    const aside = Math.abs((b.x - a.x) * a.dy - (b.y - a.y) * a.dx)
    return along > -p.width && along < most && aside < BEYOND.aside && -(a.dx * b.dx + a.dy * b.dy) > 0.985
  }))
}

/** Long enough to say in which direction it runs as a whole, and the same all along. */
const isStraight = ({ points, length }: LinePiece) => length > 30 && distanceOf(points[0]!, points.at(-1)!) > 0.985 * length

/** Measures of a line that are means over its length. */
const MEANS = ['width', 'difference', 'ground', 'contrast', 'steadiness', 'unevenness', 'echo', 'response', 'unrest', 'softness', 'wiggle', 'topped', 'likeness', 'through', 'change', 'paler'] as const

/** One line of several pieces: measures are means over their lengths, weights add as squares. */
function together(list: readonly LinePiece[]): LinePiece {
  let length = 0
  let squares = 0
  for (const piece of list) {
    length += piece.length
    squares += piece.weight * piece.weight
  }
  const means = {} as Record<(typeof MEANS)[number], number>
  for (const measure of MEANS) {
    let sum = 0
    for (const piece of list) sum += piece[measure] * piece.length
    means[measure] = sum / Math.max(1e-9, length)
  }
  const profile = list[0]!.profile.map((_value, k) => list.reduce((sum, piece) => sum + piece.profile[k]! * piece.length, 0) / Math.max(1e-9, length))
  return { ...means, profile, points: list.flatMap(({ points }) => points), length, weight: Math.sqrt(squares) }
}

/** The list at a key, begun when first asked for. */
export function listAt<T>(lists: Map<number, T[]>, key: number): T[] {
  let list = lists.get(key)
  if (!list) lists.set(key, (list = []))
  return list
}

/** Whether a ratio, or its inverse, is no more than so much. */
export const between = (ratio: number, most: number) => ratio > 1 / most && ratio < most

/** Pixels between two points. */
export const distanceOf = (a: readonly [number, number], b: readonly [number, number]) => Math.sqrt((a[0] - b[0]) ** 2 + (a[1] - b[1]) ** 2)
