import { logLight } from '../raster/log-light.js'
import { cos, PI, sin } from '../numbers/exact-math.js'
import { clipRegion, growRegion, type PixelSource } from '../raster/raster.js'
import type { Transfer } from '../raster/transfer.js'
import { distanceOutside, shapeBounds, shapeThickness, type Shape } from '../shape/shape.js'

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

/** Periodograms of short level lines of pixels, sloping ground taken off, averaged (Welch 1967). */
function spectrumOf(tone: Float32Array, distance: Float32Array, width: number, height: number): Explanation['spectrum'] {
  const power = (wanted: (d: number) => boolean): number[] | null => {
    const sums = new Array<number>(LINE / 2).fill(0)
    let lines = 0
    for (let y = 0; y < height; y++) {
      for (let x = 0; x + LINE <= width; x += LINE / 2) {
        const start = y * width + x
        let all = true
        for (let k = 0; k < LINE && all; k++) all = wanted(distance[start + k]!)
        if (!all) continue
        lines++
        const line = flattened(tone.subarray(start, start + LINE))
        for (let f = 1; f <= LINE / 2; f++) {
          let re = 0
          let im = 0
          for (let k = 0; k < LINE; k++) {
            re += line[k]! * cos((2 * PI * f * k) / LINE)
            im += line[k]! * sin((2 * PI * f * k) / LINE)
          }
          sums[f - 1]! += re * re + im * im
        }
      }
    }
    return lines < 3 ? null : sums.map((sum) => sum / lines)
  }
  const inside = power((d) => d < -0.5)
  const outside = power((d) => d > 2)
  if (!inside || !outside) return []
  return inside.map((value, k) => ({ frequency: (k + 1) / LINE, inside: value, outside: outside[k]! }))
}

function flattened(line: Float32Array): number[] {
  const n = line.length
  const mean = line.reduce((sum, value) => sum + value, 0) / n
  let slope = 0
  let norm = 0
  line.forEach((value, k) => {
    slope += (k - (n - 1) / 2) * value
    norm += (k - (n - 1) / 2) * (k - (n - 1) / 2)
  })
  return Array.from(line, (value, k) => value - mean - (slope / norm) * (k - (n - 1) / 2))
}
