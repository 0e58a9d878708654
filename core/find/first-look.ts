import { ln } from '../raster/exact-math.js'
import type { Plane } from '../raster/raster.js'
import type { Candidate, Octaves } from './candidates.js'
import { layered } from './judge.js'

/** A first look at what may be a speck: it spares edges and what chance made the far dearer fit of a disc. */

const AROUND = [[1, 0], [0.7071, 0.7071], [0, 1], [-0.7071, 0.7071], [-1, 0], [-0.7071, -0.7071], [0, -1], [0.7071, -0.7071]] as const

/** So far out, in radii, it asks: a candidate may be smaller than its speck, whose own edge the nearer ring then meets. */
const RINGS = [1.9, 3.4]

/**
 * What a first look goes by: how strongly the candidate stands out and how large it is; and for a nearer and a farther
 * ring of eight places how alike the differences of the middle to them are, and the least of these over their mean.
 *
 * @param octaves  The searched plane and its halves.
 * @returns Features, or null where a ring leaves the plane.
 */
export function firstLook(octaves: Octaves, candidate: Candidate): number[] | null {
  let octave = 0
  while (octave + 1 < octaves.planes.length && candidate.radius / 2 ** octave > 4) octave++
  const features = [1, ln(Math.abs(candidate.response)), ln(Math.max(1e-3, candidate.unrest)), ln(candidate.radius)]
  for (const ring of RINGS) if (!lookAtRing(octaves.planes[octave]!, candidate, 2 ** octave, ring, features)) return null
  return features
}

function lookAtRing(plane: Plane, candidate: Candidate, scale: number, ring: number, features: number[]): boolean {
  const column = Math.floor(candidate.x / scale)
  const row = Math.floor(candidate.y / scale)
  const distance = (ring * candidate.radius) / scale
  const reach = Math.ceil(distance) + 1
  if (column < reach || row < reach || column >= plane.width - reach || row >= plane.height - reach) return false
  const middle = plane.data[row * plane.width + column]!
  const sign = Math.sign(candidate.response)
  let least = Infinity
  let mean = 0
  let squares = 0
  for (let k = 0; k < AROUND.length; k++) {
    const at = (row + Math.round(AROUND[k]![1] * distance)) * plane.width + column + Math.round(AROUND[k]![0] * distance)
    const difference = sign * (middle - plane.data[at]!)
    least = Math.min(least, difference)
    mean += difference / AROUND.length
    squares += (difference * difference) / AROUND.length
  }
  const spread = Math.sqrt(Math.max(1e-12, squares - mean * mean))
  if (mean > 0) features.push(ln(Math.max(0.1, Math.min(30, mean / spread))), Math.max(-1, Math.min(1, least / mean)))
  else features.push(ln(0.1), -1)
  return true
}

/** Fitted by bench/calibrate-look.ts. */
const score = layered([
  [2.433, -0.137, -0.454, 0.205, -3.403, -1.203, 1.357, -1.396, 2.910],
  [5.628, -0.875, -0.273, -2.110, 0.187, -0.058, -0.469, -0.255, -1.856],
  [2.766, -0.609, -0.422, 1.990, -2.771, -2.322, -1.407, 0.787, -2.609],
  [-1.683, 0.760, 0.148, -1.030, -1.192, 3.187, 0.064, 0.512, -1.725],
  [-0.822, 0.850, -0.497, -0.548, 1.239, 1.702, -0.434, 0.252, 1.032],
  [-2.721, 1.243, 0.178, 1.174, -0.353, -0.328, -0.321, -0.964, -1.300],
], -3.536)
/** Loses one in two hundred of what would be accepted, and spares four in five the fit. */
const LEAST_SCORE = -5.76

/** Whether a disc is worth fitting to a candidate; near the edge of the plane always. */
export function worthFitting(octaves: Octaves, candidate: Candidate): boolean {
  const features = firstLook(octaves, candidate)
  return features === null || score(features) >= LEAST_SCORE
}
