import { ln } from '../../numbers/exact-math.js'
import type { Candidate, Octaves } from './candidates.js'
import { ringLook } from './rings.js'

/** A first look at what may be a speck: it spares edges and what chance made the far dearer fit of a disc. */

/** Difference of log light that is as good as none. */
const FAINT = 0.005

/**
 * What a first look goes by: how strongly the candidate stands out and how large it is, and what lies on rings in and
 * around it, as if it were a disc where it was found.
 *
 * @param octaves  The searched plane and its halves.
 * @returns Good until the next disc is looked at.
 */
export function firstLook(octaves: Octaves, candidate: Candidate): Float64Array {
  let octave = 0
  while (octave + 1 < octaves.planes.length && candidate.radius / 2 ** octave > 4) octave++
  const plane = octaves.planes[octave]!
  const [x, y, r] = [candidate.x / 2 ** octave, candidate.y / 2 ** octave, candidate.radius / 2 ** octave]
  const sign = Math.sign(candidate.response)
  const look = ringLook()
  const amplitude = sign * Math.max(FAINT, sign * look.differenceAround(plane, x, y, 1.8 * r + 1.6))
  return look.disc(plane, x, y, r, amplitude, [1, ln(Math.abs(candidate.response)), ln(Math.max(1e-3, candidate.unrest)), ln(candidate.radius)])
}

/** Loses one or two in a hundred of the specks that would be accepted, and four of the spots of mould; of a frame it spares all but one in twenty the fit. */
const LEAST_SCORE = -4.9

/** Whether a disc is worth fitting to a candidate. */
export function worthFitting(octaves: Octaves, candidate: Candidate): boolean {
  firstLook(octaves, candidate)
  return ringLook().score() >= LEAST_SCORE
}
