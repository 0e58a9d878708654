import type { FloatRaster } from '@fennip/core/raster/raster.js'

/** Ways of looking that never touch the result. They work on the samples at full depth, before these are brought to the screen. */
export const LENSES = ['plain', 'negative', 'relief', 'grain', 'change'] as const
export type Lens = (typeof LENSES)[number]

/** How wide a neighbourhood the relief lens compares with while nobody says otherwise, in pixels of the picture. */
export const RELIEF_RADIUS = 48
/** Half the side of the neighbourhood that the grain lens takes away, in pixels of the level that is shown. */
export const GRAIN_RADIUS = 2
const MIDDLE = 0.5

const within = (value: number) => Math.max(0, Math.min(1, value))

/** A negative; strength 0..1 opens the dark tones, which are the bright ones of the picture. */
export function asNegative(raster: FloatRaster, strength: number): FloatRaster {
  const power = 1 - 0.7 * strength
  return { ...raster, data: raster.data.map((value) => (1 - within(value)) ** power) }
}

/**
 * Monochrome with strong local contrast: what differs from the mean of its neighbourhood, raised.
 *
 * @param raster  A wider area than is shown.
 * @param radius  Half the side of the neighbourhood in pixels.
 */
export function asRelief({ width, height, channels, data }: FloatRaster, radius: number, strength: number): FloatRaster {
  const grey = new Float32Array(width * height)
  for (let i = 0; i < grey.length; i++) grey[i] = channels === 1 ? data[i]! : 0.3 * data[3 * i]! + 0.55 * data[3 * i + 1]! + 0.15 * data[3 * i + 2]!
  const means = localMeans(grey, width, height, radius)
  const gain = 2 + 14 * strength
  const result = new Float32Array(data.length)
  for (let i = 0; i < result.length; i++) {
    const at = Math.floor(i / channels)
    result[i] = within(MIDDLE + gain * (grey[at]! - means[at]!))
  }
  return { width, height, channels, data: result }
}

/** Fine detail alone, in its colours: what a flat patch lacks and what was sharpened has too much of. */
export function asGrain({ width, height, channels, data }: FloatRaster, strength: number): FloatRaster {
  const gain = 2 + 14 * strength
  const channel = new Float32Array(width * height)
  const result = new Float32Array(data.length)
  for (let c = 0; c < channels; c++) {
    for (let i = 0; i < channel.length; i++) channel[i] = data[channels * i + c]!
    const means = localMeans(channel, width, height, GRAIN_RADIUS)
    for (let i = 0; i < channel.length; i++) result[channels * i + c] = within(MIDDLE + gain * (channel[i]! - means[i]!))
  }
  return { width, height, channels, data: result }
}

/** What changed between two pictures: no change is mid grey, changes `gain` times as large. */
export function asChange(before: FloatRaster, after: FloatRaster, gain: number): FloatRaster {
  return { ...after, data: after.data.map((value, i) => within(MIDDLE + gain * (value - before.data[i]!))) }
}

/** Mean of a square around each pixel, as far as it lies inside. */
function localMeans(values: Float32Array, width: number, height: number, radius: number): Float32Array {
  const sums = new Float64Array((width + 1) * (height + 1))
  for (let y = 0; y < height; y++) {
    let row = 0
    for (let x = 0; x < width; x++) {
      row += values[y * width + x]!
      sums[(y + 1) * (width + 1) + x + 1] = sums[y * (width + 1) + x + 1]! + row
    }
  }
  const means = new Float32Array(width * height)
  for (let y = 0; y < height; y++) {
    const top = Math.max(0, y - radius)
    const bottom = Math.min(height, y + radius + 1)
    for (let x = 0; x < width; x++) {
      const left = Math.max(0, x - radius)
      const right = Math.min(width, x + radius + 1)
      const sum = sums[bottom * (width + 1) + right]! - sums[top * (width + 1) + right]! - sums[bottom * (width + 1) + left]! + sums[top * (width + 1) + left]!
      means[y * width + x] = sum / ((bottom - top) * (right - left))
    }
  }
  return means
}
