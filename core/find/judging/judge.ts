import { exp, ln } from '../../numbers/exact-math.js'
import type { Candidate } from '../discs/candidates.js'
import type { ColourEvidence, ColourLook } from '../discs/colour.js'
import type { FittedDisc } from '../discs/fit-disc.js'
import DUST from '../weights/dust.json' with { type: 'json' }
import HAIR from '../weights/hair.json' with { type: 'json' }
import LINE_ALONE from '../weights/line-alone.json' with { type: 'json' }
import LOSS from '../weights/loss.json' with { type: 'json' }
import MOULD from '../weights/mould.json' with { type: 'json' }
import SCRATCH from '../weights/scratch.json' with { type: 'json' }
import SPECK from '../weights/speck.json' with { type: 'json' }
import STAIN from '../weights/stain.json' with { type: 'json' }

/**
 * How much the evidence speaks for a real flaw: a logistic regression on what was measured, for round flaws, lines and losses with
 * a layer of units between. It is fitted with bench/learn/calibrate.ts on pictures with known damage and checked on others by
 * bench/finding/finding.ts and bench/finding/areas.ts; of what processing left, with bench/learn/calibrate-processed.ts and by bench/finding/processed.ts.
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

/** What turns evidence into a score, and a score into confidence: as many finds of the score `even` are real as are not. */
export interface Belief {
  score(features: readonly number[]): number
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

/** Weights of a layer of units: of each unit one for every item of the evidence, and last that of its answer. */
export interface Layer {
  readonly units: readonly (readonly number[])[]
  readonly constant: number
}

/**
 * Evidence that means different things together: each unit weighs it in its own way, and its answer counts by the last
 * of its weights.
 */
export function layered({ units, constant }: Layer): (features: readonly number[]) => number {
  const count = units[0]!.length - 1
  const weights = Float64Array.from(units.flat())
  return (features) => {
    let score = constant
    for (let at = 0; at < weights.length; at += count + 1) {
      let sum = 0
      for (let i = 0; i < count; i++) sum += features[i]! * weights[at + i]!
      score += weights[at + count]! * Math.max(sum, LEAK * sum)
    }
    return score
  }
}

/** Colour that is as good as none. */
const FAINT = 0.05
/** Log light that nothing reaches beyond, but what a fit makes of a slope. */
const BLACKEST = -6
const WHITEST = 0.2
const logOf = (value: number, most = Infinity) => ln(Math.max(1e-6, Math.min(most, value)))

const colourOf = ({ change, paler, colourful }: ColourEvidence): number[] => [ln(1 + Math.min(50, change)), paler, ln(FAINT + colourful)]

export const dustJudge: DiscJudge = {
  features: (candidate, fit, look) => [
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
    ...fit.rings,
    // A shadow takes the same share of all colours.
    ...colourOf(look.ofDisc(fit)),
  ],
  score: layered(DUST),
  // What calibration's own judges, each of half the photographs, say of the other half.
  even: 0.32,
  slope: 0.91,
  scoreAtOne: -1.25,
  steepness: 0.81,
}

const speckFeatures: DiscJudge['features'] = (candidate, fit, look) => [
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
  ...colourOf(look.ofDisc(fit)),
  ...fit.rings,
  // Lamps and clouds are brighter than a flaw makes anything.
  fit.ground,
  Math.max(BLACKEST, Math.min(WHITEST, fit.ground + fit.amplitude)),
]

export const speckJudge: DiscJudge = {
  features: speckFeatures,
  score: layered(SPECK),
  // Calibration's own judges, from one start on half of what there is, are poorer ones, and say too little of this one: its
  // numbers were read off photographs that nothing was learned from, those of bench/finding/false-finds.ts, and bench/finding/finding.ts bears
  // them out.
  even: -0.2,
  slope: 1.4,
  scoreAtOne: -2.3,
  steepness: 0.9,
}

/**
 * Judge of spots of mould, which a judge of specks takes for texture: soft, ragged and close together. Its numbers were read off
 * prints made of the same photographs.
 */
export const mouldJudge: DiscJudge = {
  features: speckFeatures,
  score: layered(MOULD),
  even: -0.2,
  slope: 1.5,
  scoreAtOne: -0.8,
  steepness: 1.9,
}

/**
 * What a line says by itself, on `lineFeatures`; the judges below hold that score against those of the lines around it.
 * Learned from lines as they are traced, before they are followed on.
 */
export const lineAlone: Pick<Belief, 'score'> = { score: layered(LINE_ALONE) }

/**
 * Judge of what is pale and straight: scratches and folds, on what `lineEvidence` tells. Its numbers, and those of the one
 * below, were read off pictures of bench/finding/finding.ts of other seeds, as those of specks were: the photographs of calibration are
 * walls and grounds from edge to edge, most of them.
 */
export const scratchJudge: Judge = {
  score: layered(SCRATCH),
  even: 1.5,
  slope: 1.2,
  scoreAtOne: 0,
  steepness: 1.5,
}

/** Judge of all other lines: hairs, and wires of which the restorer is asked. */
export const hairJudge: Judge = {
  score: layered(HAIR),
  even: 2,
  slope: 0.8,
  scoreAtOne: -0.25,
  steepness: 2,
}

/**
 * Judge of losses and tears, on the features of `lossCandidates`; checked by bench/finding/areas.ts. Its numbers are those of a loss
 * without others, fitted together with what others add by bench/learn/calibrate-company.ts.
 */
export const lossJudge: Belief = {
  score: layered(LOSS),
  even: 2.46,
  slope: 0.97,
}

/** Judge of stains, on the features of `stainCandidates`; checked by bench/finding/areas.ts. */
export const stainJudge: Belief = {
  score: layered(STAIN),
  even: 0.88,
  slope: 1.02,
}

/** Judge of flat patches, on `flatEvidence`. */
export const flatJudge: Belief = {
  score: weighed([-7.003, 0.546, -0.411, -1.157, -1.698, 0.584, -0.492, 0.571]),
  even: 0,
  slope: 1,
}

/** Judge of smudges, on 1 and their weight. */
export const smudgeJudge: Belief = {
  score: weighed([-2.52, 0.461]),
  even: 0,
  slope: 1,
}

/** Judge of moire, on the features of `moireCandidates`. */
export const moireJudge: Belief = {
  score: weighed([-6.534, 76.862, 0.806, -0.39]),
  even: 0,
  slope: 1,
}

/** A score, and a confidence that follows it along a logistic curve. */
export function judge(by: Belief, features: readonly number[]): Judgement {
  const score = by.score(features)
  return { score, confidence: confidenceOf(by, score) }
}

/** Share of finds with a score that are real, 0..1. */
export const confidenceOf = (by: Belief, score: number): number => 1 / (1 + exp(-by.slope * (score - by.even)))

/**
 * The least score that keeps false finds at a mean rate.
 *
 * @param falseFindsPerMegapixel  Mean number of false finds a megapixel that one is willing to look at, above 0.
 */
export function leastScore(by: Judge, falseFindsPerMegapixel: number): number {
  return by.scoreAtOne - ln(falseFindsPerMegapixel) / by.steepness
}
