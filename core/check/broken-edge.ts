import type { Plane } from '../raster/raster.js'
import { DEVIATION_PER_MAD, median } from '../numbers/statistics.js'
import type { Measure } from '../treatment/schema.js'

/** An edge is steeper than this many times what is usual around. */
const STRONG = 3
/** So far outside an outline, in pixels, an edge is looked for that meets it. */
const MET = { from: 1.5, to: 3.5 } as const
/** How far an edge is followed inward, in pixels. */
const FOLLOWED = 7
/** How far aside its continuation may lie. */
const ASIDE = 1.5
/** Outlines moved outward so far show what edges do by themselves. */
const OUTWARD = [7, 9, 11]

/** A break of 1 is an edge that is not there at all: near it a mend shows whatever the surroundings do. */
const GONE = 0.75

/** Slopes of a plane by central differences. */
export interface Slopes {
  readonly x: Float32Array
  readonly y: Float32Array
  readonly steepness: Float32Array
}

export function slopesOf({ width, height, data: smooth }: Plane): Slopes {
  const x = new Float32Array(smooth.length)
  const y = new Float32Array(smooth.length)
  const steepness = new Float32Array(smooth.length)
  for (let row = 1; row + 1 < height; row++) {
    for (let column = 1; column + 1 < width; column++) {
      const i = row * width + column
      x[i] = 0.5 * (smooth[i + 1]! - smooth[i - 1]!)
      y[i] = 0.5 * (smooth[i + width]! - smooth[i - width]!)
      steepness[i] = Math.sqrt(x[i]! * x[i]! + y[i]! * y[i]!)
    }
  }
  return { x, y, steepness }
}

/**
 * Does an edge that meets the outline go on inside, as steep and in the same direction?
 *
 * Every strong edge just outside is followed along itself across the outline; what is missing of its slope there, or too
 * much, is the break. The same is asked across outlines moved outward, where nothing was mended.
 *
 * @param slopes    Of the log of the light without its grain.
 * @param distance  From the outline, negative inside.
 */
export function measureBrokenEdge(slopes: Slopes, distance: Plane): Measure {
  const { width, height, data } = distance
  const around = new Float32Array(data.length)
  let countAround = 0
  for (let i = 0; i < data.length; i++) if (data[i]! > 2 && slopes.steepness[i]! > 0) around[countAround++] = slopes.steepness[i]!
  const strong = STRONG * DEVIATION_PER_MAD * median(around, countAround)
  // On most ground hardly any pixel is one of these, and all outlines ask for them.
  const edges: number[] = []
  for (let y = 8; y < height - 8; y++) {
    for (let i = y * width + 8; i < (y + 1) * width - 8; i++) if (data[i]! >= MET.from && data[i]! <= OUTWARD.at(-1)! + MET.to && slopes.steepness[i]! >= strong) edges.push(i)
  }
  const breakAcross = (outward: number): number => {
    let sum = 0
    let weight = 0
    let count = 0
    for (const i of edges) {
      const d = data[i]!
      if (d < outward + MET.from || d > outward + MET.to) continue
      const x = i % width
      const y = Math.floor(i / width)
      const steepness = slopes.steepness[i]!
      const gx = slopes.x[i]! / steepness
      const gy = slopes.y[i]! / steepness
      const at = (sign: number) => Math.round(y + sign * FOLLOWED * gx) * width + Math.round(x - sign * FOLLOWED * gy)
      const sign = data[at(1)]! < data[at(-1)]! ? 1 : -1
      if (data[at(sign)]! > outward - 1) continue
      let best = 0
      for (let k = -ASIDE; k <= ASIDE; k += 0.5) {
        const j = Math.round(y + sign * FOLLOWED * gx + k * gy) * width + Math.round(x - sign * FOLLOWED * gy + k * gx)
        best = Math.max(best, slopes.x[j]! * gx + slopes.y[j]! * gy)
      }
      sum += steepness * Math.min(1, Math.abs(1 - best / steepness))
      weight += steepness
      count++
    }
    return count < 6 ? 0 : sum / weight
  }
  const usual = Math.max(...OUTWARD.map(breakAcross))
  return { value: breakAcross(0), limit: Math.min(GONE, 1.5 * usual + 0.4) }
}
