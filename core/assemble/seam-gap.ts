import { gaussianBlur } from '../raster/blur.js'
import { median } from '../numbers/statistics.js'
import type { Sheet } from './sheet.js'

/** A place where two pieces meet, in the plane of the base: both sides are sampled a little away from their edges. */
export interface Facing {
  /** Sample of the piece: where it lies in the plane of the base, and in the piece itself. */
  readonly px: number
  readonly py: number
  readonly ownX: number
  readonly ownY: number
  /** Sample of the base. */
  readonly bx: number
  readonly by: number
  /** How little the edge is a straight line here, 0..1. */
  readonly torn: number
}

export interface MissingPaper {
  /** How much further away from the base the piece belongs, in pixels. */
  readonly gapPx: number
  readonly deviationPx: number
}

/** Tones are smoothed by a Gaussian of so many pixels before their slope is read. */
const SMOOTH_PX = 2
/** Neighbours along an edge say the same over about so many pixels: what is smoothed, to both sides. */
const ALIKE_PX = 6
/** Fewer places say nothing. */
const LEAST_PLACES = 60
const ROUNDS = 6

/**
 * How much paper is missing between two pieces, from what runs over the seam.
 *
 * Outlines alone do not say it: two edges that were one lie on each other best with no paper between them. But where the
 * tone slopes across the seam, both sides differ by the slope times the way between them. Slopes are noisy on both sides,
 * and a plain regression would find too little; each side's slope serves as the instrument of the other's, since their
 * noise is independent (instrumental variables: Wright 1928; Fuller, "Measurement error models", 1987, chapter 1.4).
 *
 * @param base     Around the seam.
 * @param turn     Cosine and sine of the angle by which the piece is turned.
 * @param outward  Unit vector from the piece into the base, square to the seam.
 * @returns null where too little runs over the seam.
 */
export function missingPaper(base: Sheet, piece: Sheet, places: readonly Facing[], turn: readonly [number, number], outward: { readonly x: number; readonly y: number }): MissingPaper | null {
  const [ofBase, ofPiece] = [smoothed(base), smoothed(piece)]
  const rows: { difference: number; back: number; forth: number; own: number; other: number; torn: number }[] = []
  const [c, s] = turn
  for (const { px, py, ownX, ownY, bx, by, torn } of places) {
    const b = slopeAt(base, ofBase, bx, by)
    const a = slopeAt(piece, ofPiece, ownX, ownY)
    if (!a || !b) continue
    const [ax, ay] = [c * a.x - s * a.y, s * a.x + c * a.y]
    const [vx, vy] = [bx - px, by - py]
    rows.push({ difference: b.tone - a.tone, own: ax * outward.x + ay * outward.y, other: b.x * outward.x + b.y * outward.y, forth: ax * vx + ay * vy, back: b.x * vx + b.y * vy, torn })
  }
  if (rows.length < LEAST_PLACES) return null
  let [gap, offset] = [0, 0]
  let deviation = Infinity
  for (let round = 0; round < ROUNDS; round++) {
    const rest = rows.map(({ difference, own, other, forth, back }) => difference - offset - (forth + back) / 2 - (gap * (own + other)) / 2)
    const usual = 1.4826 * median(Float32Array.from(rest, Math.abs)) + 1e-6
    // What disagrees by far is damage along the tear (Geman and McClure 1985).
    const weights = rest.map((value, i) => rows[i]!.torn / (1 + (value / (2.5 * usual)) ** 2) ** 2)
    let [upper, lower, sum, ownSum, restSum, squares] = [0, 0, 0, 0, 0, 0]
    rows.forEach(({ difference, own, other, forth, back }, i) => {
      const w = weights[i]!
      // Each slope is asked with the other as its instrument; both ways count.
      upper += w * (own * (difference - offset - back) + other * (difference - offset - forth))
      lower += 2 * w * own * other
      sum += w
      ownSum += (w * (own + other)) / 2
      restSum += w * (difference - (forth + back) / 2)
      squares += (w * rest[i]! * (own + other)) ** 2
    })
    if (lower <= 0) return null
    gap = upper / lower
    offset = (restSum - gap * ownSum) / sum
    deviation = (Math.sqrt(squares * ALIKE_PX) / lower) || Infinity
  }
  return { gapPx: gap, deviationPx: deviation }
}

/** Tones smoothed over what belongs to a sheet alone (normalized convolution). */
function smoothed({ width, height, tone, mask }: Sheet): Float32Array {
  const sums = gaussianBlur({ width, height, data: tone.map((value, i) => value * mask[i]!) }, SMOOTH_PX).data
  const weights = gaussianBlur({ width, height, data: Float32Array.from(mask) }, SMOOTH_PX).data
  return sums.map((value, i) => (weights[i]! > 0.05 ? value / weights[i]! : 0))
}

function slopeAt({ x: left, y: top, width, height, mask }: Sheet, values: Float32Array, x: number, y: number): { tone: number; x: number; y: number } | null {
  const [column, row] = [Math.round(x - left - 0.5), Math.round(y - top - 0.5)]
  if (column < 2 || row < 2 || column + 2 >= width || row + 2 >= height) return null
  const i = row * width + column
  for (const k of [i, i - 2, i + 2, i - 2 * width, i + 2 * width]) if (mask[k] === 0) return null
  const [sx, sy] = [(values[i + 2]! - values[i - 2]!) / 4, (values[i + 2 * width]! - values[i - 2 * width]!) / 4]
  // The nearest pixel is within half a pixel: the slope leads on to the place itself.
  return { tone: values[i]! + sx * (x - left - 0.5 - column) + sy * (y - top - 0.5 - row), x: sx, y: sy }
}
