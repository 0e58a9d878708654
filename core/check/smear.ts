import type { Plane } from '../raster/raster.js'
import { median } from '../numbers/statistics.js'
import type { Measure } from '../treatment/schema.js'
import type { Slopes } from './broken-edge.js'

/** Half the width of the band along the outline in which a halo would lie. */
const HALO = 2
/** The outline, and the same moved outward, where nothing was mended. */
const OUTLINES = [0, 5, 8, 11]
const PARTS = 6
/** Above what two in a hundred good mends of a dive reach (bench/mending/telltales.ts, seeds 74 and 75). */
const LIMIT = 3

/**
 * Is structure washed out inside, or does a rim of tone follow the outline?
 *
 * Two questions, the worse answer counts: how much calmer the inside is than its surroundings at the scale above grain,
 * and how much of the slope along the outline runs across it. Each is held against what parts of the surroundings differ
 * among themselves, and outlines moved outward.
 *
 * @param fine      Log of the light without its grain.
 * @param coarse    The same without its structure.
 * @param distance  From the outline, negative inside.
 * @param partAt    Which part of the outline a pixel belongs to, so that surroundings are compared with themselves.
 */
export function measureSmear(fine: Plane, coarse: Plane, slopes: Slopes, distance: Plane, thickness: number, partAt: (x: number, y: number) => number): Measure {
  return { value: Math.max(washedOut(fine, coarse, distance, thickness, partAt), halo(slopes, distance)), limit: LIMIT }
}

function washedOut({ data: fine, width, height }: Plane, { data: coarse }: Plane, distance: Plane, thickness: number, partAt: (x: number, y: number) => number): number {
  const inside: number[] = []
  const outside: number[][] = Array.from({ length: 8 }, () => [])
  const border = 6
  for (let y = border; y < height - border; y++) {
    for (let x = border; x < width - border; x++) {
      const i = y * width + x
      const d = distance.data[i]!
      if (d < -0.5) inside.push(Math.abs(fine[i]! - coarse[i]!))
      else if (d > 4 && d < 1.3 * thickness + 9) outside[partAt(x, y)]!.push(Math.abs(fine[i]! - coarse[i]!))
    }
  }
  const parts = outside.filter((list) => list.length >= 12).map((list) => median(Float32Array.from(list))).sort((a, b) => a - b)
  if (inside.length < 24 || parts.length < PARTS - 2) return 0
  const here = median(Float32Array.from(inside)) + 1e-6
  const usual = parts[parts.length >> 1]! + 1e-6
  const calmest = parts[0]! + 1e-6
  return usual / here / (1.25 * (usual / calmest) + 0.35)
}

function halo(slopes: Slopes, distance: Plane): number {
  const { width, height, data } = distance
  const normal = new Float64Array(OUTLINES.length)
  const along = new Float64Array(OUTLINES.length)
  const counts = new Int32Array(OUTLINES.length)
  for (let y = 4; y < height - 4; y++) {
    for (let i = y * width + 4; i < (y + 1) * width - 4; i++) {
      const d = data[i]!
      if (d < -HALO || d > OUTLINES.at(-1)! + HALO) continue
      const nx = data[i + 1]! - data[i - 1]!
      const ny = data[i + width]! - data[i - width]!
      const length = Math.sqrt(nx * nx + ny * ny)
      if (length < 0.5) continue
      const n = (slopes.x[i]! * nx + slopes.y[i]! * ny) / length
      for (let k = 0; k < OUTLINES.length; k++) {
        if (Math.abs(d - OUTLINES[k]!) > HALO) continue
        normal[k]! += n * n
        along[k]! += slopes.steepness[i]! * slopes.steepness[i]! - n * n
        counts[k]!++
      }
    }
  }
  const [here, ...around] = OUTLINES.map((_outward, k) => (counts[k]! < 20 ? 0 : normal[k]! / (along[k]! + 1e-12)))
  return here! / (1.4 * Math.max(...around) + 0.8)
}
