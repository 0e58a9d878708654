import { ln } from '../raster/exact-math.js'
import type { Plane } from '../raster/raster.js'
import { selectSmallest } from '../raster/statistics.js'

/** Unit vectors of the directions in which a disc is looked at from its middle, a sixteenth of a turn apart. */
const QUARTER = [[1, 0], [0.9238795325, 0.3826834324], [0.7071067812, 0.7071067812], [0.3826834324, 0.9238795325]] as const
const ALL = [...QUARTER, ...QUARTER.map(([x, y]) => [-y, x] as const), ...QUARTER.map(([x, y]) => [-x, -y] as const), ...QUARTER.map(([x, y]) => [y, -x] as const)]

/** How far out the rings lie, in radii of the disc and pixels more: two within, one on its edge, five around. */
const RINGS = [[0.35, 0], [0.75, 0], [1, 0.6], [1.25, 1.2], [1.6, 1.6], [2.1, 2], [2.8, 3], [3.8, 4]] as const
/** The middle of what these two show is the ground that the disc lies on. */
const GROUND = [4, 5] as const
/** What leads outward from a disc is looked for from its edge to here. */
const SPOKE = [3, 6] as const

const COUNT = ALL.length
/** The same as the innermost loop reads them. */
const TURN_X = Float64Array.from({ length: COUNT }, (_value, k) => ALL[k]![0])
const TURN_Y = Float64Array.from({ length: COUNT }, (_value, k) => ALL[k]![1])
/** So many numbers are told of the rings of a disc. */
export const RING_FEATURES = 4 * RINGS.length + 2

const seen = new Float32Array(RINGS.length * COUNT)
const ground = new Float32Array(GROUND.length * COUNT)

/**
 * What lies on rings in and around a disc, in multiples of the disc's own difference from its ground: of each ring the
 * mean, the logarithm of the deviation, the least and the most; and of all directions the most that is left all the way
 * outward, and on average. A disc that lies on the picture is even, and nothing leads out of it or goes on around.
 *
 * @param plane      Log light.
 * @param x          Of its middle, in pixels of the plane; so are y and r.
 * @param amplitude  Of the disc, not 0.
 * @param features   What else is known, which they are added to.
 * @returns          The same with `RING_FEATURES` numbers more.
 */
export function ringsOfDisc({ width, height, data }: Plane, x: number, y: number, r: number, amplitude: number, features: number[] = []): number[] {
  const [right, below] = [width - 1.001, height - 1.001]
  for (let ring = 0; ring < RINGS.length; ring++) {
    const distance = RINGS[ring]![0] * r + RINGS[ring]![1]
    for (let k = 0; k < COUNT; k++) {
      let px = x - 0.5 + distance * TURN_X[k]!
      let py = y - 0.5 + distance * TURN_Y[k]!
      // Beyond the edge the edge pixel is repeated.
      if (!(px > 0)) px = 0
      else if (px > right) px = right
      if (!(py > 0)) py = 0
      else if (py > below) py = below
      const column = px | 0
      const row = py | 0
      const u = px - column
      const v = py - row
      const i = row * width + column
      const upper = data[i]! * (1 - u) + data[i + 1]! * u
      const lower = data[i + width]! * (1 - u) + data[i + width + 1]! * u
      seen[ring * COUNT + k] = upper * (1 - v) + lower * v
    }
  }
  for (let g = 0; g < GROUND.length; g++) for (let k = 0; k < COUNT; k++) ground[g * COUNT + k] = seen[GROUND[g]! * COUNT + k]!
  const level = selectSmallest(ground, ground.length, ground.length >> 1)
  for (let i = 0; i < seen.length; i++) seen[i] = (seen[i]! - level) / amplitude

  for (let ring = 0; ring < RINGS.length; ring++) {
    let sum = 0
    let squares = 0
    let least = Infinity
    let most = -Infinity
    for (let k = ring * COUNT; k < (ring + 1) * COUNT; k++) {
      const value = seen[k]!
      sum += value
      squares += value * value
      least = Math.min(least, value)
      most = Math.max(most, value)
    }
    const mean = sum / COUNT
    features.push(bounded(mean), ln(Math.max(0.02, Math.min(4, Math.sqrt(Math.max(0, squares / COUNT - mean * mean))))), bounded(least), bounded(most))
  }
  let [strictest, fullest] = [-Infinity, -Infinity]
  for (let k = 0; k < COUNT; k++) {
    let least = Infinity
    let sum = 0
    for (let ring = SPOKE[0]; ring <= SPOKE[1]; ring++) {
      least = Math.min(least, seen[ring * COUNT + k]!)
      sum += seen[ring * COUNT + k]!
    }
    strictest = Math.max(strictest, least)
    fullest = Math.max(fullest, sum / (SPOKE[1] - SPOKE[0] + 1))
  }
  features.push(bounded(strictest), bounded(fullest))
  return features
}

const MOST = 4
const bounded = (value: number) => Math.max(-MOST, Math.min(MOST, value))
