import { exp, ln } from '../../numbers/exact-math.js'
import { distanceOf } from './join-lines.js'
import type { LinePiece } from './lines.js'

/** A line seen among the others of its picture. */
export interface Line extends LinePiece {
  /** Its strength over what the stronger of the lines around it have: a flaw stands out, mortar joints are all alike. */
  readonly standing: number
  /** How many lines around run the same way and are alike in width and tone. */
  readonly family: number
}

const logOf = (value: number, most = Infinity) => ln(Math.max(1e-4, Math.min(most, value)))

/** What a line is judged by when it is looked at by itself; the first is 1. */
export function lineFeatures(line: Line): number[] {
  const first = line.points[0]!
  const last = line.points.at(-1)!
  return [
    1,
    logOf(line.weight, 400),
    logOf(line.length, 1500),
    logOf(line.width),
    line.steadiness,
    logOf(line.unevenness, 20),
    logOf(line.echo, 4),
    logOf(line.unrest),
    logOf(line.response),
    logOf(Math.abs(line.difference), 2),
    Math.min(1, distanceOf(first, last) / Math.max(1, line.length)),
    line.difference > 0 ? 1 : 0,
    logOf(line.standing, 200),
    ln(1 + line.family),
    line.softness,
    logOf(line.wiggle, 20),
    line.topped,
    line.likeness,
    line.through,
    ln(1 + Math.min(50, line.change)),
    line.paler,
  ]
}

/** So much of the way to white is left at least: over what is as bright as paper every pale line covers all. */
const LEAST_LEFT = 0.05

/**
 * How much of the way from its sides to white, or to black, a line goes, as a logarithm. A scratch lays the same veil of white
 * over bright and dark; in the logarithm of the light that makes much of it in a shadow and little in a sky.
 */
export function coverOf({ ground, difference }: Pick<Line, 'ground' | 'difference'>): number {
  const [sides, middle] = [exp(ground), exp(ground + difference)]
  const covered = difference > 0 ? (middle - sides) / Math.max(LEAST_LEFT, 1 - sides) : 1 - middle / sides
  return ln(Math.max(1e-3, Math.min(1, covered)))
}

type Course = Pick<LinePiece, 'points' | 'length'>

/** Over this share of its length apart, the ends of a line make it a straight one. */
const STRAIGHT = 0.94

/** Whether a line runs straight on the whole. */
export const runsStraight = ({ points, length }: Course) => distanceOf(points[0]!, points.at(-1)!) > STRAIGHT * length

/** Halves of a line that are looked at, each a little further on than the one before. */
const HALVES = 5
/** By so much the middle of a half lies off the way between its ends where it is bent: of their distance, and in pixels, since places are known to a third of one. */
const BEND = { share: 0.0125, pixels: 0.75 } as const

/**
 * Whether a line bends evenly from end to end, as a whisker, a stalk or a hair does: most of its halves are bent, and to one side.
 * What scratches a picture runs past it and hardly bends, or strays to both sides; where a line was followed onto another, one
 * half alone is bent.
 */
export function bendsEvenly({ points }: Pick<Course, 'points'>): boolean {
  const at = (share: number) => points[Math.round(share * (points.length - 1))]!
  const halves = Array.from({ length: HALVES }, (_value, k) => {
    const from = (0.5 * k) / (HALVES - 1)
    const [start, middle, end] = [at(from), at(from + 0.25), at(from + 0.5)]
    const chord = Math.max(1e-9, distanceOf(start, end))
    return { chord, off: ((middle[0] - start[0]) * (end[1] - start[1]) - (middle[1] - start[1]) * (end[0] - start[0])) / chord }
  }).sort((a, b) => a.off / a.chord - b.off / b.chord)
  const { chord, off } = halves[HALVES >> 1]!
  return Math.abs(off) > Math.max(BEND.pixels, BEND.share * chord)
}

/** Whether a line looks as scratches and folds do; all else is judged as hairs are. */
export const isPaleAndStraight = (line: Course & Pick<LinePiece, 'difference'>) => line.difference > 0 && runsStraight(line) && !bendsEvenly(line)
