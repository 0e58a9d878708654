import { logTable } from '../find/log-light.js'
import { PI, cos, sin } from '../raster/exact-math.js'
import { clipRegion, crop, type Plane, type PixelSource } from '../raster/raster.js'
import { solveCholesky } from '../raster/solve.js'
import { DEVIATION_PER_MAD, median } from '../raster/statistics.js'
import type { Transfer } from '../raster/transfer.js'
import type { Disc } from '../shape/shape.js'
import { PROFILE_KNOTS, WOBBLE_ORDERS, type Shadow } from './shadow.js'

/** How deep a shadow is thought to be before the picture is asked, as -ln of the transmission, and the deviation of that. */
export interface LikelyDepth {
  readonly depth: number
  readonly spread: number
}

/** A shadow that is known before the picture is asked, from a sensor chart. */
export interface ExpectedShadow extends Omit<Shadow, 'damping'> {
  /** Deviation of its depth, as -ln of the transmission. */
  readonly spread: number
}

/** A fitted shadow and what speaks for it. */
export interface ShadowFit {
  readonly shadow: Omit<Shadow, 'damping'>
  /** Share of the robust gradient cost that taking the shadow away saves, 0..1. */
  readonly saving: number
  /** The same in deviations squared, over what the surroundings imitate by themselves. */
  readonly evidence: number
  /** Deviation of the fitted depth as -ln of the transmission: how far texture of this size may have misled it. */
  readonly uncertainty: number
}

const HEIGHTS = PROFILE_KNOTS.length - 1
const WOBBLES = 2 * WOBBLE_ORDERS.length
const GEOMETRY = 3 + WOBBLES
const PARAMETERS = GEOMETRY + HEIGHTS

/** Radius in pixels at which the shape is fitted; larger shadows are averaged down to it. */
const WORKING_RADIUS = 11

/** A first guess at the profile, as shares of its depth. */
export const FIRST_PROFILE = [1, 1, 0.95, 0.85, 0.65, 0.38, 0.14, 0.03]

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
 * @param trusted   How far the start may be off: a sensor chart is within a sixteenth, a detector within a tenth, a hand within a half.
 * @param likely    What is known of its depth.
 * @returns The fit, or null when there is nothing to fit or the place leaves the picture.
 */
export function fitShadow(picture: PixelSource, transfer: Transfer, start: Disc, trusted: keyof typeof LOOSENESS, likely: LikelyDepth = USUAL_DEPTH): ShadowFit | null {
  const planes = decimatedLogLight(picture, transfer, start)
  if (!planes) return null
  const { width, height, factor, left, top, channels } = planes.window
  const centre = { x: (start.x - left) / factor, y: (start.y - top) / factor, r: start.r / factor }
  const imitation = measureImitation(meanOf(planes.surroundings), {
    x: (start.x - planes.surroundings.left) / factor,
    y: (start.y - planes.surroundings.top) / factor,
    r: centre.r,
  })
  const mean = meanOf(planes.window).data
  const radii = trusted === 'hand' ? [centre.r, 0.7 * centre.r, 0.5 * centre.r] : [centre.r]
  let best: Descent | null = null
  for (const radius of radii) {
    const tried = descend(mean, width, height, { ...centre, r: radius }, LOOSENESS[trusted], imitation, likely)
    if (tried && (!best || tried.without - tried.cost > best.without - best.cost)) best = tried
  }
  if (!best) return null
  const { state } = best
  const profile = Array.from(state.subarray(GEOMETRY))
  const field = new Float32Array(width * height)
  evaluate(state, width, height, field, null)
  const common = channelStrength(mean, field, width, height)
  const strengths = channels.map((channel) => likelyStrength(channelStrength(channel, field, width, height), common, imitation))
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
    evidence: (best.without - best.cost) / imitation,
    uncertainty: best.uncertainty,
  }
}

/** How far a start may be off, as a share of its radius: its centre by half as much again, its radius by twice as much. */
const LOOSENESS = { chart: 0.04, detector: 0.12, hand: 0.35 } as const

interface Decimated {
  readonly width: number
  readonly height: number
  readonly factor: number
  /** Where the first cell lies in the picture. */
  readonly left: number
  readonly top: number
  readonly channels: readonly Float32Array[]
}

/** Log light in cells of about a working radius: the window that is fitted, and wider surroundings to compare with. */
function decimatedLogLight(picture: PixelSource, transfer: Transfer, start: Disc): { window: Decimated; surroundings: Decimated } | null {
  let factor = 1
  while (start.r / factor > WORKING_RADIUS * 1.3) factor *= 2
  const regionOf = (reach: number) => {
    const size = Math.ceil(reach / factor) * factor
    return clipRegion({ x: Math.floor(start.x) - size, y: Math.floor(start.y) - size, width: 2 * size, height: 2 * size }, picture.width, picture.height)
  }
  const near = regionOf(2.3 * start.r + 5)
  if (near.width < 8 * factor || near.height < 8 * factor) return null
  const far = regionOf(SURROUNDINGS * start.r + 5)
  const pixels = picture.read(far)
  const table = logTable(transfer)
  // Cells are counted from the window, so that it starts on one.
  const left = (near.x - far.x) % factor
  const top = (near.y - far.y) % factor
  const width = Math.floor((far.width - left) / factor)
  const height = Math.floor((far.height - top) / factor)
  const share = 1 / (factor * factor)
  const surroundings: Decimated = {
    width, height, factor,
    left: far.x + left,
    top: far.y + top,
    channels: Array.from({ length: picture.channels }, (_, c) => {
      const plane = new Float32Array(width * height)
      for (let y = 0; y < height * factor; y++) {
        const row = Math.floor(y / factor) * width
        let from = ((y + top) * pixels.width + left) * pixels.channels + c
        for (let x = 0; x < width * factor; x++, from += pixels.channels) plane[row + Math.floor(x / factor)]! += share * table[pixels.data[from]!]!
      }
      return plane
    }),
  }
  const x = (near.x - surroundings.left) / factor
  const y = (near.y - surroundings.top) / factor
  const inner = { x, y, width: Math.min(width - x, Math.floor(near.width / factor)), height: Math.min(height - y, Math.floor(near.height / factor)) }
  return {
    surroundings,
    window: {
      width: inner.width, height: inner.height, factor, left: near.x, top: near.y,
      channels: surroundings.channels.map((data) => crop({ width, height, channels: 1, data }, inner).data as Float32Array),
    },
  }
}

function meanOf({ width, height, channels }: Decimated): Plane {
  const data = new Float32Array(width * height)
  for (const channel of channels) for (let i = 0; i < data.length; i++) data[i]! += channel[i]! / channels.length
  return { width, height, data }
}

/** Half the width of what is looked at, in radii. */
const SURROUNDINGS = 5.3
/** Directions in which the surroundings are asked what they imitate. */
const PLACES = 24

/**
 * How much more a shadow's answer scatters over the surroundings than noise from pixel to pixel would make it.
 *
 * Texture hangs together over many pixels, so a fit that takes every gradient for a new witness believes it far too
 * much. The same round shadow is asked for at places all round; the variance of the strengths over the variance that
 * independent gradients would give is what every piece of evidence is worth less. 1 in a sky.
 */
function measureImitation(plane: Plane, centre: { x: number; y: number; r: number }): number {
  const ratios: number[] = []
  const half = Math.ceil(2 * centre.r + 2)
  const size = 2 * half
  const state = new Float64Array(PARAMETERS)
  state.set(FIRST_PROFILE, GEOMETRY)
  state[2] = centre.r
  const field = new Float32Array(size * size)
  for (let k = 0; k < PLACES; k++) {
    const angle = (2 * PI * (k + 0.5 * (k % 2))) / PLACES
    const distance = (k % 2 === 0 ? 2.6 : 3.2) * centre.r + 2
    const x = centre.x + distance * cos(angle)
    const y = centre.y + distance * sin(angle)
    const left = Math.floor(x) - half
    const top = Math.floor(y) - half
    if (left < 0 || top < 0 || left + size > plane.width || top + size > plane.height) continue
    const piece = crop({ ...plane, channels: 1 }, { x: left, y: top, width: size, height: size }).data as Float32Array
    state[0] = x - left
    state[1] = y - top
    evaluate(state, size, size, field, null)
    const { strength, deviation } = measureStrength(piece, field, size, size)
    ratios.push(Math.abs(strength) / deviation)
  }
  if (ratios.length < 5) return 1
  // Texture has heavy tails, which a median would not see; four of five normal deviates lie within 1.28.
  ratios.sort((a, b) => a - b)
  const spread = ratios[Math.floor(0.8 * ratios.length)]! / 1.28
  return Math.max(1, Math.min(400, spread * spread))
}

/** All channels lose about the same share of light; how far one may differ shrinks with what the surroundings imitate. */
function likelyStrength(measured: number, common: number, imitation: number): number {
  const trust = 1 / (1 + (imitation - 1) / 4)
  const ratio = common > 1e-6 ? measured / common : 1
  return Math.max(0.5, Math.min(1.6, 1 + trust * (ratio - 1)))
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

interface Descent {
  readonly state: Float64Array
  readonly cost: number
  /** Cost of the gradients with the shadow left in. */
  readonly without: number
  readonly uncertainty: number
}

interface Start { readonly x: number; readonly y: number; readonly r: number }

/** What is thought of a shadow before the picture is asked; priors are weighed by what the surroundings imitate. */
interface Prior {
  readonly start: Start
  readonly looseness: number
  readonly imitation: number
  /** Depth on which the tolerances of the profile are based. */
  readonly depth: number
  readonly expected: LikelyDepth
}

/** Levenberg's and Marquardt's descent on the robust cost of the gradients. */
function descend(plane: Float32Array, width: number, height: number, start: Start, looseness: number, imitation: number, expected: LikelyDepth): Descent | null {
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
  const first = measureStrength(plane, field, width, height)
  const variance = imitation * first.deviation * first.deviation
  const priorVariance = expected.spread * expected.spread
  const likely = (first.strength / variance + expected.depth / priorVariance) / (1 / variance + 1 / priorVariance)
  // Something bright is no shadow, unless the surroundings could as well have made it look so.
  const depth = variance > 0.16 * priorVariance ? Math.max(likely, expected.depth / 4) : likely
  if (!(depth > 1e-4)) return null
  for (let j = 0; j < HEIGHTS; j++) state[GEOMETRY + j]! *= depth
  const prior: Prior = { start, looseness, imitation, depth, expected }

  evaluate(state, width, height, field, derivatives)
  let spread = gradientSpread(plane, field, width, height)
  let cost = gradientCost(plane, field, width, height, spread) + priorCost(state, prior)
  let damping = 1e-2
  const normal = new Float64Array(n * n)
  const matrix = new Float64Array(n * n)
  const right = new Float64Array(n)
  const trial = new Float64Array(n)
  for (let iteration = 0; iteration < 12; iteration++) {
    accumulate(plane, field, derivatives, width, height, spread, normal, right)
    addPriors(state, prior, normal, right)
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
      const next = gradientCost(plane, field, width, height, spread) + priorCost(trial, prior)
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
      cost = gradientCost(plane, field, width, height, spread) + priorCost(state, prior)
    }
  }
  evaluate(state, width, height, field, null)
  spread = gradientSpread(plane, field, width, height)
  cost = gradientCost(plane, field, width, height, spread)
  const deviation = measureStrength(plane, field, width, height).deviation * Math.max(...state.subarray(GEOMETRY))
  field.fill(0)
  const uncertainty = Math.sqrt(1 / (1 / (imitation * deviation * deviation + 1e-12) + 1 / priorVariance))
  return { state, cost, without: gradientCost(plane, field, width, height, spread), uncertainty }
}

/** A profile never rises outward and no state leaves the neighbourhood it was started in. */
function keepSensible(state: Float64Array, start: Start): void {
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

/**
 * Depth of a flaw that somebody sees in texture, as -ln of the transmission, and how widely it is spread (common
 * practice: a tenth to a half of the light is lost, which is 0.1 to 0.7, evenly by ratio).
 */
const USUAL_DEPTH: LikelyDepth = { depth: 0.3, spread: 0.165 }
/** How far a profile strays from the usual one, as a share of its depth. */
const PROFILE_SPREAD = 0.3

/** Deviations of the priors of the geometry, in the order of the state. */
function priorDeviation(k: number, r: number, looseness: number): number {
  if (k < 2) return looseness * 1.5 * r
  if (k === 2) return looseness * 2 * r
  return 0.16 / WOBBLE_ORDERS[(k - 3) >> 1]!
}

const priorMean = (k: number, start: Start) => (k === 0 ? start.x : k === 1 ? start.y : k === 2 ? start.r : 0)

/** Profile terms: the first height is a likely depth, the others follow it in the usual proportions. */
function profileMisfit(state: Float64Array, j: number, prior: Prior): number {
  const weight = Math.sqrt(prior.imitation)
  if (j === 0) return (weight * (state[GEOMETRY]! - prior.expected.depth)) / prior.expected.spread
  return (weight * (state[GEOMETRY + j]! - FIRST_PROFILE[j]! * state[GEOMETRY]!)) / (PROFILE_SPREAD * prior.depth)
}

function priorCost(state: Float64Array, prior: Prior): number {
  let sum = 0
  for (let k = 0; k < GEOMETRY; k++) {
    const z = (state[k]! - priorMean(k, prior.start)) / priorDeviation(k, prior.start.r, prior.looseness)
    sum += prior.imitation * z * z
  }
  for (let j = 0; j < HEIGHTS; j++) {
    const z = profileMisfit(state, j, prior)
    sum += z * z
  }
  return sum
}

function addPriors(state: Float64Array, prior: Prior, normal: Float64Array, right: Float64Array): void {
  const n = PARAMETERS
  for (let k = 0; k < GEOMETRY; k++) {
    const s = priorDeviation(k, prior.start.r, prior.looseness)
    normal[k * n + k]! += prior.imitation / (s * s)
    right[k]! += (prior.imitation * (priorMean(k, prior.start) - state[k]!)) / (s * s)
  }
  const weight = Math.sqrt(prior.imitation)
  for (let j = 0; j < HEIGHTS; j++) {
    const misfit = profileMisfit(state, j, prior)
    const own = weight / (j === 0 ? prior.expected.spread : PROFILE_SPREAD * prior.depth)
    const a = (GEOMETRY + j) * n + GEOMETRY + j
    normal[a]! += own * own
    right[GEOMETRY + j]! -= own * misfit
    if (j === 0) continue
    const first = -own * FIRST_PROFILE[j]!
    normal[GEOMETRY * n + GEOMETRY]! += first * first
    normal[(GEOMETRY + j) * n + GEOMETRY]! += own * first
    right[GEOMETRY]! -= first * misfit
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

const channelStrength = (plane: Float32Array, field: Float32Array, width: number, height: number) => measureStrength(plane, field, width, height).strength

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
