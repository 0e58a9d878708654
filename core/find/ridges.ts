import { PlaneWorkshop, type KernelPlane, type RidgeMiddles } from '../kernels/planes.js'
import type { Plane } from '../raster/raster.js'
import { blockDeviations, blockSide, type Octaves } from './candidates.js'

/** A thin thing that stands out from both of its sides, followed from end to end. */
export interface RidgePath {
  /** Along its middle, x and y in turn, in pixels of the searched plane: a point for each pixel of the octave. */
  readonly points: Float64Array
  readonly sign: -1 | 1
  /** Index of the octave that it was followed in: lines of about 2 pixels of that octave answer best. */
  readonly octave: number
  /** Mean answer along it, in deviations of the answers around. */
  readonly response: number
  /** Deviation of answers here over the quietest tenth of the plane: 1 in a plain sky, large in texture. */
  readonly unrest: number
}

/** A path starts where the answer is this many deviations, and goes on while it is more than the second. */
const START = 2.6
const GO_ON = 1.35
/** Shortest path that is kept, in pixels of the octave. */
const SHORTEST = 9

/** Steps across, by their numbers. */
const STEP_X = [1, 1, 0, -1] as const
const STEP_Y = [0, 1, 1, 1] as const

/**
 * Curvilinear structure: where the second derivative across is large and that along is small, linked into paths.
 *
 * Steger 1998, "An unbiased detector of curvilinear structures", with a binomial filter of 1 px for the Gaussian and an
 * octave for each doubling of the width.
 *
 * @param octaves  From `makeOctaves`, on log light.
 * @param last     Widest octave that is looked at.
 */
export function findRidges(octaves: Octaves, last: number): RidgePath[] {
  const paths: RidgePath[] = []
  for (let octave = 0; octave <= Math.min(last, octaves.planes.length - 1); octave++) {
    const plane = octaves.planes[octave]!
    if (plane.width < 24 || plane.height < 24) break
    followAll(plane, octave, paths)
  }
  return paths
}

/** How much stronger than its sides a line answers at least: a bright line looks like two dark ones beside it, and the other way round. */
const SIDE = 1.5

/** Follow all ridges of one octave, the strongest first; a pixel belongs to one path. */
function followAll(plane: Plane, octave: number, into: RidgePath[]): void {
  const { width, height } = plane
  const workshop = new PlaneWorkshop(width, height, 7)
  const [source, smooth, strength] = [0, 1, 2].map((n) => workshop.plane(n)) as [KernelPlane, KernelPlane, KernelPlane]
  source.data.set(plane.data)
  workshop.blur(source, smooth)
  workshop.ridgeStrength(smooth, strength)
  const side = blockSide(octave)
  const unrest = blockDeviations(workshop, strength, plane, side)
  const middles = workshop.middlesOfRidges(smooth, strength, unrest, side, { goOn: GO_ON, start: START, side: SIDE }, 3)
  const { answers, seeds } = middles
  for (let next, left = seeds.length; (next = workshop.followNextRidge(middles, left, SHORTEST, source, smooth)); ) {
    left = next.left
    const sign = answers[next.pixels[0]!]! > 0 ? 1 : -1
    for (const path of withoutCorners(next.pixels, width)) {
      if (path.length < SHORTEST) continue
      let sum = 0
      let restless = 0
      for (const i of path) {
        sum += Math.abs(answers[i]!)
        restless += unrest.data[Math.min(unrest.height - 1, Math.floor(i / width / side)) * unrest.width + Math.min(unrest.width - 1, Math.floor((i % width) / side))]!
      }
      into.push({ points: smoothed(middlesAlong(middles, path, width, 2 ** octave), 2), sign, octave, response: sum / path.length, unrest: restless / path.length / Math.max(1e-9, unrest.quiet) })
    }
  }
}

/** So many points before and after tell whether a path turns a corner, and the cosine below which it does: scratches and hairs bend, they do not turn. */
const ARM = 8
const CORNER = 0.7

/** A path parted where it turns from one thing into another: out of a wall's edge into the scratch that ends there. */
function withoutCorners(path: Int32Array, width: number): Int32Array[] {
  const parts: Int32Array[] = []
  let start = 0
  let sharpest = CORNER
  let corner = -1
  for (let k = ARM; k < path.length - ARM; k++) {
    const ax = (path[k]! % width) - (path[k - ARM]! % width)
    const ay = Math.floor(path[k]! / width) - Math.floor(path[k - ARM]! / width)
    const bx = (path[k + ARM]! % width) - (path[k]! % width)
    const by = Math.floor(path[k + ARM]! / width) - Math.floor(path[k]! / width)
    const cosine = (ax * bx + ay * by) / Math.sqrt(Math.max(1, (ax * ax + ay * ay) * (bx * bx + by * by)))
    if (cosine < sharpest) {
      sharpest = cosine
      corner = k
    }
    if (corner >= 0 && (k - corner >= ARM || k === path.length - ARM - 1)) {
      parts.push(path.subarray(start, corner + 1))
      start = corner + 1
      sharpest = CORNER
      corner = -1
    }
  }
  parts.push(start === 0 ? path : path.subarray(start))
  return parts
}

/** Where the line runs at each pixel of a path, x and y in turn, in pixels of the searched plane. */
function middlesAlong({ across, offset }: RidgeMiddles, path: Int32Array, width: number, scale: number): Float64Array {
  const points = new Float64Array(2 * path.length)
  for (let k = 0; k < path.length; k++) {
    const i = path[k]!
    const aside = offset[i]! / 64
    points[2 * k] = ((i % width) + 0.5 + aside * STEP_X[across[i]!]!) * scale
    points[2 * k + 1] = (Math.floor(i / width) + 0.5 + aside * STEP_Y[across[i]!]!) * scale
  }
  return points
}

/** Each point the mean of itself and so many before and after it, fewer at the ends: pixels' steps taken out. */
export function smoothed(points: Float64Array, most: number): Float64Array {
  const result = new Float64Array(points.length)
  const count = points.length / 2
  for (let k = 0; k < count; k++) {
    const reach = Math.min(most, k, count - 1 - k)
    let x = 0
    let y = 0
    for (let j = k - reach; j <= k + reach; j++) {
      x += points[2 * j]!
      y += points[2 * j + 1]!
    }
    result[2 * k] = x / (2 * reach + 1)
    result[2 * k + 1] = y / (2 * reach + 1)
  }
  return result
}
