import { ln } from '../raster/exact-math.js'
import type { Plane } from '../raster/raster.js'
import type { Candidate, Octaves } from './candidates.js'
import { layered } from './judge.js'
import { ringsOfDisc } from './rings.js'
import { FIRST_LOOK } from './weights/first-look.js'

/** A first look at what may be a speck: it spares edges and what chance made the far dearer fit of a disc. */

const AROUND = [[1, 0], [0.7071, 0.7071], [0, 1], [-0.7071, 0.7071], [-1, 0], [-0.7071, -0.7071], [0, -1], [0.7071, -0.7071]] as const
/** Difference of log light that is as good as none. */
const FAINT = 0.005

/**
 * What a first look goes by: how strongly the candidate stands out and how large it is, and what lies on rings in and
 * around it, as if it were a disc where it was found.
 *
 * @param octaves  The searched plane and its halves.
 */
export function firstLook(octaves: Octaves, candidate: Candidate): number[] {
  let octave = 0
  while (octave + 1 < octaves.planes.length && candidate.radius / 2 ** octave > 4) octave++
  const plane = octaves.planes[octave]!
  const [x, y, r] = [candidate.x / 2 ** octave, candidate.y / 2 ** octave, candidate.radius / 2 ** octave]
  const sign = Math.sign(candidate.response)
  const amplitude = sign * Math.max(FAINT, sign * differenceAt(plane, x, y, 1.8 * r + 1.6))
  return ringsOfDisc(plane, x, y, r, amplitude, [1, ln(Math.abs(candidate.response)), ln(Math.max(1e-3, candidate.unrest)), ln(candidate.radius)])
}

/** Of a pixel to the mean of eight so far around. */
function differenceAt({ width, height, data }: Plane, x: number, y: number, distance: number): number {
  const at = (px: number, py: number) => data[Math.max(0, Math.min(height - 1, Math.floor(py))) * width + Math.max(0, Math.min(width - 1, Math.floor(px)))]!
  let around = 0
  for (let k = 0; k < AROUND.length; k++) around += at(x + distance * AROUND[k]![0], y + distance * AROUND[k]![1])
  return at(x, y) - around / AROUND.length
}

const score = layered(FIRST_LOOK)
/** Loses one or two in a hundred of the specks that would be accepted, and four of the spots of mould; of a frame it spares all but one in twenty the fit. */
const LEAST_SCORE = -4.9

/** Whether a disc is worth fitting to a candidate. */
export function worthFitting(octaves: Octaves, candidate: Candidate): boolean {
  return score(firstLook(octaves, candidate)) >= LEAST_SCORE
}
