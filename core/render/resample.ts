import { PI, sin } from '../raster/exact-math.js'
import type { FloatRaster } from '../operations/operation.js'
import type { Region } from '../raster/raster.js'

/** Lobes of the Lanczos kernel on each side, and steps of its table in one lobe. */
const LOBES = 3
const STEPS = 1024

/**
 * The Lanczos kernel of three lobes, tabulated: sinc(x) sinc(x/3), 0 beyond 3 (Duchon 1979, "Lanczos filtering in one and
 * two dimensions"). Flat at the middle and 0 at every other whole number, so a shift by whole pixels copies exactly.
 */
const KERNEL = (() => {
  const table = new Float64Array(LOBES * STEPS + 2)
  table[0] = 1
  for (let i = 1; i < LOBES * STEPS; i++) {
    const x = (PI * i) / STEPS
    table[i] = i % STEPS === 0 ? 0 : (LOBES * sin(x) * sin(x / LOBES)) / (x * x)
  }
  return table
})()

function kernel(x: number): number {
  const at = Math.abs(x) * STEPS
  if (at >= LOBES * STEPS) return 0
  const i = Math.floor(at)
  return KERNEL[i]! + (KERNEL[i + 1]! - KERNEL[i]!) * (at - i)
}

/** Where a place of the result comes from, both in pixels with centres at .5. */
export type Mapping = (x: number, y: number) => readonly [number, number]

/**
 * Where the pixels of a result come from, and how many pixels of the source lie on one of them: a number where that is the
 * same everywhere, else by the place, so that a pixel does not depend on the region it is made with.
 */
export interface Frame {
  readonly mapping: Mapping
  readonly scale: number | ((x: number, y: number) => number)
}

/** The scale between the places where a region is probed may be so much larger than at them. */
const BETWEEN = 1.1

/** What a region of the result reads of the source, generously: bounds of its mapped places and how far the kernel reaches. */
export function sourceRegion(region: Region, { mapping, scale }: Frame): Region {
  let largest = typeof scale === 'number' ? scale : 0
  let [left, top, right, bottom] = [Infinity, Infinity, -Infinity, -Infinity]
  for (let i = 0; i <= 16; i++) {
    for (let j = 0; j <= 16; j++) {
      const [px, py] = [region.x + (region.width * i) / 16, region.y + (region.height * j) / 16]
      const [x, y] = mapping(px, py)
      if (typeof scale !== 'number') largest = Math.max(largest, BETWEEN * scale(px, py))
      left = Math.min(left, x)
      right = Math.max(right, x)
      top = Math.min(top, y)
      bottom = Math.max(bottom, y)
    }
  }
  const reach = Math.ceil(LOBES * Math.max(1, largest)) + 1
  const x = Math.floor(left) - reach
  const y = Math.floor(top) - reach
  return { x, y, width: Math.ceil(right) + reach - x, height: Math.ceil(bottom) + reach - y }
}

/**
 * Resample a picture through a mapping, once, with a Lanczos kernel of three lobes.
 *
 * @param region  Pixels of the result.
 * @param frame   Where it comes from; where its scale is above 1 the kernel is stretched, so that nothing aliases.
 * @param source  A part of the source picture.
 * @param at      Where that part begins in the source.
 * @param picture Size of the whole source; what lies outside is white, half a pixel at its edge is its edge.
 * @returns Values clamped to 0..1.
 */
export function resample(region: Region, { mapping, scale }: Frame, source: FloatRaster, at: { x: number; y: number }, picture: { width: number; height: number }): FloatRaster {
  const { channels } = source
  const result = new Float32Array(region.width * region.height * channels)
  const across: number[] = []
  const columns: number[] = []
  for (let y = 0; y < region.height; y++) {
    for (let x = 0; x < region.width; x++) {
      const [sx, sy] = mapping(region.x + x + 0.5, region.y + y + 0.5)
      const to = (y * region.width + x) * channels
      if (!(sx >= 0 && sy >= 0 && sx <= picture.width && sy <= picture.height)) {
        for (let c = 0; c < channels; c++) result[to + c] = 1
        continue
      }
      const stretch = Math.max(1, typeof scale === 'number' ? scale : scale(region.x + x + 0.5, region.y + y + 0.5))
      const reach = LOBES * stretch
      const [px, py] = [sx - 0.5, sy - 0.5]
      const [firstX, lastX] = [Math.ceil(px - reach), Math.floor(px + reach)]
      const [firstY, lastY] = [Math.ceil(py - reach), Math.floor(py + reach)]
      let count = 0
      let sumX = 0
      for (let column = firstX; column <= lastX; column++) {
        const weight = kernel((column - px) / stretch)
        if (weight === 0) continue
        across[count] = weight
        columns[count] = (Math.max(0, Math.min(picture.width - 1, column)) - at.x) * channels
        sumX += weight
        count++
      }
      let sumY = 0
      for (let row = firstY; row <= lastY; row++) {
        const weight = kernel((row - py) / stretch)
        if (weight === 0) continue
        sumY += weight
        const line = (Math.max(0, Math.min(picture.height - 1, row)) - at.y) * source.width * channels
        for (let c = 0; c < channels; c++) {
          let sum = 0
          for (let k = 0; k < count; k++) sum += across[k]! * source.data[line + columns[k]! + c]!
          result[to + c]! += weight * sum
        }
      }
      const total = sumX * sumY
      for (let c = 0; c < channels; c++) result[to + c] = Math.max(0, Math.min(1, result[to + c]! / total))
    }
  }
  return { width: region.width, height: region.height, channels, data: result }
}
