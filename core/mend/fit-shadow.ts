import { DARKEST_LIGHT } from '../find/log-light.js'
import { ln } from '../raster/exact-math.js'
import { clipRegion, type PixelSource } from '../raster/raster.js'
import { solveCholesky } from '../raster/solve.js'
import { DEVIATION_PER_MAD, median } from '../raster/statistics.js'
import type { Transfer } from '../raster/transfer.js'
import type { Disc } from '../shape/shape.js'
import { PROFILE_KNOTS, WOBBLE_ORDERS, type Shadow } from './shadow.js'

/** A fitted shadow and what speaks for it. */
export interface ShadowFit {
  readonly shadow: Omit<Shadow, 'damping'>
  /** Share of the robust gradient cost that taking the shadow away saves, 0..1. */
  readonly saving: number
  /** The same in absolute terms, in units of one deviation squared. */
  readonly evidence: number
}

const HEIGHTS = PROFILE_KNOTS.length - 1
const WOBBLES = 2 * WOBBLE_ORDERS.length
const GEOMETRY = 3 + WOBBLES
const PARAMETERS = GEOMETRY + HEIGHTS

/** Radius in pixels at which the shape is fitted; larger shadows are averaged down to it. */
const WORKING_RADIUS = 11

/** A first guess at the profile, as shares of its depth. */
const FIRST_PROFILE = [1, 1, 0.95, 0.85, 0.65, 0.38, 0.14, 0.03]

/**
 * Find the shadow whose removal leaves the least gradient.
 *
 * A picture's gradients do not know where the dust is: the right shadow is the one without which the gradients of the
 * log light are smallest, in units of their own deviation, under a robust loss (Geman and McClure). The unknowns are
 * centre, radius, an outline that wobbles up to the fifth order and a free falling profile; then one strength a channel.
 *
 * @param picture   Where to read.
 * @param transfer  Tables of the picture's curve.
 * @param start     Where the shadow is thought to be, its radius at half depth.
 * @param trusted   How far the start may be off: a detector is within a tenth, a hand within a half.
 * @returns The fit, or null when there is nothing to fit or the place leaves the picture.
 */
export function fitShadow(picture: PixelSource, transfer: Transfer, start: Disc, trusted: 'detector' | 'hand'): ShadowFit | null {
  const planes = decimatedLogLight(picture, transfer, start)
  if (!planes) return null
  const { width, height, factor, left, top, channels } = planes
  const mean = new Float32Array(width * height)
  for (const channel of channels) for (let i = 0; i < mean.length; i++) mean[i]! += channel[i]! / channels.length

  const centre = { x: (start.x - left) / factor, y: (start.y - top) / factor, r: start.r / factor }
  const radii = trusted === 'detector' ? [centre.r] : [centre.r, 0.7 * centre.r, 0.5 * centre.r]
  let best: { state: Float64Array; cost: number; without: number } | null = null
  for (const radius of radii) {
    const tried = descend(mean, width, height, { ...centre, r: radius }, trusted === 'detector' ? 0.12 : 0.35)
    if (tried && (!best || tried.without - tried.cost > best.without - best.cost)) best = tried
  }
  if (!best) return null
  const { state } = best
  const profile = Array.from(state.subarray(GEOMETRY))
  const field = new Float32Array(width * height)
  evaluate(state, width, height, field, null)
  const strengths = channels.map((channel) => channelStrength(channel, field, width, height))
  if (!strengths.every((strength) => strength > 0.2 && strength < 3)) return null
  return {
    shadow: {
      x: left + state[0]! * factor,
      y: top + state[1]! * factor,
      radius: state[2]! * factor,
      wobble: Array.from(state.subarray(3, GEOMETRY)),
      profile,
      channels: strengths,
    },
    saving: 1 - best.cost / best.without,
    evidence: best.without - best.cost,
  }
}

function decimatedLogLight(picture: PixelSource, transfer: Transfer, start: Disc) {
  let factor = 1
  while (start.r / factor > WORKING_RADIUS * 1.3) factor *= 2
  const reach = Math.ceil((2.3 * start.r + 5) / factor) * factor
  const wanted = { x: Math.floor(start.x) - reach, y: Math.floor(start.y) - reach, width: 2 * reach, height: 2 * reach }
  const inside = clipRegion(wanted, picture.width, picture.height)
  const width = Math.floor(inside.width / factor)
  const height = Math.floor(inside.height / factor)
  if (width < 8 || height < 8) return null
  const pixels = picture.read(inside)
  const table = logTable(transfer)
  const share = 1 / (factor * factor)
  const channels = Array.from({ length: picture.channels }, (_, c) => {
    const plane = new Float32Array(width * height)
    for (let y = 0; y < height * factor; y++) {
      const row = Math.floor(y / factor) * width
      for (let x = 0; x < width * factor; x++) {
        plane[row + Math.floor(x / factor)]! += share * table[pixels.data[(y * pixels.width + x) * pixels.channels + c]!]!
      }
    }
    return plane
  })
  return { width, height, factor, left: inside.x, top: inside.y, channels }
}

const logTables = new WeakMap<Transfer, Float32Array>()

function logTable(transfer: Transfer): Float32Array {
  let table = logTables.get(transfer)
  if (!table) {
    table = Float32Array.from(transfer.light, (light) => ln(light + DARKEST_LIGHT))
    logTables.set(transfer, table)
  }
  return table
}

/** Depth of the shadow of a state at every pixel, and its derivatives when wanted (pixel by pixel, PARAMETERS each). */
function evaluate(state: Float64Array, width: number, height: number, field: Float32Array, derivatives: Float32Array | null): void {
  const cx = state[0]!
  const cy = state[1]!
  const radius = state[2]!
  const end = PROFILE_KNOTS[HEIGHTS]!
  derivatives?.fill(0)
  for (let y = 0; y < height; y++) {
    for (let x = 0; x < width; x++) {
      const i = y * width + x
      const dx = x + 0.5 - cx
      const dy = y + 0.5 - cy
      const distance = Math.sqrt(dx * dx + dy * dy) + 1e-9
      const c1 = dx / distance
      const s1 = dy / distance
      let c = c1
      let s = s1
      let outline = 1
      for (let k = 0; k < WOBBLES; k += 2) {
        const next = c * c1 - s * s1
        s = s * c1 + c * s1
        c = next
        outline += state[3 + k]! * c + state[4 + k]! * s
      }
      outline = Math.max(0.3, outline)
      const rho = distance / (radius * outline)
      if (rho >= end) {
        field[i] = 0
        continue
      }
      let j = 0
      while (rho >= PROFILE_KNOTS[j + 1]!) j++
      const span = PROFILE_KNOTS[j + 1]! - PROFILE_KNOTS[j]!
      const t = (rho - PROFILE_KNOTS[j]!) / span
      const low = state[GEOMETRY + j]!
      const high = j + 1 < HEIGHTS ? state[GEOMETRY + j + 1]! : 0
      field[i] = low * (1 - t) + high * t
      if (!derivatives) continue
      const at = i * PARAMETERS
      derivatives[at + GEOMETRY + j] = 1 - t
      if (j + 1 < HEIGHTS) derivatives[at + GEOMETRY + j + 1] = t
      const slope = (high - low) / span
      derivatives[at] = (-slope * c1) / (radius * outline)
      derivatives[at + 1] = (-slope * s1) / (radius * outline)
      derivatives[at + 2] = (-slope * rho) / radius
      const common = (-slope * rho) / outline
      c = c1
      s = s1
      for (let k = 0; k < WOBBLES; k += 2) {
        const next = c * c1 - s * s1
        s = s * c1 + c * s1
        c = next
        derivatives[at + 3 + k] = common * c
        derivatives[at + 4 + k] = common * s
      }
    }
  }
}

function descend(plane: Float32Array, width: number, height: number, start: { x: number; y: number; r: number }, looseness: number) {
  const n = PARAMETERS
  const state = new Float64Array(n)
  state[0] = start.x
  state[1] = start.y
  state[2] = start.r
  const field = new Float32Array(width * height)
  const derivatives = new Float32Array(width * height * n)
  // A first depth from the start's shape alone, so that the first full step has slopes to work with.
  state.set(FIRST_PROFILE, GEOMETRY)
  evaluate(state, width, height, field, null)
  const depth = channelStrength(plane, field, width, height)
  if (!(depth > 1e-4)) return null
  for (let j = 0; j < HEIGHTS; j++) state[GEOMETRY + j]! *= depth

  evaluate(state, width, height, field, derivatives)
  let spread = gradientSpread(plane, field, width, height)
  let cost = gradientCost(plane, field, width, height, spread) + priorCost(state, start, looseness)
  let damping = 1e-2
  const normal = new Float64Array(n * n)
  const matrix = new Float64Array(n * n)
  const right = new Float64Array(n)
  const trial = new Float64Array(n)
  for (let iteration = 0; iteration < 12; iteration++) {
    accumulate(plane, field, derivatives, width, height, spread, normal, right)
    addPriors(state, start, looseness, normal, right)
    let improved = false
    for (let attempt = 0; attempt < 4 && !improved; attempt++) {
      matrix.set(normal)
      for (let i = 0; i < n; i++) matrix[i * n + i]! += damping * normal[i * n + i]! + 1e-9
      trial.set(right)
      if (!solveCholesky(matrix, trial, n)) {
        damping *= 10
        continue
      }
      for (let i = 0; i < n; i++) trial[i]! += state[i]!
      keepSensible(trial, start)
      evaluate(trial, width, height, field, null)
      const next = gradientCost(plane, field, width, height, spread) + priorCost(trial, start, looseness)
      if (next < cost) {
        improved = true
        const gained = cost - next
        state.set(trial)
        cost = next
        damping = Math.max(1e-6, damping / 6)
        if (gained < 1e-3 * Math.max(1, cost) && iteration > 4) iteration = 99
      } else damping *= 8
    }
    if (!improved) break
    evaluate(state, width, height, field, derivatives)
    if (iteration === 2 || iteration === 5) {
      spread = gradientSpread(plane, field, width, height)
      cost = gradientCost(plane, field, width, height, spread) + priorCost(state, start, looseness)
    }
  }
  evaluate(state, width, height, field, null)
  spread = gradientSpread(plane, field, width, height)
  cost = gradientCost(plane, field, width, height, spread)
  field.fill(0)
  return { state, cost, without: gradientCost(plane, field, width, height, spread) }
}

/** A profile never rises outward and no state leaves the neighbourhood it was started in. */
function keepSensible(state: Float64Array, start: { x: number; y: number; r: number }): void {
  state[0] = Math.max(start.x - start.r, Math.min(start.x + start.r, state[0]!))
  state[1] = Math.max(start.y - start.r, Math.min(start.y + start.r, state[1]!))
  state[2] = Math.max(0.4 * start.r, Math.min(1.9 * start.r, state[2]!))
  for (let k = 3; k < GEOMETRY; k++) state[k] = Math.max(-0.35, Math.min(0.35, state[k]!))
  let outer = 0
  for (let j = HEIGHTS - 1; j >= 0; j--) {
    outer = Math.max(outer, state[GEOMETRY + j]!)
    state[GEOMETRY + j] = outer
  }
}

/** Deviations of the priors, in the order of the state; heights are tied by their second differences instead. */
function priorDeviation(k: number, r: number, looseness: number): number {
  if (k < 2) return looseness * 1.5 * r
  if (k === 2) return looseness * 2 * r
  return 0.16 / WOBBLE_ORDERS[(k - 3) >> 1]!
}

const priorMean = (k: number, start: { x: number; y: number; r: number }) => (k === 0 ? start.x : k === 1 ? start.y : k === 2 ? start.r : 0)

function priorCost(state: Float64Array, start: { x: number; y: number; r: number }, looseness: number): number {
  let sum = 0
  for (let k = 0; k < GEOMETRY; k++) {
    const z = (state[k]! - priorMean(k, start)) / priorDeviation(k, start.r, looseness)
    sum += z * z
  }
  return sum
}

function addPriors(state: Float64Array, start: { x: number; y: number; r: number }, looseness: number, normal: Float64Array, right: Float64Array): void {
  const n = PARAMETERS
  for (let k = 0; k < GEOMETRY; k++) {
    const s = priorDeviation(k, start.r, looseness)
    normal[k * n + k]! += 1 / (s * s)
    right[k]! += (priorMean(k, start) - state[k]!) / (s * s)
  }
}

/** Scale of the loss in deviations: differences beyond it are edges of the picture and lose their say. */
const LOSS_SCALE = 2.2

function accumulate(
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

function gradientCost(plane: Float32Array, field: Float32Array, width: number, height: number, spread: number): number {
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

function gradientSpread(plane: Float32Array, field: Float32Array, width: number, height: number): number {
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

/** How many times a field must be added to a plane to leave the least gradient, by reweighted least squares. */
function channelStrength(plane: Float32Array, field: Float32Array, width: number, height: number): number {
  let strength = 0
  const scaled = new Float32Array(field.length)
  for (let round = 0; round < 6; round++) {
    for (let i = 0; i < field.length; i++) scaled[i] = strength * field[i]!
    const spread = gradientSpread(plane, scaled, width, height) * LOSS_SCALE
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
  }
  return strength
}
