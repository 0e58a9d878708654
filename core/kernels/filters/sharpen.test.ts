import { describe, expect, it } from 'vitest'
import { makeRandom } from '../../random.js'
import { gaussianWeights } from '../../raster/blur.js'
import { forgetKernels } from '../module.js'
import { filterBothWays } from '../smoothing/gaussian.js'
import { sharpenBrightness, type BrightnessSharpening } from './sharpen.js'

/** Unsharp masking as one would write it down, pixel by pixel. */
function slowly(width: number, height: number, channels: number, data: Float32Array, luminance: readonly number[], { taps, add, least, beyond }: BrightnessSharpening): Float32Array {
  const weighed = Float32Array.from({ length: width * height }, (_value, i) => (channels === 1 ? data[i]! : luminance.map((share, c) => share * data[i * channels + c]!).reduce((sum, value) => sum + value)))
  const blurred = filterBothWays(weighed, width, height, taps)
  return data.map((value, k) => {
    const i = Math.floor(k / channels)
    const [x, y] = [i % width, Math.floor(i / width)]
    const difference = weighed[i]! - blurred[i]!
    const strong = Math.sign(difference) * Math.max(0, Math.abs(difference) - least)
    const around = [-1, 0, 1].flatMap((dy) => [-1, 0, 1].map((dx) => weighed[Math.max(0, Math.min(height - 1, y + dy)) * width + Math.max(0, Math.min(width - 1, x + dx))]!))
    const change = Math.max(Math.min(...around) - beyond, Math.min(Math.max(...around) + beyond, weighed[i]! + add * strong)) - weighed[i]!
    return strong === 0 ? value : Math.max(0, Math.min(1, value + change))
  })
}

const SIZES = [[40, 30, 3], [41, 7, 3], [5, 5, 1], [3, 3, 3], [1, 4, 3], [37, 11, 1], [2, 1, 1]] as const
const LUMINANCE = { 1: [1], 3: [0.2225, 0.7169, 0.0606] }
const SETTINGS = [{ deviation: 0.8, add: 0.6, least: 0.008, beyond: 0.02 }, { deviation: 3, add: 3, least: 0, beyond: 0.3 }, { deviation: 0.3, add: 1, least: 0.1, beyond: 0 }]

describe('sharpening brightness', () => {
  it.each(SIZES)('of %i x %i pixels in %i channels is the slow sum to the last bit', (width, height, channels) => {
    const random = makeRandom(width * height)
    // Some of it black and white, so that the limits are reached.
    const data = Float32Array.from({ length: width * height * channels }, () => (random.uniform() < 0.1 ? Math.round(random.uniform()) : 0.4 + 0.3 * random.uniform()))
    for (const { deviation, ...rest } of SETTINGS) {
      const how = { ...rest, taps: gaussianWeights(deviation) }
      const given = { width, height, channels, data: data.slice() }
      expect(sharpenBrightness(given, LUMINANCE[channels], how).data).toEqual(slowly(width, height, channels, data, LUMINANCE[channels], how))
      expect(given.data).toEqual(data)
    }
  })
  it('is the same after the memory of the kernels was given back', () => {
    const raster = { width: 300, height: 200, channels: 1, data: Float32Array.from({ length: 60000 }, (_value, i) => (i % 7) / 7) }
    const how = { taps: gaussianWeights(1), add: 1, least: 0, beyond: 0.1 }
    const before = sharpenBrightness(raster, [1], how).data
    forgetKernels()
    expect(sharpenBrightness(raster, [1], how).data).toEqual(before)
  })
})
