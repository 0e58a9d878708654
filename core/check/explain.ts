import { logLight } from '../raster/log-light.js'
import { clipRegion, growRegion, type PixelSource } from '../raster/raster.js'
import type { Transfer } from '../raster/transfer.js'
import { distanceOutside, shapeBounds, shapeThickness, type Shape } from '../shape/shape.js'
import { lineSpectrum } from './line-spectrum.js'

/** What is drawn to explain the telltales of a mend. */
export interface Explanation {
  /** Mean tone against the distance from the outline, and its usual spread there. */
  readonly profile: readonly { readonly distance: number; readonly tone: number; readonly spread: number }[]
  /** Power of detail against frequency, inside and in the band outside, in the same units. */
  readonly spectrum: readonly { readonly frequency: number; readonly inside: number; readonly outside: number }[]
}

/** Lines of pixels that the spectrum is taken from are so long. */
const LINE = 8

/**
 * Measure what a drawing needs to show why a mend gives itself away, or does not.
 *
 * @param picture  With the mend in it.
 * @returns Tone as the natural logarithm of linear light, distances in pixels (negative inside), frequencies in cycles
 *          a pixel. Lists are empty where the shape is too small.
 */
export function explainMend(picture: PixelSource, transfer: Transfer, shape: Shape): Explanation {
  const thickness = Math.max(1.5, shapeThickness(shape))
  const reach = Math.ceil(1.2 * thickness + 10)
  const region = clipRegion(growRegion(shapeBounds(shape), reach), picture.width, picture.height)
  const light = logLight(picture.read(region), transfer)
  const distance = distanceOutside(shape, region, reach + 1)
  return { profile: profileOf(light.data, distance.data, thickness, reach), spectrum: spectrumOf(light.data, distance.data, region.width, region.height) }
}

function profileOf(tone: Float32Array, distance: Float32Array, thickness: number, reach: number): Explanation['profile'] {
  const step = Math.max(1, thickness / 12)
  const first = -Math.ceil(Math.min(thickness, 14 * step) / step)
  const bins = Array.from({ length: Math.ceil(reach / step) - first }, () => ({ sum: 0, square: 0, count: 0 }))
  for (let i = 0; i < tone.length; i++) {
    const bin = bins[Math.floor(distance[i]! / step) - first]
    if (!bin) continue
    bin.sum += tone[i]!
    bin.square += tone[i]! * tone[i]!
    bin.count++
  }
  return bins.flatMap(({ sum, square, count }, k) => {
    if (count < 3) return []
    const mean = sum / count
    return [{ distance: (k + first + 0.5) * step, tone: mean, spread: Math.sqrt(Math.max(0, square / count - mean * mean)) }]
  })
}

function spectrumOf(tone: Float32Array, distance: Float32Array, width: number, height: number): Explanation['spectrum'] {
  const inside = lineSpectrum(tone, width, height, LINE, (i) => distance[i]! < -0.5)
  const outside = lineSpectrum(tone, width, height, LINE, (i) => distance[i]! > 2)
  if (!inside || !outside) return []
  return inside.map((value, k) => ({ frequency: (k + 1) / LINE, inside: value, outside: outside[k]! }))
}
