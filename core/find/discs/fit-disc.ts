import { DISC_PARAMETERS, DiscWindow } from '../../kernels/finding/disc.js'
import { DEVIATION_PER_MAD, median } from '../../numbers/statistics.js'
import { solveCholesky } from '../../numbers/solve.js'
import type { Candidate, Octaves } from './candidates.js'
import { ringsOfDisc } from './rings.js'

/** A soft disc fitted to a candidate, and how well it explains what is there. */
export interface FittedDisc {
  readonly x: number
  readonly y: number
  /** Radius where the edge has fallen to half, in pixels of the searched plane. */
  readonly radius: number
  /** Width of the edge over the radius. */
  readonly softness: number
  /** Difference of log light in the middle, negative for dark. */
  readonly amplitude: number
  /** Log light of the ground that it lies on. */
  readonly ground: number
  /** Robust deviation of a pixel around the disc, at full size. */
  readonly deviation: number
  /** Root of the sum of squares of the disc over the deviation: the disc as a matched filter sees it. */
  readonly weight: number
  /** Mean difference over the deviation of a pixel. */
  readonly contrast: number
  /** Share of the variation in the window that the disc explains, 0..1. */
  readonly explained: number
  /** Least contrast among eight sectors over their mean: 1 for a disc, 0 or below for an edge or a line. */
  readonly evenness: number
  /** Deviation of the slow structure around over that of its finest detail: 1 in a plain sky. */
  readonly structure: number
  /** What lies on rings in and around it: see `ringsOfDisc`. */
  readonly rings: readonly number[]
}

/** How closely a candidate is looked at. */
export interface Effort {
  /** Radius in pixels of the octave in which it is fitted; half of it at least. */
  readonly largestRadius: number
  readonly iterations: number
}

export const FULL_EFFORT: Effort = { largestRadius: 4.6, iterations: 9 }
/** Enough to tell most of what is nothing, at a tenth of the cost. */
export const FIRST_EFFORT: Effort = { largestRadius: 2.3, iterations: 3 }

const LARGEST_WINDOW = 31

/** Height of a soft disc, 1 inside and 0 outside, at `u` edge widths beyond its outline. */
function discProfile(u: number): number {
  return 0.5 - (0.5 * u) / Math.sqrt(1 + u * u)
}

/**
 * Fit a soft disc on a tilted ground, robustly, by Levenberg and Marquardt's method.
 *
 * @param octaves    The searched plane and its halves.
 * @param candidate  Where to start.
 * @returns The fit, or null when nothing like a disc is there or the window leaves the plane.
 */
export function fitDisc(octaves: Octaves, candidate: Pick<Candidate, 'x' | 'y' | 'radius' | 'response'>, effort: Effort = FULL_EFFORT): FittedDisc | null {
  let octave = 0
  while (octave + 1 < octaves.planes.length && candidate.radius / 2 ** octave > effort.largestRadius) octave++
  const plane = octaves.planes[octave]!
  const scale = 2 ** octave
  const r0 = candidate.radius / scale
  const half = Math.min((LARGEST_WINDOW - 1) / 2, Math.max(5, Math.ceil(2.6 * r0 + 2)))
  const size = 2 * half + 1
  if (size > plane.width || size > plane.height) return null
  // Near an edge the window is moved inward; the disc then lies beside its middle.
  const left = Math.max(0, Math.min(plane.width - size, Math.floor(candidate.x / scale) - half))
  const top = Math.max(0, Math.min(plane.height - size, Math.floor(candidate.y / scale) - half))

  const window = new Float32Array(size * size)
  for (let y = 0; y < size; y++) window.set(plane.data.subarray((top + y) * plane.width + left, (top + y) * plane.width + left + size), y * size)

  const state = new Float64Array(DISC_PARAMETERS)
  state[0] = candidate.x / scale - left
  state[1] = candidate.y / scale - top
  state[2] = r0
  state[3] = 0.3 * r0
  const ground = ringMean(window, size, state[0]!, state[1]!, 1.8 * r0, 2.6 * r0 + 2)
  state[4] = ringMean(window, size, state[0]!, state[1]!, 0, 0.7 * r0 + 0.5) - ground
  state[5] = ground
  if (!refine(window, size, state, r0, effort.iterations)) return null

  const [cx, cy, r, w, amplitude] = state as unknown as [number, number, number, number, number]
  if (Math.sign(amplitude) !== Math.sign(candidate.response)) return null
  if (r < 0.6 || r > half * 0.95 || Math.abs(cx + left - candidate.x / scale) > 1.2 * r0 + 1 || Math.abs(cy + top - candidate.y / scale) > 1.2 * r0 + 1) return null
  return { ...describe(window, size, state, { left, top, scale, r, w, amplitude }), rings: ringsOfDisc(plane, left + cx, top + cy, r, amplitude) }
}

function refine(window: Float32Array, size: number, state: Float64Array, r0: number, iterations: number): boolean {
  const n = DISC_PARAMETERS
  const normal = new Float64Array(n * n)
  const right = new Float64Array(n)
  const trial = new Float64Array(n)
  const sums = new DiscWindow(window, size)
  let spread = residualSpread(window, size, state)
  let damping = 0.01
  let cost = sums.robustCost(state, spread)
  for (let iteration = 0; iteration < iterations; iteration++) {
    sums.normalEquations(state, spread, normal, right)
    const r = state[2]!
    const w = state[3]!
    // A weak pull of radius and edge width to where the search saw them keeps faint fits from running away.
    const pull = (0.5 * spread * spread) / (0.25 * r0 * r0) / Math.max(1e-12, spread * spread)
    normal[2 * n + 2]! += pull * spread * spread
    normal[3 * n + 3]! += pull * spread * spread
    right[2]! += pull * spread * spread * (r0 - r)
    right[3]! += pull * spread * spread * (0.3 * r0 - w)
    let improved = false
    for (let attempt = 0; attempt < 4 && !improved; attempt++) {
      const matrix = normal.slice()
      for (let i = 0; i < n; i++) matrix[i * n + i]! += damping * normal[i * n + i]! + 1e-12
      trial.set(right)
      if (!solveCholesky(matrix, trial, n)) {
        damping *= 10
        continue
      }
      for (let i = 0; i < n; i++) trial[i]! += state[i]!
      trial[2] = Math.max(0.5, Math.min(2.4 * r0, trial[2]!))
      trial[3] = Math.max(0.12 * trial[2]!, Math.max(0.25, Math.min(0.9 * trial[2]!, trial[3]!)))
      const next = sums.robustCost(trial, spread)
      if (next < cost) {
        improved = true
        const small = cost - next < 1e-4 * cost
        state.set(trial)
        cost = next
        damping = Math.max(1e-6, damping / 5)
        if (small) return true
      } else damping *= 6
    }
    if (!improved) return iteration > 0
    if (iteration === 3) {
      spread = residualSpread(window, size, state)
      cost = sums.robustCost(state, spread)
    }
  }
  return true
}

const scratch = new Float32Array(LARGEST_WINDOW * LARGEST_WINDOW)

function residualSpread(window: Float32Array, size: number, state: Float64Array): number {
  const [cx, cy, r, w, a, b, bx, by] = state as unknown as [number, number, number, number, number, number, number, number]
  let n = 0
  for (let y = 0; y < size; y++) {
    for (let x = 0; x < size; x++) {
      const dx = x + 0.5 - cx
      const dy = y + 0.5 - cy
      const u = (Math.sqrt(dx * dx + dy * dy) - r) / Math.max(0.2, w)
      scratch[n++] = Math.abs(window[y * size + x]! - (a * discProfile(u) + b + bx * dx + by * dy))
    }
  }
  return Math.max(1e-5, DEVIATION_PER_MAD * median(scratch, n))
}

function ringMean(window: Float32Array, size: number, cx: number, cy: number, from: number, to: number): number {
  let sum = 0
  let n = 0
  for (let y = 0; y < size; y++) {
    for (let x = 0; x < size; x++) {
      const d = (x + 0.5 - cx) ** 2 + (y + 0.5 - cy) ** 2
      if (d >= from * from && d <= to * to) {
        sum += window[y * size + x]!
        n++
      }
    }
  }
  return n === 0 ? window[(size * size) >> 1]! : sum / n
}

function sumOf(values: Float64Array): number {
  let sum = 0
  for (let i = 0; i < values.length; i++) sum += values[i]!
  return sum
}

function describe(
  window: Float32Array,
  size: number,
  state: Float64Array,
  fit: { left: number; top: number; scale: number; r: number; w: number; amplitude: number },
): Omit<FittedDisc, 'rings'> {
  const [cx, cy, r, w, a, b, bx, by] = state as unknown as [number, number, number, number, number, number, number, number]
  const sectorIn = new Float64Array(8)
  const sectorOut = new Float64Array(8)
  const countIn = new Float64Array(8)
  const countOut = new Float64Array(8)
  let energy = 0
  let left = 0
  let profileSquares = 0
  let profileSum = 0
  let inside = 0
  let n = 0
  let m = 0
  const detail = new Float32Array(size * size)
  for (let y = 0; y < size; y++) {
    for (let x = 0; x < size; x++) {
      const dx = x + 0.5 - cx
      const dy = y + 0.5 - cy
      const d = Math.sqrt(dx * dx + dy * dy)
      const profile = discProfile((d - r) / w)
      const flat = window[y * size + x]! - (b + bx * dx + by * dy)
      const residual = flat - a * profile
      if (d < 1.25 * r + w) {
        energy += flat * flat
        left += residual * residual
      }
      if (d > r + w) {
        scratch[n++] = Math.abs(residual)
        if (x + 1 < size) detail[m++] = Math.abs(window[y * size + x]! - window[y * size + x + 1]!)
      }
      profileSquares += profile * profile
      if (profile > 0.5) {
        profileSum += profile
        inside++
      }
      const sector = (dy > 0 ? 4 : 0) + (dx > 0 ? 2 : 0) + (Math.abs(dx) > Math.abs(dy) ? 1 : 0)
      if (d < Math.max(0.9, 0.85 * r)) {
        sectorIn[sector]! += flat
        countIn[sector]!++
      } else if (d > r + 0.8 * w + 0.5 && d < 1.9 * r + 1.5) {
        sectorOut[sector]! += flat
        countOut[sector]!++
      }
    }
  }
  const around = Math.max(1e-5, DEVIATION_PER_MAD * median(scratch, n))
  // A pixel's difference to its neighbour has the root of two of its own deviation.
  const fine = Math.max(1e-5, (DEVIATION_PER_MAD * median(detail, m)) / Math.sqrt(2))
  const sign = Math.sign(a)
  let least = Infinity
  let total = 0
  const middle = sumOf(sectorIn) / Math.max(1, sumOf(countIn))
  for (let s = 0; s < 8; s++) {
    const inner = countIn[s]! > 0 ? sectorIn[s]! / countIn[s]! : middle
    const outer = countOut[s]! > 0 ? sectorOut[s]! / countOut[s]! : 0
    const contrast = sign * (inner - outer)
    least = Math.min(least, contrast)
    total += contrast / 8
  }
  // One pixel of this octave is the mean of scale x scale pixels at full size.
  const deviation = around * fit.scale
  return {
    x: (fit.left + cx) * fit.scale,
    y: (fit.top + cy) * fit.scale,
    radius: r * fit.scale,
    softness: w / r,
    amplitude: a,
    ground: b,
    deviation,
    weight: (Math.abs(a) * Math.sqrt(profileSquares)) / around,
    contrast: (Math.abs(a) * (inside > 0 ? profileSum / inside : 1)) / deviation,
    explained: energy > 0 ? Math.max(0, 1 - left / energy) : 0,
    evenness: total > 0 ? Math.max(-1, least / total) : -1,
    structure: around / fine,
  }
}
