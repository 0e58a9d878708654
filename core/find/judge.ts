import { exp, ln } from '../raster/exact-math.js'
import type { Candidate } from './candidates.js'
import type { ColourLook } from './colour.js'
import type { FittedDisc } from './fit-disc.js'

/**
 * How much the evidence speaks for a real flaw: a logistic regression on what was measured, for all but stains with a layer
 * of units between, fitted with bench/calibrate.ts on pictures with known damage and checked on others by bench/finding.ts
 * and bench/areas.ts.
 */
export interface Judgement {
  readonly score: number
  /** Share of finds with this score that are real, 0..1. */
  readonly confidence: number
}

export interface Judge extends Belief {
  /** False finds a megapixel r at a score s, on pictures without flaws: ln r = (at one - s) * steepness. */
  readonly scoreAtOne: number
  readonly steepness: number
}

/** What turns evidence into a score, and a score into confidence. */
export interface Belief {
  score(features: readonly number[]): number
  /** confidence = 1 / (1 + exp(-slope (score - even))) */
  readonly even: number
  readonly slope: number
}

/** A judge of round flaws. */
export interface DiscJudge extends Judge {
  /** What the evidence is weighed by; the first is 1. */
  features(candidate: Candidate, fit: FittedDisc, look: ColourLook): number[]
}

const weigh = (weights: readonly number[], features: readonly number[]) => features.reduce((sum, value, i) => sum + value * weights[i]!, 0)
/** Evidence that speaks for itself, item by item. */
const weighed = (weights: readonly number[]) => (features: readonly number[]) => weigh(weights, features)

/** What a unit of a layer gives on of what it was given, below 0. */
export const LEAK = 0.05

/**
 * Evidence that means different things together: each unit weighs it in its own way, and its answer counts by the last
 * of its weights.
 */
export const layered = (units: readonly (readonly number[])[], constant: number) => (features: readonly number[]) =>
  units.reduce((score, unit) => {
    const sum = weigh(unit, features)
    return score + unit[features.length]! * Math.max(sum, LEAK * sum)
  }, constant)

const logOf = (value: number, most = Infinity) => ln(Math.max(1e-6, Math.min(most, value)))

export const dustJudge: DiscJudge = {
  features: (candidate, fit) => [
    1,
    logOf(fit.weight, 300),
    Math.max(-0.5, fit.evenness),
    fit.explained,
    Math.min(2.5, candidate.evenness),
    logOf(candidate.unrest),
    logOf(Math.abs(fit.amplitude), 3),
    logOf(fit.structure),
    Math.min(0.9, fit.softness),
    logOf(Math.abs(candidate.response)),
    logOf(fit.radius),
  ],
  score: layered([
    [1.021, 0.344, 0.398, -0.856, -0.479, -0.056, 0.332, 0.003, -0.185, -0.318, 0.864, -1.032],
    [1.378, 0.204, -0.533, 0.289, 0.349, 0.059, -0.225, 0.422, -0.217, -0.234, -1.013, -0.883],
    [-6.614, 0.284, 0.347, 5.014, -0.244, -0.224, -0.426, 0.441, -2.622, 0.356, 0.447, 1.840],
    [2.090, -0.238, -0.263, 0.303, 0.228, 0.341, -0.043, 0.041, -0.758, 0.126, -0.833, -0.786],
    [1.460, -0.039, 0.382, 0.487, 0.219, 0.305, 0.122, 0.115, -0.507, 0.137, -0.883, -0.746],
    [-7.620, 0.452, 0.449, 2.322, 1.613, -0.307, -0.220, 0.042, 0.498, 0.185, 0.024, 1.061],
    [0.066, 0.242, 0.218, 0.122, 0.613, -0.103, 0.226, 0.074, -0.186, -0.169, -0.400, -0.640],
    [6.709, 0.372, -0.023, -1.813, -1.330, 0.206, -0.017, -0.821, -0.982, 0.112, -1.569, -1.340],
    [-1.240, 0.333, -0.166, -0.209, -0.529, -0.227, -0.076, -0.047, 0.079, -0.427, 1.047, -1.116],
    [0.800, 0.551, -0.164, -0.122, -0.230, -0.221, -0.299, 0.369, -0.025, -0.409, -0.406, -1.069],
    [0.936, 0.467, -0.052, 2.731, -0.663, -0.209, -0.018, -1.584, -3.438, 0.206, -0.348, 1.618],
    [1.760, -0.158, -1.001, 0.073, 0.602, -0.176, -0.155, -0.557, -0.878, -0.285, -0.788, -0.950],
  ], -2.684),
  even: -0.33,
  slope: 1.09,
  scoreAtOne: -3.04,
  steepness: 1.12,
}

export const speckJudge: DiscJudge = {
  features: (candidate, fit, look) => {
    const { change, paler } = look.ofDisc(fit)
    return [
      1,
      logOf(fit.weight, 300),
      Math.max(-0.5, fit.evenness),
      fit.explained,
      logOf(candidate.unrest),
      logOf(Math.abs(fit.amplitude), 3),
      logOf(fit.structure),
      Math.min(0.9, fit.softness),
      logOf(Math.abs(candidate.response)),
      logOf(fit.radius),
      fit.amplitude > 0 ? 1 : 0,
      logOf(candidate.standing, 60),
      ln(1 + candidate.crowd),
      ln(1 + Math.min(50, change)),
      paler,
    ]
  },
  score: layered([
    [-3.115, 0.682, 2.472, 4.278, -0.355, -0.140, -0.625, -4.854, 0.263, -1.074, -0.550, -0.010, -0.072, -0.375, -0.208, 1.941],
    [-5.118, 0.037, -0.316, 4.625, 0.063, 0.063, 0.577, -3.449, 0.134, 0.895, -0.025, 0.044, 0.098, 0.441, 1.962, 1.522],
    [-2.593, 0.551, 1.091, -2.178, 0.047, 0.169, 0.041, 3.232, 0.000, 2.590, 0.447, 0.538, -0.141, 0.123, -0.125, -1.801],
    [2.241, -0.720, 0.639, -0.083, 0.720, -0.212, 0.167, 0.075, -0.405, -0.167, 0.153, 0.131, -0.149, 0.614, -2.324, -1.443],
    [-3.728, -0.250, 0.944, 0.065, 0.135, 0.375, 0.327, 0.377, 0.202, 0.541, -0.432, 0.137, 0.596, -0.255, 0.747, -1.355],
    [-1.819, 0.521, -0.019, 1.003, -0.697, -0.311, -0.231, 1.497, -0.563, 0.279, -0.515, 0.385, 0.203, -0.925, -1.234, -1.550],
    [1.079, 0.146, 1.116, 3.571, -0.832, -0.300, 0.099, -2.793, -2.067, -1.052, -0.323, 0.467, 0.472, -1.369, -2.745, -2.768],
    [-5.904, -0.205, 1.844, 4.754, -0.549, -0.056, 0.244, 2.576, 0.219, 0.346, 0.670, -0.123, -0.221, -0.315, 1.243, 1.518],
    [-1.733, -0.136, -0.365, 3.426, 0.211, 0.339, -0.105, -2.133, 0.327, 1.331, 1.079, -0.196, -0.462, -1.488, 2.353, 1.925],
    [6.252, -0.453, -0.308, -3.774, -0.059, 0.895, -0.526, -1.603, 0.115, -1.441, -0.340, 0.022, 0.206, -0.007, 0.345, -2.134],
    [-6.417, 0.023, 2.228, 2.545, 0.430, 0.301, -0.164, 3.568, -0.100, 0.684, 0.464, 1.355, 0.218, 0.268, -1.066, 1.659],
    [-1.345, 0.197, 0.029, 3.325, -0.134, 0.055, -0.396, 0.145, 0.061, -0.993, 0.856, 0.007, -0.118, 0.235, -1.581, -1.128],
  ], -2.787),
  even: -0.15,
  slope: 1.13,
  // Calibration says -0.72 from the pictures that it learned from; clean ones of other seeds had more false finds.
  scoreAtOne: -0.42,
  steepness: 1.23,
}

/** Judge of lines, on the features of `lineFeatures`. */
export const lineJudge: Judge = {
  score: layered([
    [1.272, 0.084, 0.287, -0.393, 1.165, -0.001, -0.200, -0.231, 0.188, -0.537, -4.064, -0.538, -0.244, -0.386, 2.501, -0.437, 2.324, -0.014, 1.127],
    [-4.508, -0.261, -0.521, 0.088, 0.503, -0.596, -0.288, 0.255, -0.006, -0.018, 6.271, -0.625, -0.081, 0.142, 1.897, 0.146, -1.333, -0.031, -1.069],
    [-10.617, 0.097, 1.053, 1.172, 2.970, 0.002, 0.153, -0.140, 0.078, -0.301, 2.646, 0.047, 0.143, 0.179, -2.457, -0.109, -0.777, -0.087, -1.371],
    [-11.356, 0.144, 0.348, -0.206, -1.846, 0.100, -0.030, -0.153, -0.185, 0.107, 10.566, 1.824, 0.609, 0.030, 0.903, -0.312, -2.276, -0.205, 1.652],
    [7.748, -0.131, -0.831, 0.261, 1.098, -0.066, 0.203, -0.124, -0.560, -0.430, -4.952, 0.887, -0.069, -0.040, -1.576, 0.065, 3.429, -0.359, -1.273],
    [-0.233, 0.154, -0.033, -0.253, 3.592, -0.538, -0.530, -0.168, -0.423, -0.388, -1.507, 0.483, 0.290, -0.223, -3.196, 0.067, -6.787, 0.225, 1.712],
  ], -3.705),
  even: -0.18,
  slope: 1.07,
  scoreAtOne: -1.65,
  steepness: 0.98,
}

/** Judge of losses and tears, on the features of `lossCandidates`; checked by bench/areas.ts. */
export const lossJudge: Belief = {
  score: layered([
    [-1.638, 2.374, 5.078, 0.361, -0.339, -1.111, 1.174, -0.233, 0.051, -1.113, 1.233, -6.045, 0.895, 1.822],
    [10.333, -0.538, 4.162, -0.934, -0.474, -5.830, -0.724, -5.793, -0.162, -1.063, -0.450, -4.501, -1.981, -2.930],
    [-14.445, 3.305, -2.775, -0.121, -0.068, 5.767, -0.888, 1.116, -0.124, 1.541, 0.052, 12.240, 1.109, 2.116],
    [-11.427, 3.916, 1.943, -0.473, -0.123, -1.135, -6.972, -6.206, -0.624, -0.182, -0.224, 16.110, 1.253, 2.398],
    [-17.731, -2.209, 1.605, -0.061, 0.022, 4.764, -1.700, 1.806, 0.362, -0.453, -0.319, 22.594, -0.079, 3.618],
    [2.678, -4.356, 2.591, 0.561, 0.477, -2.251, -4.577, 1.094, -0.493, 0.182, -0.782, -0.806, 1.278, -1.584],
  ], -3.059),
  even: -0.14,
  slope: 1.19,
}

/** Judge of stains, on the features of `stainCandidates`; checked by bench/areas.ts. */
export const stainJudge: Belief = {
  score: weighed([7.473, 2.26, 0.344, -0.34, 1.92, -3.104, -4.203, 3.048, 1.928, 4.619]),
  even: -0.05,
  slope: 1.05,
}

export function judge(by: Belief, features: readonly number[]): Judgement {
  const score = by.score(features)
  return { score, confidence: 1 / (1 + exp(-by.slope * (score - by.even))) }
}

/**
 * The least score that keeps false finds at a mean rate.
 *
 * @param falseFindsPerMegapixel  Mean number of false finds a megapixel that one is willing to look at, above 0.
 */
export function leastScore(by: Judge, falseFindsPerMegapixel: number): number {
  return by.scoreAtOne - ln(falseFindsPerMegapixel) / by.steepness
}
