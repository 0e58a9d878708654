import { FIRST_PROFILE, GEOMETRY, HEIGHTS, PARAMETERS } from './shadow-state.js'
import { WOBBLE_ORDERS } from './shadow.js'

/** How deep a shadow is thought to be before the picture is asked, as -ln of the transmission, and the deviation of that. */
export interface LikelyDepth {
  readonly depth: number
  readonly spread: number
}

/** Where a shadow is thought to lie, and its radius. */
export interface Start { readonly x: number; readonly y: number; readonly r: number }

/** What is thought of a shadow before the picture is asked; priors are weighed by what the surroundings imitate. */
export interface Prior {
  readonly start: Start
  readonly looseness: number
  readonly imitation: number
  /** Depth on which the tolerances of the profile are based. */
  readonly depth: number
  readonly expected: LikelyDepth
}

/**
 * Depth of a flaw that somebody sees in texture, as -ln of the transmission, and how widely it is spread (common
 * practice: a tenth to a half of the light is lost, which is 0.1 to 0.7, evenly by ratio).
 */
export const USUAL_DEPTH: LikelyDepth = { depth: 0.3, spread: 0.165 }
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

/** What a state costs for not being what was thought. */
export function priorCost(state: Float64Array, prior: Prior): number {
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

/** The priors as terms of the normal equations of a descent. */
export function addPriors(state: Float64Array, prior: Prior, normal: Float64Array, right: Float64Array): void {
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
