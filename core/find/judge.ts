import { exp, ln } from '../raster/exact-math.js'
import type { Candidate } from './candidates.js'
import type { FittedDisc } from './fit-disc.js'

/**
 * How much the evidence speaks for a real flaw: a logistic regression on what was measured, fitted with
 * bench/calibrate.ts on made-up pictures with known damage and checked on others by bench/acceptance.ts.
 */
export interface Judgement {
  readonly score: number
  /** Share of finds with this score that are real, 0..1. */
  readonly confidence: number
}

export interface Judge {
  readonly weights: readonly number[]
  /** confidence = 1 / (1 + exp(-slope (score - even))) */
  readonly even: number
  readonly slope: number
  /** False finds a megapixel r at a score s, on pictures without flaws: ln r = (at one - s) * steepness. */
  readonly scoreAtOne: number
  readonly steepness: number
}

/** A judge of round flaws. */
export interface DiscJudge extends Judge {
  /** What the evidence is weighed by; the first is 1. */
  features(candidate: Candidate, fit: FittedDisc): number[]
}

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
  weights: [-32.278, 1.309, 0.614, 6.825, 4.48, -2.3, -0.76, 0.259, -5.975, 1.974, 1.86],
  even: -0.03,
  slope: 1.01,
  scoreAtOne: -2.9,
  steepness: 1.02,
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
  weights: [-28.482, 1.415, 6.796, 19.475, 0.183, -0.916, 0.996, -9.288, 1.482, -0.209, 1.333, -0.028, -0.623],
  even: -0.02,
  slope: 1.06,
  scoreAtOne: -1.4,
  steepness: 1,
}

/** Judge of lines, on the features of `lineFeatures`. */
export const lineJudge: Judge = {
  weights: [-3.721, -0.002, 1.194, -1.989, -2.57, -0.552, -0.631, -0.779, -0.25, 0.765, 0.06, 0.916, -0.235, -0.909, 2.839, -0.437],
  even: 0,
  slope: 1,
  scoreAtOne: -1.11,
  steepness: 1.67,
}

/** Judge of losses and tears, on the features of `lossCandidates`; checked by bench/areas.ts. */
export const lossJudge: Pick<Judge, 'weights' | 'even' | 'slope'> = {
  weights: [-13.79, 3.918, -0.594, -0.153, 0.007, 0.285, -3.121, 4.111, 1.025, 0.387, 2.247, 9.016, 2.296],
  even: -0.27,
  slope: 1.87,
}

/** Judge of stains, on the features of `stainCandidates`; checked by bench/areas.ts. */
export const stainJudge: Pick<Judge, 'weights' | 'even' | 'slope'> = {
  weights: [7.473, 2.26, 0.344, -0.34, 1.92, -3.104, -4.203, 3.048, 1.928, 4.619],
  even: -0.05,
  slope: 1.05,
}

export function judge(by: Pick<Judge, 'weights' | 'even' | 'slope'>, features: readonly number[]): Judgement {
  const score = features.reduce((sum, value, i) => sum + value * by.weights[i]!, 0)
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
