import { exp, ln } from '../raster/exact-math.js'
import type { Candidate } from './candidates.js'
import type { FittedDisc } from './fit-disc.js'

/**
 * How much the evidence speaks for a real flaw: a logistic regression on what was measured, fitted on made-up pictures
 * with known damage (seeds 1 and 2 of the pylon for dust; the shaft and the station for specks) and checked on others.
 */
export interface Judgement {
  readonly score: number
  /** Share of finds with this score that are real, 0..1. */
  readonly confidence: number
}

interface Judge {
  weigh(candidate: Candidate, fit: FittedDisc): number
  /** confidence = 1 / (1 + exp(-slope (score - even))) */
  readonly even: number
  readonly slope: number
  /** False finds a megapixel r at a score s, on pictures without flaws: ln r = (at one - s) * steepness. */
  readonly scoreAtOne: number
  readonly steepness: number
}

const logOf = (value: number, most = Infinity) => ln(Math.max(1e-6, Math.min(most, value)))

export const dustJudge: Judge = {
  weigh: (candidate, fit) =>
    -29.749 +
    1.442 * logOf(fit.weight, 300) +
    2.444 * Math.max(-0.5, fit.evenness) +
    5.567 * fit.explained +
    3.656 * Math.min(2.5, candidate.evenness) -
    1.398 * logOf(candidate.unrest) -
    1.21 * logOf(Math.abs(fit.amplitude), 3) +
    0.532 * logOf(fit.structure) -
    5.928 * Math.min(0.9, fit.softness) +
    1.354 * logOf(Math.abs(candidate.response)) +
    1.086 * logOf(fit.radius),
  even: -1.5,
  slope: 1.6,
  scoreAtOne: -3.05,
  steepness: 1.57,
}

export const speckJudge: Judge = {
  weigh: (candidate, fit) =>
    -18.462 -
    0.603 * logOf(fit.weight, 300) +
    4.78 * Math.max(-0.5, fit.evenness) +
    18.139 * fit.explained -
    1.053 * logOf(candidate.unrest) +
    1.074 * logOf(Math.abs(fit.amplitude), 3) -
    0.224 * logOf(fit.structure) -
    8.875 * Math.min(0.9, fit.softness) +
    1.999 * logOf(Math.abs(candidate.response)) -
    0.912 * logOf(fit.radius) +
    1.593 * (fit.amplitude > 0 ? 1 : 0),
  even: -0.2,
  slope: 1.8,
  scoreAtOne: -0.72,
  steepness: 1.1,
}

export function judge(by: Judge, candidate: Candidate, fit: FittedDisc): Judgement {
  const score = by.weigh(candidate, fit)
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
