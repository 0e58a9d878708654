import { exp, ln } from '../raster/exact-math.js'
import type { Candidate } from './candidates.js'
import type { FittedDisc } from './fit-disc.js'

/**
 * How much the evidence speaks for a real flaw: a logistic regression on what was measured, for lines with a layer of a
 * few units between, fitted with bench/calibrate.ts on pictures with known damage and checked on others by
 * bench/finding.ts.
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
  score: weighed([-21.381, 0.834, 0.398, 5.391, 1.208, -2.215, -0.621, -0.353, -3.358, 2.191, 1.251]),
  even: -0.01,
  slope: 1,
  scoreAtOne: -2.14,
  steepness: 1.57,
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
  score: weighed([-28.482, 1.415, 6.796, 19.475, 0.183, -0.916, 0.996, -9.288, 1.482, -0.209, 1.333, -0.028, -0.623]),
  even: -0.02,
  slope: 1.06,
  scoreAtOne: -1.4,
  steepness: 1,
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
  score: weighed([-13.79, 3.918, -0.594, -0.153, 0.007, 0.285, -3.121, 4.111, 1.025, 0.387, 2.247, 9.016, 2.296]),
  even: -0.27,
  slope: 1.87,
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
