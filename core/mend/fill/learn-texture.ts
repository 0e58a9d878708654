import { lagProducts } from '../../kernels/filling/kriging.js'
import { solveCholesky } from '../../numbers/solve.js'
import { KNOWN, type FillProblem } from './fill-problem.js'

/** Side of the blocks whose texture is learned at once, and of the cells that are bridged at once. */
export const BLOCK = 24

/** How far the surroundings of a block reach from which its texture is learned. */
export const REACH = 20

/** Differences between places beyond this are not looked at. */
export const LARGEST_LAG = 12

/** Ground and grain of what lies round a block. */
export interface Texture {
  readonly area: Area
  /** Constant and slopes of the ground, and the place they are counted from; one a channel. */
  readonly grounds: readonly Float64Array[]
  /** Covariance by lag, (2 LARGEST_LAG + 1) squared, 1 at lag 0. */
  readonly covariance: Float32Array
}

interface Area { readonly left: number; readonly top: number; readonly right: number; readonly bottom: number }

export const LAGS = 2 * LARGEST_LAG + 1

/** Ground and covariance of the known pixels round a block; null when too few are known. */
export function learnTexture({ width, height, channels }: FillProblem, truth: Uint8Array, left: number, top: number): Texture | null {
  const area: Area = {
    left: Math.max(0, left - REACH), top: Math.max(0, top - REACH),
    right: Math.min(width, left + BLOCK + REACH), bottom: Math.min(height, top + BLOCK + REACH),
  }
  const w = area.right - area.left
  const h = area.bottom - area.top
  const known = new Float32Array(w * h)
  let count = 0
  for (let y = 0; y < h; y++) {
    for (let x = 0; x < w; x++) {
      if (truth[(y + area.top) * width + x + area.left] !== KNOWN) continue
      known[y * w + x] = 1
      count++
    }
  }
  if (count < 24) return null
  // One covariance for all channels: that of their sum.
  const residual = new Float32Array(w * h)
  const grounds = channels.map((plane) => {
    const ground = fitGround(plane, width, area, known, left + BLOCK / 2, top + BLOCK / 2)
    for (let y = 0; y < h; y++) {
      for (let x = 0; x < w; x++) {
        if (known[y * w + x]) residual[y * w + x]! += plane[(y + area.top) * width + x + area.left]! - groundAt(ground, x + area.left, y + area.top)
      }
    }
    return ground
  })
  return { area, grounds, covariance: covarianceOf(residual, known, w, h) }
}

/** A sloping ground by weighted least squares; near pixels say more of what lies under the block. */
function fitGround(plane: Float32Array, width: number, area: Area, known: Float32Array, cx: number, cy: number): Float64Array {
  const normal = new Float64Array(9)
  const right = new Float64Array(3)
  const w = area.right - area.left
  for (let y = area.top; y < area.bottom; y++) {
    for (let x = area.left; x < area.right; x++) {
      if (!known[(y - area.top) * w + x - area.left]) continue
      const dx = x - cx
      const dy = y - cy
      const weight = 1 / (1 + (dx * dx + dy * dy) / 100)
      const v = weight * plane[y * width + x]!
      right[0]! += v
      right[1]! += v * dx
      right[2]! += v * dy
      normal[0]! += weight
      normal[3]! += weight * dx
      normal[4]! += weight * dx * dx
      normal[6]! += weight * dy
      normal[7]! += weight * dx * dy
      normal[8]! += weight * dy * dy
    }
  }
  // A little resistance to sloping keeps the equations sound where pixels are few.
  normal[4]! += 1e-3 * normal[0]!
  normal[8]! += 1e-3 * normal[0]!
  solveCholesky(normal, right, 3)
  return Float64Array.of(right[0]!, right[1]!, right[2]!, cx, cy)
}

function covarianceOf(residual: Float32Array, known: Float32Array, w: number, h: number): Float32Array {
  const { sums, pairs } = lagProducts(residual, known, w, h, LARGEST_LAG)
  const covariance = new Float32Array(LAGS * LAGS)
  const middle = LARGEST_LAG * LAGS + LARGEST_LAG
  const variance = sums[LARGEST_LAG]! / pairs[LARGEST_LAG]!
  covariance[middle] = 1
  // On a perfectly even ground every witness says the same.
  if (!(variance > 1e-12)) return covariance
  for (let ly = 0; ly <= LARGEST_LAG; ly++) {
    for (let lx = -LARGEST_LAG; lx <= LARGEST_LAG; lx++) {
      const at = ly * LAGS + lx + LARGEST_LAG
      const distance = Math.sqrt(lx * lx + ly * ly) / (LARGEST_LAG + 1)
      if (distance >= 1 || pairs[at]! < 8) continue
      // Wendland's function of compact support: tapering by it keeps a covariance a covariance.
      const rest = 1 - distance
      const value = (rest * rest * rest * rest * (4 * distance + 1) * sums[at]!) / pairs[at]! / variance
      covariance[middle + ly * LAGS + lx] = value
      covariance[middle - ly * LAGS - lx] = value
    }
  }
  return covariance
}

export function groundAt(ground: Float64Array, x: number, y: number): number {
  return ground[0]! + ground[1]! * (x - ground[3]!) + ground[2]! * (y - ground[4]!)
}
