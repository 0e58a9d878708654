import { DEVIATION_PER_MAD, median } from '../../numbers/statistics.js'
import { PARAMETERS } from './shadow-state.js'

/** Scale of the loss in deviations: differences beyond it are edges of the picture and lose their say. */
const LOSS_SCALE = 2.2

/** Normal equations of the robust cost (Gauss and Newton) for a plane with a field added, into `normal` (its lower half) and `right`. */
export function accumulate(
  plane: Float32Array, field: Float32Array, derivatives: Float32Array, width: number, height: number, spread: number,
  normal: Float64Array, right: Float64Array,
): void {
  const n = PARAMETERS
  normal.fill(0)
  right.fill(0)
  const g = new Float64Array(n)
  const active = new Int32Array(n)
  const precision = 1 / (spread * spread)
  for (let y = 0; y < height; y++) {
    for (let x = 0; x < width; x++) {
      const i = y * width + x
      for (let direction = 0; direction < 2; direction++) {
        const j = direction === 0 ? i + 1 : i + width
        if (direction === 0 ? x + 1 >= width : y + 1 >= height) continue
        if (field[i] === 0 && field[j] === 0) continue
        const residual = plane[j]! - plane[i]! + field[j]! - field[i]!
        const z = (residual * residual * precision) / (LOSS_SCALE * LOSS_SCALE)
        const weight = precision / ((1 + z) * (1 + z))
        let count = 0
        const a = i * n
        const b = j * n
        for (let k = 0; k < n; k++) {
          const d = derivatives[b + k]! - derivatives[a + k]!
          if (d !== 0) {
            g[count] = d
            active[count++] = k
          }
        }
        for (let p = 0; p < count; p++) {
          const wp = weight * g[p]!
          const row = active[p]! * n
          right[active[p]!]! -= wp * residual
          for (let q = 0; q <= p; q++) normal[row + active[q]!]! += wp * g[q]!
        }
      }
    }
  }
}

/** Robust cost of the gradients of a plane with a field added (Geman and McClure), in squares of their deviation. */
export function gradientCost(plane: Float32Array, field: Float32Array, width: number, height: number, spread: number): number {
  let sum = 0
  const scale = 1 / (spread * spread * LOSS_SCALE * LOSS_SCALE)
  for (let y = 0; y < height; y++) {
    for (let x = 0; x < width; x++) {
      const i = y * width + x
      if (x + 1 < width) {
        const r = plane[i + 1]! - plane[i]! + field[i + 1]! - field[i]!
        const z = r * r * scale
        sum += z / (1 + z)
      }
      if (y + 1 < height) {
        const r = plane[i + width]! - plane[i]! + field[i + width]! - field[i]!
        const z = r * r * scale
        sum += z / (1 + z)
      }
    }
  }
  return sum * LOSS_SCALE * LOSS_SCALE
}

/** Deviation of the gradients of a plane with a field added, robustly. */
export function gradientSpread(plane: Float32Array, field: Float32Array, width: number, height: number): number {
  const values = new Float32Array(2 * width * height)
  let n = 0
  for (let y = 0; y < height; y++) {
    for (let x = 0; x < width; x++) {
      const i = y * width + x
      if (x + 1 < width) values[n++] = Math.abs(plane[i + 1]! - plane[i]! + field[i + 1]! - field[i]!)
      if (y + 1 < height) values[n++] = Math.abs(plane[i + width]! - plane[i]! + field[i + width]! - field[i]!)
    }
  }
  return Math.max(2e-5, DEVIATION_PER_MAD * median(values, n))
}

/**
 * How many times a field must be added to a plane to leave the least gradient, by reweighted least squares, and the
 * deviation of that number if gradients were independent.
 */
export function measureStrength(plane: Float32Array, field: Float32Array, width: number, height: number): { strength: number; deviation: number } {
  let strength = 0
  let deviation = 0
  const scaled = new Float32Array(field.length)
  for (let round = 0; round < 6; round++) {
    for (let i = 0; i < field.length; i++) scaled[i] = strength * field[i]!
    const noise = gradientSpread(plane, scaled, width, height)
    const spread = noise * LOSS_SCALE
    let product = 0
    let squares = 1e-12
    for (let y = 0; y < height; y++) {
      for (let x = 0; x < width; x++) {
        const i = y * width + x
        for (let direction = 0; direction < 2; direction++) {
          if (direction === 0 ? x + 1 >= width : y + 1 >= height) continue
          const j = direction === 0 ? i + 1 : i + width
          const slope = field[j]! - field[i]!
          if (slope === 0) continue
          const gradient = plane[j]! - plane[i]!
          const z = (gradient + strength * slope) / spread
          // The first round trusts everything, so that a strong shadow is not taken for an edge of the picture.
          const weight = round === 0 ? 1 : 1 / ((1 + z * z) * (1 + z * z))
          product -= weight * gradient * slope
          squares += weight * slope * slope
        }
      }
    }
    strength = product / squares
    deviation = noise / Math.sqrt(squares)
  }
  return { strength, deviation }
}
