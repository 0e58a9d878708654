import { PlaneWorkshop, type KernelPlane, type RidgeMiddles } from '../../kernels/finding/planes.js'
import type { Plane } from '../../raster/raster.js'
import { bendsEvenly } from './line-features.js'
import { blockDeviations, blockSide, type Octaves } from '../discs/candidates.js'

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
    for (const path of withoutTurns(next.pixels, middles, width)) {
      if (path.length < SHORTEST || isEdge(path, smooth.data, middles.across, width, sign)) continue
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

/** Pixels across from the middle of a line where its sides are asked, and the least that one of them falls over what both do in the mean. */
const ASIDE = 3
const LEAST_FALL = 0.3

/** Whether a path runs along an edge: it falls to one of its sides, and to the other not much. */
function isEdge(path: Int32Array, smooth: Float32Array, across: Uint8Array, width: number, sign: -1 | 1): boolean {
  let [left, right] = [0, 0]
  let [stepX, stepY] = [0, 0]
  for (const i of path) {
    let [x, y] = [STEP_X[across[i]!]!, STEP_Y[across[i]!]!] as [number, number]
    // Of two opposite ways across, the one that lies on the side where the last was.
    if (x * stepX + y * stepY < 0) [x, y] = [-x, -y];
    [stepX, stepY] = [x, y]
    const aside = ASIDE * (y * width + x)
    left += sign * (smooth[i]! - smooth[i - aside]!)
    right += sign * (smooth[i]! - smooth[i + aside]!)
  }
  return Math.min(left, right) < LEAST_FALL * (left + right) / 2
}

/** Where a path is parted: the stretches of so many points before and after turn by more than the cosine says, and bow by no more than so many pixels. */
interface Turn {
  readonly arm: number
  readonly cosine: number
  readonly bow: number
}

/** Scratches and hairs bend, they do not turn: out of a wall's edge into the scratch that ends there. */
const CORNER: Turn = { arm: 8, cosine: 0.7, bow: Infinity }
/** What runs straight up to a place and straight on from there in another direction is two lines that meet: a joint and the scratch that runs along it for a while. */
const KINK: Turn = { arm: 24, cosine: 0.99, bow: 1.2 }

/** A path parted where it turns from one thing into another; what bends evenly all along, as a whisker does, is one thing. */
const withoutTurns = (path: Int32Array, middles: RidgeMiddles, width: number): Int32Array[] =>
  parted(path, width, CORNER).flatMap((part) => (part.length < 2 * KINK.arm || bendsEvenly({ points: pairsOf(middlesAlong(middles, part, width, 1)) }) ? [part] : parted(part, width, KINK)))

const pairsOf = (points: Float64Array) => Array.from({ length: points.length / 2 }, (_value, k) => [points[2 * k]!, points[2 * k + 1]!] as const)

/** A path parted at its turns. */
function parted(path: Int32Array, width: number, turn: Turn): Int32Array[] {
  const parts: Int32Array[] = []
  let start = 0
  for (const end of turns(path, width, turn)) {
    parts.push(path.subarray(start, end))
    start = end
  }
  parts.push(start === 0 ? path : path.subarray(start))
  return parts
}

/** Of each turn of a path the point after its sharpest one. */
function turns(path: Int32Array, width: number, { arm, cosine: least, bow }: Turn): number[] {
  const found: number[] = []
  let sharpest = least
  let sharpestAt = -1
  for (let k = arm; k < path.length - arm; k++) {
    const [before, here, after] = [path[k - arm]!, path[k]!, path[k + arm]!]
    const ax = (here % width) - (before % width)
    const ay = Math.floor(here / width) - Math.floor(before / width)
    const bx = (after % width) - (here % width)
    const by = Math.floor(after / width) - Math.floor(here / width)
    const cosine = (ax * bx + ay * by) / Math.sqrt(Math.max(1, (ax * ax + ay * ay) * (bx * bx + by * by)))
    if (cosine < sharpest && (bow === Infinity || (runsWithin(path, width, k - arm, k, bow) && runsWithin(path, width, k, k + arm, bow)))) {
      sharpest = cosine
      sharpestAt = k
    }
    if (sharpestAt >= 0 && (k - sharpestAt >= arm || k === path.length - arm - 1)) {
      found.push(sharpestAt + 1)
      sharpest = least
      sharpestAt = -1
    }
  }
  return found
}

/** Whether a stretch of a path strays from its chord by no more than so many pixels. */
function runsWithin(path: Int32Array, width: number, from: number, to: number, bow: number): boolean {
  const [x, y] = [path[from]! % width, Math.floor(path[from]! / width)]
  const dx = (path[to]! % width) - x
  const dy = Math.floor(path[to]! / width) - y
  const most = bow * Math.sqrt(dx * dx + dy * dy)
  for (let k = from + 1; k < to; k++) {
    if (Math.abs(((path[k]! % width) - x) * dy - (Math.floor(path[k]! / width) - y) * dx) > most) return false
  }
  return true
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
