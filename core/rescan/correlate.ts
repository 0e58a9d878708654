import { FourierSquare } from '../kernels/filters/fourier.js'
import { cos, PI, sin } from '../numbers/exact-math.js'
import type { Plane } from '../raster/raster.js'

/** A turn and a shift at which two pictures are alike, and how much that shift stands out. */
export interface LikelyShift { readonly turnDegrees: number; readonly dx: number; readonly dy: number; readonly peak: number }

/** Largest square that is transformed, a power of two. */
const LARGEST = 512
/** Waves with less than this share of the mean power say nothing. */
const LEAST_POWER = 0.05

/**
 * Shifts of one picture to another for each of some turns, by phase correlation of their middles: where structure is fine
 * and alike everywhere, as in gravel or cloth, a coarse copy shows nothing to begin from.
 *
 * Kuglin and Hines 1975, "The phase correlation image alignment method".
 *
 * @param reference  Structure about 0.
 * @param other      Of the same size.
 * @returns One for each turn, the most likely first; turn and shift as in `Alignment`.
 */
export function likelyShifts(reference: Plane, other: Plane, turns: readonly number[]): LikelyShift[] {
  const { width, height } = reference
  let side = 2
  while (2 * side <= Math.min(LARGEST, width, height)) side *= 2
  const square = new FourierSquare(side)
  const fade = Float64Array.from({ length: side }, (_, k) => {
    const t = (k + 0.5) / side
    return 4 * t * (1 - t)
  })
  const [left, top] = [Math.floor((width - side) / 2), Math.floor((height - side) / 2)]
  return turns.map((turnDegrees) => {
    const [c, s] = [cos((turnDegrees * PI) / 180), sin((turnDegrees * PI) / 180)]
    const { real, imaginary } = square
    for (let y = 0, i = 0; y < side; y++) {
      for (let x = 0; x < side; x++, i++) {
        const faded = fade[x]! * fade[y]!
        real[i] = faded * reference.data[(y + top) * width + x + left]!
        const px = x + left + 0.5 - width / 2
        const py = y + top + 0.5 - height / 2
        imaginary[i] = faded * between(other, c * px - s * py + width / 2 - 0.5, s * px + c * py + height / 2 - 0.5)
      }
    }
    square.transform()
    crossPhase(real, imaginary, side)
    square.transform()
    let best = 0
    for (let i = 1; i < side * side; i++) if (real[i]! > real[best]!) best = i
    const [column, row] = [best % side, Math.floor(best / side)]
    // The reference at a place is the turned other one at that place and this shift.
    const [u, v] = [column > side / 2 ? column - side : column, row > side / 2 ? row - side : row]
    return { turnDegrees, dx: c * u - s * v, dy: s * u + c * v, peak: real[best]! / (side * side) }
  }).sort((a, b) => b.peak - a.peak)
}

/** Between the four pixels around a place; 0 outside. */
function between({ width, height, data }: Plane, x: number, y: number): number {
  const left = Math.floor(x)
  const top = Math.floor(y)
  if (left < 0 || top < 0 || left + 1 >= width || top + 1 >= height) return 0
  const tx = x - left
  const ty = y - top
  const i = top * width + left
  return (data[i]! * (1 - tx) + data[i + 1]! * tx) * (1 - ty) + (data[i + width]! * (1 - tx) + data[i + width + 1]! * tx) * ty
}

/**
 * Of the spectrum of two real squares that were transformed as real and imaginary part of one: what the phase of the second
 * is after that of the first, conjugated, so that a further transform gives its inverse but for the scale.
 */
function crossPhase(real: Float64Array, imaginary: Float64Array, side: number): void {
  const [re, im] = [new Float64Array(side * side), new Float64Array(side * side)]
  let mean = 0
  for (let y = 0, i = 0; y < side; y++) {
    const mirroredRow = ((side - y) % side) * side
    for (let x = 0; x < side; x++, i++) {
      const m = mirroredRow + ((side - x) % side)
      const ar = (real[i]! + real[m]!) / 2
      const ai = (imaginary[i]! - imaginary[m]!) / 2
      const br = (imaginary[i]! + imaginary[m]!) / 2
      const bi = (real[m]! - real[i]!) / 2
      // B conj(A): its inverse has its peak at the shift from the first to the second.
      re[i] = br * ar + bi * ai
      im[i] = bi * ar - br * ai
      mean += Math.sqrt(re[i]! * re[i]! + im[i]! * im[i]!)
    }
  }
  const least = (LEAST_POWER * mean) / (side * side)
  for (let i = 0; i < re.length; i++) {
    const size = Math.sqrt(re[i]! * re[i]! + im[i]! * im[i]!) + least
    real[i] = size > 0 ? re[i]! / size : 0
    imaginary[i] = size > 0 ? -im[i]! / size : 0
  }
}
