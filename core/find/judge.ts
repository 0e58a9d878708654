import { exp, ln } from '../raster/exact-math.js'
import type { Candidate } from './candidates.js'
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
  features(candidate: Candidate, fit: FittedDisc): number[]
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
  features: (candidate, fit) => [
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
  ],
  score: layered([
    [-1.369, 0.011, 0.117, -3.408, 0.066, 0.074, -0.349, 0.994, 1.323, 0.751, -0.010, -0.155, 0.086, -1.319],
    [-0.520, 0.516, 1.232, 2.731, -1.326, -0.356, 0.583, -1.397, -2.432, -0.911, -0.405, 1.022, 0.610, -3.185],
    [-7.573, -0.332, 2.093, 4.069, 0.947, 0.627, -0.931, 2.330, -0.175, 1.816, -0.045, 0.752, 0.455, 1.846],
    [-0.999, 0.160, 3.530, 1.639, -0.331, -0.045, -0.595, -3.130, 0.567, -0.990, -0.510, 0.138, -0.254, 1.480],
    [-3.242, 0.216, -0.629, 5.038, 0.036, 0.444, 1.436, -2.358, 0.272, -0.711, 0.701, 0.093, -0.586, 1.663],
    [-7.368, 0.005, 0.849, 3.111, 0.563, 1.186, 0.434, 0.672, -0.172, 0.515, -0.177, -0.371, 0.508, -1.654],
    [10.093, -1.011, -0.257, -4.262, 0.042, 0.546, -1.024, -2.404, 0.096, -2.323, 0.108, -0.186, -0.018, -1.924],
    [4.770, 0.846, -1.042, -3.275, -0.126, 0.208, -0.891, 0.988, -1.013, 0.366, 0.746, 0.399, -0.251, -1.489],
    [-2.501, -0.576, 1.779, 1.171, 1.249, -0.571, -0.031, 1.330, 0.354, 0.342, -0.410, 0.131, 0.017, -1.436],
    [1.406, -0.129, 0.583, -1.286, -0.348, 1.357, 0.224, 0.706, -0.175, 0.258, -1.647, -0.144, -0.018, -1.557],
    [-1.318, 0.182, 0.494, 2.722, 0.161, -0.177, -1.040, -5.341, -0.028, 0.429, 0.453, -0.286, -0.066, 1.819],
    [1.785, -0.221, 0.271, 0.532, 0.301, 0.047, -0.035, -0.667, -0.382, -0.181, -0.537, 0.584, -0.178, -0.768],
  ], -3.345),
  even: -0.14,
  slope: 1.10,
  scoreAtOne: -0.12,
  steepness: 1.60,
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
