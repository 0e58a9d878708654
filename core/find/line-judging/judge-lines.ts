import { hairJudge, judge, leastScore, lineAlone, scratchJudge } from '../judging/judge.js'
import { BrightLines } from './line-brightness.js'
import { companyOf } from './line-company.js'
import { amongOthers } from './among-others.js'
import { coverOf, isPaleAndStraight, lineFeatures, type Line } from '../lines/line-features.js'
import { strayFeatures } from './line-strays.js'
import { LinesAround } from './lines-around.js'
import type { LinePiece } from '../lines/lines.js'

/** A line with how far its evidence lies over what is asked, and how sure it is to be real. */
export interface JudgedLine {
  readonly line: Line
  /** Below 0 it is no find. */
  readonly over: number
  readonly confidence: number
}

/** A line that is worth a closer look, with what it is judged by. */
export interface LineEvidence {
  readonly line: Line
  /** What is pale and straight is judged as a scratch or a fold, all else as a hair. */
  readonly as: 'scratch' | 'hair'
  /** What it shows by itself, the score that it has by that, its company, and of a scratch how much it covers of what it lies on, how bright it is among those around, how far it strays and what lies across it. */
  readonly features: readonly number[]
}

/** Judged by itself, a line with less is not looked at among the others: it would not be found, and there are thousands. */
const LEAST_ALONE = -6

/** What lies across a line at most counts for so much: beside a faint one something bright may run. */
const MOST_ACROSS = 2
const profileFeatures = ({ profile }: LinePiece) => Array.from(profile, (share) => Math.max(-MOST_ACROSS, Math.min(MOST_ACROSS, share)))

/** What speaks for the lines of a picture, joined of their pieces, and against them; hopeless ones are left out. */
export function lineEvidence(pieces: readonly LinePiece[]): LineEvidence[] {
  const around = new LinesAround(pieces)
  const lines = amongOthers(pieces, around)
  const alone = lines.map(lineFeatures)
  const scores = alone.map((features) => lineAlone.score(features))
  const asked = scores.flatMap((score, i) => (score >= LEAST_ALONE ? [i] : []))
  const companies = companyOf(lines, around, scores, asked)
  const bright = new BrightLines(lines, around)
  return asked.map((i, n) => {
    const line = lines[i]!
    const shown = [...alone[i]!, scores[i]!, ...companies[n]!]
    return isPaleAndStraight(line) ? { line, as: 'scratch', features: [...shown, coverOf(line), ...bright.of(i), ...strayFeatures(line), ...profileFeatures(line)] } : { line, as: 'hair', features: shown }
  })
}

const JUDGES = { scratch: scratchJudge, hair: hairJudge } as const
/** Of the false finds that lines may have: hairs are told well by far fewer of them. */
const SHARE = { scratch: 0.8, hair: 0.2 } as const

/**
 * Lines of a picture with the judgement of each; hopeless ones are left out.
 *
 * @param falseFindsPerMegapixel  That lines may have, of both sorts together.
 */
export function judgeLines(pieces: readonly LinePiece[], falseFindsPerMegapixel: number): JudgedLine[] {
  return lineEvidence(pieces).map(({ line, as, features }) => {
    const { score, confidence } = judge(JUDGES[as], features)
    return { line, over: score - leastScore(JUDGES[as], SHARE[as] * falseFindsPerMegapixel), confidence }
  })
}
