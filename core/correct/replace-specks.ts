import type { OperationContext } from '../operations/operation.js'
import type { Region, FloatRaster } from '../raster/raster.js'
import { brightnessOf } from '../operations/brightness.js'
import { raysThrough, TONE_PLACES } from '../kernels/filling/rays.js'

/** Connected pixels, one list a speck. */
export type Specks = readonly Int32Array[]

/** Directions in which a place that lends its grain is looked for. */
const DIRECTIONS = [[1, 0], [-1, 0], [0, 1], [0, -1], [1, 1], [-1, -1], [1, -1], [-1, 1]] as const
/** How far a ray goes, and how far away a place that lends lies, in sizes of the largest speck. */
const RAY_SIZES = 2.5
const LENDER_SIZES = [1, 1.5] as const
/** Brightness further from the middle of the rays, besides noise, is another thing, encoded 0..1. */
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
  const cell = Math.max(8, Math.ceil(size))
  const tonesOf = raysThrough(below, masked, { luminance: context.luminance, otherTone: OTHER_TONE + 4 * noise, mostSteps: Math.ceil(RAY_SIZES * size) })
  const lenders = new Map<number, Lender | null>()
  const columns = Math.ceil((region.x + width) / cell) + 1
  for (let y = wanted.y; y < wanted.y + wanted.height; y++) {
    const tones = tonesOf(y, wanted.x, wanted.x + wanted.width)
    for (let x = wanted.x, at = 0; x < wanted.x + wanted.width; x++) {
      if (!masked[y * width + x]) continue
      if (tones[at]! >= 0) replace(x, y, tones, at)
      at += TONE_PLACES
    }
  }
  return { ...below, data: result }

  /** The tone that was found, with the grain that is lent. */
  function replace(x: number, y: number, tones: Float64Array, at: number): void {
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
      result[i * channels + c] = Math.max(0, Math.min(1, tones[at + c]! + grain))
    }
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
