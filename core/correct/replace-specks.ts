import type { OperationContext } from '../operations/operation.js'
import type { Region, FloatRaster } from '../raster/raster.js'
import { brightnessOf } from '../operations/brightness.js'

/** Connected pixels, one list a speck. */
export type Specks = readonly Int32Array[]

/** Directions in which the surroundings of a pixel, and a place that lends its grain, are looked for. */
const DIRECTIONS = [[1, 0], [-1, 0], [0, 1], [0, -1], [1, 1], [-1, -1], [1, -1], [-1, 1]] as const
const STEP_X = Int32Array.from(DIRECTIONS, ([dx]) => dx)
const STEP_Y = Int32Array.from(DIRECTIONS, ([, dy]) => dy)
const DIAGONAL = 1.4142135623730951
/** How far a ray goes, and how far away a place that lends lies, in sizes of the largest speck. */
const RAY_SIZES = 2.5
const LENDER_SIZES = [1, 1.5] as const
/** Clean pixels of a ray that are averaged, so that their noise is no streak. */
const AVERAGED = 4
/** Brightness further from the middle of the rays is another thing, encoded 0..1. */
const OTHER_TONE = 0.04
/** Lent grain lies no further out than so many deviations of the noise: more would be a ghost of something. */
const FURTHEST = 3

/** How far from a pixel of a speck its replacement is looked for, in pixels. */
export const lookedAround = (size: number): number => Math.ceil(Math.max(RAY_SIZES, LENDER_SIZES[1] + 2) * size)

interface Lender {
  readonly shift: number
  /** Value, slope across and down of each channel over the cell that lends. */
  readonly planes: readonly (readonly [number, number, number])[]
}

/**
 * Replace specks by their surroundings: the tone of the nearest clean pixels in eight directions, the nearer the more, and
 * the grain of a clean place close by that is as bright.
 *
 * @param specks  Of the raster, pixel indices.
 * @param size    Of the largest speck, in pixels.
 * @param noise   Deviation of the noise of brightness.
 * @param region  Where the raster lies in the level: cells that borrow grain are those of the picture, whatever is read.
 * @param wanted  The part of the raster in which specks are replaced.
 */
export function replaceSpecks(below: FloatRaster, specks: Specks, size: number, noise: number, context: OperationContext, region: Region, wanted: Region): FloatRaster {
  if (specks.length === 0) return below
  const { width, height, channels, data } = below
  const masked = grown(specks, width, height, 1 + Math.round(size / 10))
  const brightness = brightnessOf(below, context).data
  const result = data.slice()
  const tone = new Float64Array(channels)
  const mostSteps = Math.ceil(RAY_SIZES * size)
  const cell = Math.max(8, Math.ceil(size))
  const rays = Array.from({ length: 8 }, () => new Float64Array(3))
  const [met8, brights] = [new Float64Array(8), new Float64Array(8)]
  const lenders = new Map<number, Lender | null>()
  const columns = Math.ceil((region.x + width) / cell) + 1
  for (let y = wanted.y; y < wanted.y + wanted.height; y++) {
    for (let x = wanted.x; x < wanted.x + wanted.width; x++) if (masked[y * width + x] && toneAt(x, y)) replace(x, y)
  }
  return { ...below, data: result }

  /** The tone that was found, with the grain that is lent. */
  function replace(x: number, y: number): void {
    const [column, row] = [Math.floor((region.x + x) / cell), Math.floor((region.y + y) / cell)]
    const key = row * columns + column
    let lender = lenders.get(key)
    const [left, top] = [column * cell - region.x, row * cell - region.y]
    if (lender === undefined) lenders.set(key, (lender = lenderOf(left, top)))
    const i = y * width + x
    for (let c = 0; c < channels; c++) {
      let grain = 0
      if (lender) {
        const [a, b, d] = lender.planes[c]!
        grain = Math.max(-FURTHEST * noise, Math.min(FURTHEST * noise, data[(i + lender.shift) * channels + c]! - (a + b * (x - left) + d * (y - top))))
      }
      result[i * channels + c] = Math.max(0, Math.min(1, tone[c]! + grain))
    }
  }

  /** Mean of what the rays meet; false where there is nothing clean. */
  function toneAt(x: number, y: number): boolean {
    tone.fill(0)
    met8.fill(0)
    for (let d = 0; d < 8; d++) {
      const [dx, dy] = [STEP_X[d]!, STEP_Y[d]!]
      const stride = dy * width + dx
      // Steps until the edge of the raster: no pixel of a ray is asked where it lies.
      const along = Math.min(dx > 0 ? width - 1 - x : dx < 0 ? x : Infinity, dy > 0 ? height - 1 - y : dy < 0 ? y : Infinity)
      let steps = 1
      let at = y * width + x + stride
      while (steps < mostSteps && steps <= along && masked[at]) {
        at += stride
        steps++
      }
      let met = 0
      const own = rays[d]!.fill(0)
      while (met < AVERAGED && steps + met <= along && !masked[at]) {
        for (let c = 0; c < channels; c++) own[c]! += data[at * channels + c]!
        met++
        at += stride
      }
      if (met === 0) continue
      const distance = steps * (dx !== 0 && dy !== 0 ? DIAGONAL : 1)
      met8[d] = 1 / (distance * distance)
      let bright = 0
      for (let c = 0; c < channels; c++) bright += (channels === 1 ? 1 : context.luminance[c]!) * (own[c]! /= met)
      brights[d] = bright
    }
    // A ray that meets something of another tone than most has little to say: no streak of it runs into the mend.
    const middle = weightedMiddle(brights, met8)
    let sum = 0
    for (let d = 0; d < 8; d++) {
      if (met8[d] === 0) continue
      const off = (brights[d]! - middle) / (OTHER_TONE + 4 * noise)
      const say = met8[d]! / (1 + off * off * off * off)
      for (let c = 0; c < channels; c++) tone[c]! += say * rays[d]![c]!
      sum += say
    }
    if (sum === 0) return false
    for (let c = 0; c < channels; c++) tone[c]! /= sum
    return true
  }

  /** The clean cell near by whose brightness is nearest and that is calmest. */
  function lenderOf(left: number, top: number): Lender | null {
    // The tone of the cell, not of the pixel that came first: that depends on where the raster begins.
    let [wantedSum, wantedCount] = [0, 0]
    for (let y = Math.max(0, top); y < Math.min(height, top + cell); y++) {
      for (let x = Math.max(0, left); x < Math.min(width, left + cell); x++) {
        if (masked[y * width + x]) continue
        wantedSum += brightness[y * width + x]!
        wantedCount++
      }
    }
    let best: { dx: number; dy: number; cost: number } | null = null
    for (const distance of LENDER_SIZES) {
      for (const [ux, uy] of DIRECTIONS) {
        const [dx, dy] = [Math.round(ux * distance * cell), Math.round(uy * distance * cell)]
        if (left + dx < 0 || top + dy < 0 || left + dx + cell > width || top + dy + cell > height) continue
        let [sum, squares, isClean] = [0, 0, true]
        for (let y = top + dy; y < top + dy + cell && isClean; y++) {
          for (let x = left + dx; x < left + dx + cell; x++) {
            if (masked[y * width + x]) {
              isClean = false
              break
            }
            const value = brightness[y * width + x]!
            sum += value
            squares += value * value
          }
        }
        if (!isClean) continue
        const mean = sum / (cell * cell)
        const cost = (wantedCount > 0 ? Math.abs(mean - wantedSum / wantedCount) : 0) + 2 * Math.sqrt(Math.max(0, squares / (cell * cell) - mean * mean))
        if (!best || cost < best.cost) best = { dx, dy, cost }
      }
      if (best) break
    }
    if (!best) return null
    const { dx, dy } = best
    return { shift: dy * width + dx, planes: Array.from({ length: channels }, (_, c) => planeFit(cell, (x, y) => data[((top + dy + y) * width + left + dx + x) * channels + c]!)) }
  }
}

/** Pixels of the specks and all within a square around each. */
function grown(specks: Specks, width: number, height: number, by: number): Uint8Array {
  const masked = new Uint8Array(width * height)
  for (const speck of specks) {
    for (const i of speck) {
      const x = i % width
      const y = (i - x) / width
      for (let ny = Math.max(0, y - by); ny <= Math.min(height - 1, y + by); ny++) masked.fill(1, ny * width + Math.max(0, x - by), ny * width + Math.min(width, x + by + 1))
    }
  }
  return masked
}

/** Least squares a + b x + d y over a square, x and y counted from its corner. */
function planeFit(side: number, value: (x: number, y: number) => number): [number, number, number] {
  const middle = (side - 1) / 2
  let [sum, sumX, sumY] = [0, 0, 0]
  for (let y = 0; y < side; y++) {
    for (let x = 0; x < side; x++) {
      const v = value(x, y)
      sum += v
      sumX += v * (x - middle)
      sumY += v * (y - middle)
    }
  }
  const moment = (side * side * (side * side - 1)) / 12
  const [b, d] = [sumX / moment, sumY / moment]
  return [sum / (side * side) - (b + d) * middle, b, d]
}

/** Weighted median of eight values. */
function weightedMiddle(values: Float64Array, weights: Float64Array): number {
  let [total, best] = [0, 0]
  for (let i = 0; i < 8; i++) total += weights[i]!
  // Of eight the one with the least weighted distance to all others.
  let least = Infinity
  for (let i = 0; i < 8; i++) {
    if (weights[i] === 0) continue
    let cost = 0
    for (let k = 0; k < 8; k++) cost += (weights[k]! / total) * Math.abs(values[k]! - values[i]!)
    if (cost < least) [least, best] = [cost, values[i]!]
  }
  return best
}
