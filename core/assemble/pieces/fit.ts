import { cos, PI, sin } from '../../numbers/exact-math.js'
import { minimise } from '../../numbers/minimise.js'
import { bordersOf, runOn } from './borders.js'
import { AT_REST, partOfSheet, reduced, signedDistance, type Placement, type Sheet } from './sheet.js'
import { edgeOf, mainAxis, tellTorn, tornPlaces, type EdgePoint } from './torn-edge.js'

/** A place where two pieces meet. */
export interface SeamPlace {
  /** In the plane of the base. */
  readonly x: number
  readonly y: number
  /** Unit vector from the piece into the base. */
  readonly nx: number
  readonly ny: number
  /** Paper that is missing here, in pixels; below 0 where the pieces overlap. */
  readonly gap: number
  /** Brightness of both sides, a little away from the edge. */
  readonly baseTone: number
  readonly pieceTone: number
}

export interface Fit {
  readonly placement: Placement
  /** How well it fits: length of the contact in pixels of the scan, raised by how alike both sides are. */
  readonly score: number
  /** Correlation of what runs over the seam, -1..1. */
  readonly likeness: number
  /** Along the seam, in order. */
  readonly seam: readonly SeamPlace[]
}

/** Longer side of all that is fitted on the coarsest level. */
const COARSE_SIDE = 110
const [MOST_TURN, TURN_STEP] = [12, 1.5]
/** So many places are looked at closer; two of them differ by so much. */
const CANDIDATES = 24
const APART = 4
/** From where a piece was put by hand, the search begins on a level made smaller by this factor: some 50 pixels around. */
const START_FACTOR = 8
/** And so many of them on the next finer levels; one on the rest. */
const KEPT = [12, 6, 2]
/** How far away the two sides are compared from the edge. */
const INSET = 2.5
/** A seam is where the edges come as near as this, on the level they are fitted on. */
const CONTACT = 5
/** And in the last step, at full size: where the edges stray further, by fibre, they have no say. */
const LAST_CONTACT = 1.4
/** Edges of a good fit lie so far apart: each piece was cut a little inside its picture. */
const CUT = 2.4
/** Pieces lie apart by about so much of their size. */
const USUAL_SHIFT = 0.2
/** Width over which tones along a seam are compared without what is broader. */
const DETREND = 41

/** About what a piece is turned: the middle of its sheet. */
export const pivotOf = (piece: Pick<Sheet, 'x' | 'y' | 'width' | 'height'>) => ({ x: piece.x + piece.width / 2, y: piece.y + piece.height / 2 })

/** Where a place of a piece comes to lie. */
export function placed(piece: Pick<Sheet, 'x' | 'y' | 'width' | 'height'>, { turnDegrees, dx, dy }: Placement, x: number, y: number): readonly [number, number] {
  const { x: px, y: py } = pivotOf(piece)
  const [c, s] = [cos((turnDegrees * PI) / 180), sin((turnDegrees * PI) / 180)]
  return [px + c * (x - px) - s * (y - py) + dx, py + s * (x - px) + c * (y - py) + dy]
}

/**
 * Fit a piece to a base along their tear: coarse by outline over all shifts and some turns, then level by level by outline
 * and by what runs over the seam; on all levels by the borders of the print, which run on where it belongs.
 *
 * @param start  Where the piece lies by hand; then only the neighbourhood is searched.
 */
export function fitPiece(base: Sheet, piece: Sheet, start?: Placement): Fit {
  const extent = Math.max(base.width, base.height, piece.width, piece.height)
  let factor = 1
  while (extent / factor > COARSE_SIDE && !(start && factor === START_FACTOR)) factor *= 2
  tellTorn(piece)
  const rough = search({ base, piece, level: factor }, start)
  // Which of several fits is better is told by the whole contact, which paper that is missing lessens little.
  const best = { ...refine(base, piece, { base, piece, level: 1 }, rough.placement, 1, LAST_CONTACT), score: rough.score }
  return { ...best, seam: seamOf(base, piece, best.placement) }
}

/** The best placement at full size, from the coarsest level on. */
function search(coarsest: Whole, start: Placement | undefined): Omit<Fit, 'seam'> {
  const { base, piece } = coarsest
  let found: Placement[] = start ? [start] : candidates(coarsest)
  for (let { level } = coarsest; level >= 1; level /= 2) {
    const [b, p] = [reduced(base, level), reduced(piece, level)]
    const first = level === coarsest.level
    const refined = found.map((placement) => refine(b, p, { base, piece, level }, scaled(placement, 1 / level), first ? 6 : 3)).sort((one, other) => ranked(other, b) - ranked(one, b))
    // Most candidates fall away early; what is left is looked at on finer levels.
    found = refined.slice(0, KEPT[31 - Math.clz32(coarsest.level / level)] ?? 1).map(({ placement }) => scaled(placement, level))
  }
  return refine(base, piece, { base, piece, level: 1 }, found[0] ?? AT_REST, 1)
}

/** Pieces mostly lie on a scan about as they belong: what moves one far must fit so much better. */
const ranked = ({ score, placement }: Omit<Fit, 'seam'>, base: Sheet) => score * nearness(placement, base)
const nearness = ({ turnDegrees, dx, dy }: Placement, base: Sheet) => 1 / (1 + (dx * dx + dy * dy) / (USUAL_SHIFT * Math.max(base.width, base.height)) ** 2) - 0.01 * Math.abs(turnDegrees)

const scaled = ({ turnDegrees, dx, dy }: Placement, by: number): Placement => ({ turnDegrees, dx: dx * by, dy: dy * by })

/** Placements with a long contact, in pixels of the picture; tried over all shifts at which the sheets can touch. */
function candidates(whole: Whole): Placement[] {
  const [base, piece] = [reduced(whole.base, whole.level), reduced(whole.piece, whole.level)]
  const margin = 6
  const field = partOfSheet(base, base.x - margin, base.y - margin, base.width + 2 * margin, base.height + 2 * margin)
  const says = signedDistance(field).map((d) => (d > 4 ? 0 : d > 1 ? (4 - d) / 3 : d > -1 ? 1 : Math.max(-2, (d + 1) / 2)))
  const points = edgeOf(piece, whole.piece, whole.level)
  const found: { placement: Placement; score: number }[] = []
  for (let turnDegrees = -MOST_TURN; turnDegrees <= MOST_TURN; turnDegrees += TURN_STEP) {
    const turned = points.map(({ x, y, torn }) => [...placed(piece, { turnDegrees, dx: 0, dy: 0 }, x, y), torn] as const)
    const [left, right] = [Math.min(...turned.map(([x]) => x)), Math.max(...turned.map(([x]) => x))]
    const [top, bottom] = [Math.min(...turned.map(([, y]) => y)), Math.max(...turned.map(([, y]) => y))]
    for (let dy = Math.floor(field.y - bottom); dy <= field.y + field.height - top; dy += 2) {
      for (let dx = Math.floor(field.x - right); dx <= field.x + field.width - left; dx += 2) {
        let score = 0
        for (const [x, y, torn] of turned) {
          const [column, row] = [Math.floor(x + dx - field.x), Math.floor(y + dy - field.y)]
          if (column >= 0 && row >= 0 && column < field.width && row < field.height) score += (torn > 0 && says[row * field.width + column]! < 0 ? 1 : torn) * says[row * field.width + column]!
        }
        if (score > 3) score = (score + bordersThatRunOn(piece, whole, { turnDegrees, dx, dy }, CONTACT)) * nearness({ turnDegrees, dx, dy }, base)
        if (score > 3) found.push({ placement: { turnDegrees, dx, dy }, score })
      }
    }
  }
  found.sort((a, b) => b.score - a.score)
  const kept: Placement[] = []
  for (const { placement } of found) {
    if (kept.length >= CANDIDATES) break
    if (kept.some((other) => Math.abs(other.dx - placement.dx) < APART && Math.abs(other.dy - placement.dy) < APART && Math.abs(other.turnDegrees - placement.turnDegrees) < 3)) continue
    kept.push(placement)
  }
  return kept.map((placement) => scaled(placement, whole.level))
}

/** What a fit is judged on: points of the piece near the base, and the base around them. */
interface Contact { readonly points: readonly EdgePoint[]; readonly field: Sheet; readonly distance: Float32Array; /** Distance of the edges where the pieces fit. */ readonly cut: number; /** Main direction of the seam. */ readonly axis: { readonly x: number; readonly y: number } }

/** The sheets that those of a level were made smaller of, and by how much. */
interface Whole { readonly base: Sheet; readonly piece: Sheet; readonly level: number }

/** How far borders run on over the tear, in pixels of the level: each says as much as a pixel of tear. */
function bordersThatRunOn(reducedPiece: Sheet, { base, piece, level }: Whole, placement: Placement, wide: number): number {
  const place = (x: number, y: number) => placed(reducedPiece, placement, x / level, y / level).map((value) => value * level) as [number, number]
  return runOn(bordersOf(base), bordersOf(piece), place, wide * level) / level
}

function contactOf(base: Sheet, piece: Sheet, whole: Whole, placement: Placement, reach: number): Contact {
  const { level } = whole
  const near: EdgePoint[] = []
  let [left, top, right, bottom] = [Infinity, Infinity, -Infinity, -Infinity]
  const margin = Math.ceil(reach) + 8
  const points = edgeOf(piece, whole.piece, level).filter(({ x, y }) => {
    const [px, py] = placed(piece, placement, x, y)
    return px > base.x - margin && py > base.y - margin && px < base.x + base.width + margin && py < base.y + base.height + margin
  })
  const rough = roughDistance(base)
  for (const point of points) {
    const [px, py] = placed(piece, placement, point.x, point.y)
    const d = valueAt(rough.sheet, rough.values, px / rough.factor, py / rough.factor)
    if (d === null || Math.abs(d * rough.factor) > reach + rough.factor) continue
    near.push(point)
    left = Math.min(left, px)
    right = Math.max(right, px)
    top = Math.min(top, py)
    bottom = Math.max(bottom, py)
  }
  if (near.length === 0) return { points: near, field: partOfSheet(base, base.x, base.y, 1, 1), distance: new Float32Array(1), cut: CUT / level, axis: { x: 1, y: 0 } }
  const [x, y] = [Math.floor(left) - margin, Math.floor(top) - margin]
  const field = partOfSheet(base, x, y, Math.ceil(right) + margin - x, Math.ceil(bottom) + margin - y)
  return { points: near, field, distance: signedDistance(field), cut: CUT / level, axis: mainAxis(near) }
}

/** Longer side on which it is told which places are near a base at all. */
const ROUGH_SIDE = 500
interface Rough { readonly factor: number; readonly sheet: Sheet; readonly values: Float32Array }
/** Of many candidates each asks for it: made once a level. */
const roughs = new WeakMap<Uint8Array, Rough>()
function roughDistance(base: Sheet): Rough {
  const kept = roughs.get(base.mask)
  if (kept) return kept
  let factor = 1
  while (Math.max(base.width, base.height) / factor > ROUGH_SIDE) factor *= 2
  const small = reduced(base, factor)
  const margin = 24
  const sheet = partOfSheet(small, small.x - margin, small.y - margin, small.width + 2 * margin, small.height + 2 * margin)
  const made = { factor, sheet, values: signedDistance(sheet) }
  roughs.set(base.mask, made)
  return made
}

function refine(base: Sheet, piece: Sheet, whole: Whole, start: Placement, reach: number, wide = CONTACT): Omit<Fit, 'seam'> {
  const contact = contactOf(base, piece, whole, start, CONTACT + 2 * reach)
  if (contact.points.length < 12) return { placement: start, score: 0, likeness: 0 }
  // A turn is measured by what it moves at the end of the piece.
  const arm = Math.max(piece.width, piece.height) / 2
  const degrees = 180 / (PI * arm)
  const placementAt = ([turn, dx, dy]: readonly number[]): Placement => ({ turnDegrees: start.turnDegrees + turn! * degrees, dx: start.dx + dx!, dy: start.dy + dy! })
  const found = minimise((at) => -judge(contact, piece, whole, placementAt(at), wide).score, [0, 0, 0], [reach, reach, reach], 70)
  const again = minimise((at) => -judge(contact, piece, whole, placementAt(at), wide).score, found.at, [0.5 * reach, -0.5 * reach, 0.5 * reach], 50)
  const placement = placementAt(again.at)
  return { placement, ...judge(contact, piece, whole, placement, wide) }
}

function judge({ points, field, distance, cut, axis }: Contact, piece: Sheet, whole: Whole, placement: Placement, wide = CONTACT): { score: number; likeness: number } {
  let contact = 0
  const met: { along: number; base: number; piece: number }[] = []
  const [c, s] = [cos((placement.turnDegrees * PI) / 180), sin((placement.turnDegrees * PI) / 180)]
  for (const { x, y, nx, ny, torn } of points) {
    const [px, py] = placed(piece, placement, x, y)
    const d = valueAt(field, distance, px, py)
    if (d === null) continue
    if (torn === 0) continue
    if (d < -CONTACT) contact -= 0.5
    if (Math.abs(d - cut) > wide) continue
    // Smooth at its middle and its ends, so that a few places that stray have no say (Tukey's biweight).
    const share = 1 - ((d - cut) / wide) ** 2
    contact += torn * share * share
    const away = Math.max(0, d) + INSET
    const baseTone = toneAt(field, px + (c * nx - s * ny) * away, py + (s * nx + c * ny) * away)
    const pieceTone = toneAt(piece, x - nx * INSET, y - ny * INSET)
    if (baseTone !== null && pieceTone !== null) met.push({ along: axis.x * x + axis.y * y, base: baseTone, piece: pieceTone })
  }
  const likeness = met.length < 20 ? 0 : likenessOf(met)
  return { score: contact * (1 + Math.max(0, likeness)) + bordersThatRunOn(piece, whole, placement, wide), likeness }
}

/** Correlation of the tones of both sides along the seam, without what is broader than a window. */
function likenessOf(met: { along: number; base: number; piece: number }[]): number {
  met.sort((a, b) => a.along - b.along)
  const fine = (values: number[]) => {
    const sums = [0]
    for (const value of values) sums.push(sums.at(-1)! + value)
    const half = Math.min(DETREND >> 1, values.length >> 2)
    return values.map((value, i) => {
      const [from, to] = [Math.max(0, i - half), Math.min(values.length, i + half + 1)]
      return value - (sums[to]! - sums[from]!) / (to - from)
    })
  }
  const [a, b] = [fine(met.map(({ base }) => base)), fine(met.map(({ piece }) => piece))]
  let [ab, aa, bb] = [0, 0, 0]
  for (let i = 0; i < a.length; i++) {
    ab += a[i]! * b[i]!
    aa += a[i]! ** 2
    bb += b[i]! ** 2
  }
  return aa > 0 && bb > 0 ? ab / Math.sqrt(aa * bb) : 0
}

/** The seam of a piece that was placed, in order along its main direction. */
export function seamOf(base: Sheet, piece: Sheet, placement: Placement): SeamPlace[] {
  if (!tornPlaces.has(piece.mask)) tellTorn(piece)
  const { points, field, distance } = contactOf(base, piece, { base, piece, level: 1 }, placement, 40)
  const axis = points.length > 0 ? mainAxis(points) : { x: 1, y: 0 }
  const [c, s] = [cos((placement.turnDegrees * PI) / 180), sin((placement.turnDegrees * PI) / 180)]
  return points.map((point) => ({ point, along: axis.x * point.x + axis.y * point.y })).sort((a, b) => a.along - b.along).flatMap(({ point: { x, y, nx, ny } }) => {
    const [px, py] = placed(piece, placement, x, y)
    const gap = valueAt(field, distance, px, py)
    if (gap === null) return []
    const [ux, uy] = [c * nx - s * ny, s * nx + c * ny]
    const away = Math.max(0, gap) + INSET
    const baseTone = toneAt(field, px + ux * away, py + uy * away)
    const pieceTone = toneAt(piece, x - nx * INSET, y - ny * INSET)
    return baseTone === null || pieceTone === null ? [] : [{ x: px, y: py, nx: ux, ny: uy, gap: gap - CUT, baseTone, pieceTone }]
  })
}

/** Between pixel centres; null outside. */
function valueAt(sheet: Pick<Sheet, 'x' | 'y' | 'width' | 'height'>, values: Float32Array, x: number, y: number): number | null {
  const [px, py] = [x - sheet.x - 0.5, y - sheet.y - 0.5]
  const [left, top] = [Math.floor(px), Math.floor(py)]
  if (left < 0 || top < 0 || left + 1 >= sheet.width || top + 1 >= sheet.height) return null
  const [tx, ty] = [px - left, py - top]
  const i = top * sheet.width + left
  return (values[i]! * (1 - tx) + values[i + 1]! * tx) * (1 - ty) + (values[i + sheet.width]! * (1 - tx) + values[i + sheet.width + 1]! * tx) * ty
}

/** Tone between pixel centres, where all four belong to the sheet. */
function toneAt(sheet: Sheet, x: number, y: number): number | null {
  const [left, top] = [Math.floor(x - sheet.x - 0.5), Math.floor(y - sheet.y - 0.5)]
  if (left < 0 || top < 0 || left + 1 >= sheet.width || top + 1 >= sheet.height) return null
  const i = top * sheet.width + left
  if (!sheet.mask[i] || !sheet.mask[i + 1] || !sheet.mask[i + sheet.width] || !sheet.mask[i + sheet.width + 1]) return null
  return valueAt(sheet, sheet.tone, x, y)
}
