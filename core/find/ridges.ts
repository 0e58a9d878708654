import { PlaneWorkshop, type KernelPlane, type RidgeMiddles } from '../kernels/planes.js'
import type { Plane } from '../raster/raster.js'
import { blockDeviations, blockSide, type Octaves } from './candidates.js'

/** A thin thing that stands out from both of its sides, followed from end to end. */
export interface RidgePath {
  /** Along its middle, in pixels of the searched plane, a point for each pixel of the octave. */
  readonly points: readonly (readonly [number, number])[]
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
/** Shortest path that is kept, and the widest gap that is bridged, in pixels of the octave. */
const SHORTEST = 9
const GAP = 7
/** Of how many points the direction is taken when a path is followed over a gap. */
const MEMORY = 9

/** Steps to the eight neighbours, round about. */
const STEP_X = [1, 1, 0, -1, -1, -1, 0, 1] as const
const STEP_Y = [0, 1, 1, 1, 0, -1, -1, -1] as const

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
  octaves.planes.slice(0, last + 1).forEach((plane, octave) => {
    if (plane.width < 24 || plane.height < 24) return
    const ridges = ridgesOf(plane, octave)
    followAll(ridges, octave, paths)
  })
  return paths
}

interface Ridges extends Plane, Omit<RidgeMiddles, 'answers'> {
  readonly unrest: Plane & { quiet: number }
  readonly side: number
}

/** How much stronger than its sides a line answers at least: a bright line looks like two dark ones beside it, and the other way round. */
const SIDE = 1.5

function ridgesOf(plane: Plane, octave: number): Ridges {
  const { width, height } = plane
  const workshop = new PlaneWorkshop(width, height, 7)
  const [source, smooth, strength] = [0, 1, 2].map((n) => workshop.plane(n)) as [KernelPlane, KernelPlane, KernelPlane]
  source.data.set(plane.data)
  workshop.blur(source, smooth)
  workshop.ridgeStrength(smooth, strength)
  const side = blockSide(octave)
  const unrest = blockDeviations(workshop, strength, plane, side)
  const { answers, ...middles } = workshop.middlesOfRidges(smooth, strength, unrest, side, { goOn: GO_ON, start: START, side: SIDE }, 3)
  return { width, height, data: answers, ...middles, unrest, side }
}

/** Follow all ridges of one octave, the strongest first; a pixel belongs to one path. */
function followAll(ridges: Ridges, octave: number, into: RidgePath[]): void {
  const { width, height, data, seeds, unrest, side } = ridges
  const used = new Uint8Array(width * height)
  const scale = 2 ** octave
  for (let k = seeds.length - 1; k >= 0; k--) {
    const seed = seeds[k]! % data.length
    if (used[seed]) continue
    const sign = data[seed]! > 0 ? 1 : -1
    const along = (ridges.across[seed]! + 2) % 8
    used[seed] = 1
    const forward = follow(ridges, used, seed, along, sign)
    const backward = follow(ridges, used, seed, (along + 4) % 8, sign)
    for (const path of withoutCorners([...backward.reverse(), seed, ...forward], width)) {
      if (path.length < SHORTEST) continue
      let sum = 0
      let restless = 0
      for (const i of path) {
        sum += Math.abs(data[i]!)
        restless += unrest.data[Math.min(unrest.height - 1, Math.floor(i / width / side)) * unrest.width + Math.min(unrest.width - 1, Math.floor((i % width) / side))]!
      }
      into.push({ points: smoothed(path.map((i) => middleOf(ridges, i, scale))), sign, octave, response: sum / path.length, unrest: restless / path.length / Math.max(1e-9, unrest.quiet) })
    }
  }
}

/** So many points before and after tell whether a path turns a corner, and the cosine below which it does: scratches and hairs bend, they do not turn. */
const ARM = 8
const CORNER = 0.7

/** A path parted where it turns from one thing into another: out of a wall's edge into the scratch that ends there. */
function withoutCorners(path: readonly number[], width: number): (readonly number[])[] {
  const parts: (readonly number[])[] = []
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
      parts.push(path.slice(start, corner + 1))
      start = corner + 1
      sharpest = CORNER
      corner = -1
    }
  }
  parts.push(start === 0 ? path : path.slice(start))
  return parts
}

/** Pixels of a ridge from a seed on, in one direction; gaps are bridged along the way it went. */
function follow(ridges: Ridges, used: Uint8Array, seed: number, heading: number, sign: -1 | 1): number[] {
  const { width, height, data } = ridges
  const path: number[] = []
  let here = seed
  let direction = heading
  for (;;) {
    let best = -1
    let bestValue = 0
    for (let turn = -1; turn <= 1; turn++) {
      const to = (direction + turn + 8) & 7
      const i = here + STEP_Y[to]! * width + STEP_X[to]!
      if (i < 0 || i >= data.length || used[i]) continue
      const value = sign * data[i]! * (turn === 0 ? 1.15 : 1)
      if (value > bestValue) {
        bestValue = value
        best = i
      }
    }
    if (best < 0) best = overGap(ridges, used, path.length > 0 ? path : [seed], seed, direction, sign)
    if (best < 0) return path
    const bestX = best % width
    const bestY = Math.floor(best / width)
    const dx = bestX - (here % width)
    const dy = bestY - Math.floor(here / width)
    // Its neighbours across belong to the same line.
    for (let k = 0; k < 8; k++) {
      const x = bestX + STEP_X[k]!
      const y = bestY + STEP_Y[k]!
      if (x >= 0 && y >= 0 && x < width && y < height && STEP_X[k]! * dx + STEP_Y[k]! * dy <= 0) used[y * width + x] = 1
    }
    used[best] = 1
    path.push(best)
    const back = path.length < 4 ? seed : path[path.length - 4]!
    direction = nearestDirection(bestX - (back % width), bestY - Math.floor(back / width), direction)
    here = best
  }
}

/** The next pixel of a ridge beyond a gap, straight on as the path went; -1 for none. */
function overGap({ width, height, data }: Ridges, used: Uint8Array, path: readonly number[], seed: number, direction: number, sign: -1 | 1): number {
  const end = path.at(-1)!
  const back = path.length >= MEMORY ? path[path.length - MEMORY]! : seed
  let dx = (end % width) - (back % width)
  let dy = Math.floor(end / width) - Math.floor(back / width)
  const length = Math.sqrt(dx * dx + dy * dy)
  if (length < 4) {
    dx = STEP_X[direction]!
    dy = STEP_Y[direction]!
  } else {
    dx /= length
    dy /= length
  }
  for (let t = 2; t <= Math.min(GAP, path.length); t++) {
    for (let k = 0; k < 3; k++) {
      // Straight on first, then to either side.
      const aside = k === 2 ? -1 : k
      const x = Math.round((end % width) + t * dx - aside * dy)
      const y = Math.round(Math.floor(end / width) + t * dy + aside * dx)
      if (x < 2 || y < 2 || x >= width - 2 || y >= height - 2) continue
      const i = y * width + x
      if (!used[i] && data[i]! * sign > 0) return i
    }
  }
  return -1
}

function nearestDirection(dx: number, dy: number, otherwise: number): number {
  let best = otherwise
  let most = 0
  for (let k = 0; k < 8; k++) {
    // A diagonal step is longer: 1 / sqrt(2).
    const value = (STEP_X[k]! * dx + STEP_Y[k]! * dy) * (k % 2 === 1 ? 0.7071067811865475 : 1)
    if (value > most) {
      most = value
      best = k
    }
  }
  return best
}

function middleOf({ width, across, offset }: Ridges, i: number, scale: number): readonly [number, number] {
  const aside = offset[i]! / 64
  return [((i % width) + 0.5 + aside * STEP_X[across[i]!]!) * scale, (Math.floor(i / width) + 0.5 + aside * STEP_Y[across[i]!]!) * scale]
}

/** Each point the mean of five: pixels' steps taken out. */
function smoothed(points: readonly (readonly [number, number])[]): (readonly [number, number])[] {
  return points.map((_point, k) => {
    const reach = Math.min(2, k, points.length - 1 - k)
    let x = 0
    let y = 0
    for (let j = k - reach; j <= k + reach; j++) {
      x += points[j]![0]
      y += points[j]![1]
    }
    return [x / (2 * reach + 1), y / (2 * reach + 1)] as const
  })
}
