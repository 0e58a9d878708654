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
    [-5.133, 0.423, 3.270, 5.865, -0.176, -0.114, -0.386, -3.766, 0.085, -0.776, -0.500, 0.285, 0.038, -0.487, 0.142, 1.775],
    [-5.042, 0.045, 0.519, 2.992, 0.486, -0.105, -0.116, -2.896, 0.022, 1.526, 0.270, -0.395, 0.114, 0.647, 1.298, 1.446],
    [-1.723, 0.467, 1.392, -2.873, -0.140, 0.133, -0.040, 2.829, -0.198, 2.606, 0.551, 0.307, 0.021, -0.004, -0.025, -1.674],
    [4.119, 0.030, -0.128, -1.271, -0.011, 0.364, 0.290, -0.048, -0.970, -0.889, 0.182, -0.014, -0.249, 0.802, -1.393, -1.348],
    [-1.447, -0.284, 0.302, -1.602, 0.004, 0.038, 0.268, 0.463, 0.383, 0.569, -0.313, 0.252, 0.393, 0.020, -0.164, -0.934],
    [1.180, 0.398, 0.725, 2.048, -0.610, -0.479, 0.184, -3.137, -1.653, -1.170, -0.348, 0.374, 0.351, -1.149, -1.997, -2.387],
    [3.358, 0.067, 0.560, 0.444, -0.795, 0.522, -0.041, -0.358, -1.675, -0.283, 0.141, 0.564, 0.275, -0.783, 0.149, -1.901],
    [2.853, -0.375, 0.579, -0.726, -0.673, 0.006, 0.377, -0.425, 0.310, -0.315, 0.252, -0.295, -0.440, -0.303, 1.563, 1.252],
    [-3.054, 0.222, 0.243, 3.552, 0.051, 0.402, 0.373, -2.156, 0.072, 1.013, 1.348, -0.091, -0.200, -1.821, 0.538, 1.918],
    [2.570, -0.436, -0.769, -0.616, -0.294, 0.975, -0.304, -1.084, 0.076, -1.361, -0.339, -0.293, 0.364, 0.053, 0.299, -1.955],
    [-5.750, -0.191, 1.579, 2.842, 0.045, 0.251, 0.078, 3.157, -0.002, 0.724, 1.279, 0.936, -0.137, -0.155, 2.436, 1.795],
    [0.650, -0.358, 0.982, 2.344, 0.608, -0.149, -0.140, -1.674, -0.121, -0.631, 0.887, 0.196, -0.047, -0.428, -1.132, -1.151],
  ], -3.180),
  // Photographs that were brought down in size are sharp and busy in every pixel: read off those that judges had not learned
  // from, calibration says 0.86 and 0.83, and 1.66 and 0.94 below. Frames and prints at full size are calmer; these are what
  // pictures of bench/finding.ts of one seed and another bear out.
  even: -0.15,
  slope: 1.13,
  scoreAtOne: -0.84,
  steepness: 1.23,
}

/** Judge of lines, on the features of `lineFeatures`. */
export const lineJudge: Judge = {
  score: layered([
    [-5.230, -0.245, 0.193, -0.294, 0.479, -0.396, -0.232, 0.254, -0.191, 0.392, 4.562, -1.087, -0.241, 0.293, 1.589, 0.165, -1.258, 0.119, -0.265, 0.213, 0.173, -1.129],
    [-6.283, -0.218, 0.867, 0.226, 1.288, 0.067, 0.275, 0.044, 0.637, -0.020, 1.572, 0.670, 0.081, -0.099, -0.822, 0.077, -2.749, 0.215, 0.712, -0.115, -0.775, -1.168],
    [4.672, 0.284, 0.225, -0.118, 0.302, 0.032, -0.107, -0.196, 0.167, -0.067, -6.452, 0.314, -0.248, -0.387, 1.635, -0.536, 2.546, 0.035, 0.366, -1.096, 1.399, 1.287],
    [-2.612, 0.190, -0.281, 1.737, 1.675, 0.209, -0.221, 0.091, -0.012, 0.145, -0.874, -0.384, 0.063, 0.026, -1.228, -0.095, -1.042, -0.171, 0.494, -0.323, 0.806, -1.347],
    [6.791, -0.238, -1.127, 0.111, -0.415, -0.371, -0.072, 0.009, -0.308, 0.013, -1.501, -0.436, -0.120, -0.043, 0.765, -0.037, 1.161, -0.113, 0.023, 0.077, 0.427, -1.176],
    [-10.520, 0.003, 0.425, 0.570, 0.741, -0.377, 0.001, -0.120, -0.796, -0.498, 8.626, -0.057, 0.051, 0.210, -1.783, -0.237, 1.542, -0.183, -0.009, -0.010, -0.412, -1.213],
    [-1.760, 0.008, 0.111, 0.036, 0.501, -0.156, -0.598, -0.052, -0.532, -0.174, 1.372, 0.998, 0.096, -0.350, -0.906, -0.065, -3.953, 0.103, 0.643, -0.431, 2.953, 1.479],
    [0.774, 0.113, -0.048, -0.133, 2.437, -0.584, -0.345, -0.110, -0.269, -0.178, -1.693, 0.335, 0.212, -0.114, -2.557, 0.106, -2.388, 0.175, -0.166, -0.195, 0.486, 1.070],
    [-0.530, -0.220, -0.035, -0.525, 0.401, -0.238, -0.040, -0.008, -0.100, -0.208, 0.676, 1.648, -0.108, -0.015, 0.265, 0.009, 0.570, 0.648, -0.209, 0.019, -1.165, -1.053],
    [8.651, 0.236, -0.501, 0.364, 0.067, 0.177, -0.113, 0.019, -0.266, -0.048, -7.430, 1.245, -0.073, -0.123, -1.031, 0.318, 1.690, -0.501, -0.008, -0.108, 0.199, -1.055],
  ], -3.066),
  even: 1.33,
  slope: 0.82,
  // Calibration says 0.21 and 0.83, from photographs as busy as those of specks.
  scoreAtOne: -1.2,
  steepness: 0.95,
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
