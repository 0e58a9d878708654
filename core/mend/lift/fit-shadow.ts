import type { PixelSource } from '../../raster/raster.js'
import { solveCholesky } from '../../numbers/solve.js'
import type { Transfer } from '../../raster/transfer.js'
import type { Disc } from '../../shape/shape.js'
import { accumulate, gradientCost, gradientSpread, measureStrength } from './gradient-loss.js'
import { measureImitation } from './imitation.js'
import { addPriors, priorCost, USUAL_DEPTH, type LikelyDepth, type Prior, type Start } from './shadow-prior.js'
import { evaluate, FIRST_PROFILE, GEOMETRY, HEIGHTS, PARAMETERS } from './shadow-state.js'
import { decimatedLogLight, meanOf } from './shadow-window.js'
import type { Shadow } from './shadow.js'

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

/** How far a start may be off, as a share of its radius: its centre by half as much again, its radius by twice as much. */
const LOOSENESS = { chart: 0.04, detector: 0.12, hand: 0.35 } as const

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

/** All channels lose about the same share of light; how far one may differ shrinks with what the surroundings imitate. */
function likelyStrength(measured: number, common: number, imitation: number): number {
  const trust = 1 / (1 + (imitation - 1) / 4)
  const ratio = common > 1e-6 ? measured / common : 1
  return Math.max(0.5, Math.min(1.6, 1 + trust * (ratio - 1)))
}

const channelStrength = (plane: Float32Array, field: Float32Array, width: number, height: number) => measureStrength(plane, field, width, height).strength

interface Descent {
  readonly state: Float64Array
  readonly cost: number
  /** Cost of the gradients with the shadow left in. */
  readonly without: number
  readonly uncertainty: number
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
