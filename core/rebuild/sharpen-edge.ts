import { Type } from '@sinclair/typebox'
import { brightnessOf, withBrightness } from '../operations/brightness.js'
import { definePatch, type OperationContext } from '../operations/operation.js'
import { gaussianBlur } from '../raster/blur.js'
import { squareExtreme } from '../kernels/filters/extremes.js'
import { clipRegion, growRegion, type Region, type FloatRaster } from '../raster/raster.js'
import { DEVIATION_PER_MAD, median } from '../numbers/statistics.js'
import { roundTo } from '../round.js'
import { measurePath } from './path.js'
import { layStroke, pathSetting, strokeBounds } from './strokes.js'

interface Settings {
  readonly points: readonly (readonly number[])[]
  readonly widthPx: number
  readonly amount: number
}
interface Measured {
  /** Deviation of the blur of the edge, in pixels. */
  readonly blurPx: number
  /** Deviation of the noise, as a share of the range of tones. */
  readonly noise: number
}

const ROUNDS = 12
const [LEAST_BLUR, MOST_BLUR] = [0.6, 6]
const pathOf = ({ points, widthPx }: Settings) => ({ points: points as number[][], widthPx })

/**
 * A soft edge made sharp again along a stroke: deconvolution of brightness with the blur that was measured (Richardson 1972,
 * Lucy 1974), damped where what is left to explain is noise (White 1994), and kept between the tones around.
 */
export const sharpenEdge = definePatch<Settings, Measured>({
  name: 'sharpen-edge',
  version: 1,
  stage: 'rebuild',
  form: 'patch',
  title: 'Edge made sharp',
  trouble: 'An edge is blurred',
  byHand: true,
  settings: Type.Object({
    points: pathSetting('Along the edge, in pixels of the picture.'),
    widthPx: Type.Number({ title: 'Width', minimum: 4, maximum: 300, default: 24, step: 1, unit: 'px', description: 'Across the edge: so much is made sharp.' }),
    amount: Type.Number({ title: 'Amount', minimum: 0, maximum: 100, default: 70, step: 5, unit: '%', description: '100 is all of the blur that was measured.' }),
  }, { additionalProperties: false }),
  sentence: 'Edge made sharp along {points}, {widthPx} wide, by {amount}',
  measure(survey, settings, context) {
    const region = clipRegion(growRegion(strokeBounds(pathOf(settings)), 8), context.width, context.height)
    const brightness = brightnessOf(survey.read(region, 0), context)
    return measureBlur(brightness.data, region, settings)
  },
  bounds: (settings) => strokeBounds(pathOf(settings)),
  reach: () => Math.ceil(3 * MOST_BLUR) + 2,
  render(below, settings, measured, context, region) {
    if (!measured || settings.amount === 0) return below
    const before = brightnessOf(below, context)
    const sharp = deconvolved(before.data, before.width, before.height, measured)
    const cover = new Float32Array(before.data.length)
    layStroke({ ...pathOf(settings), opacity: settings.amount, hardness: 50, pen: 'opacity' }, region, 1, cover)
    const after = { ...before, data: before.data.map((value, i) => value + cover[i]! * (sharp[i]! - value)) }
    return brightened(below, before, after, context)
  },
})

const brightened = (below: FloatRaster, before: { width: number; height: number; data: Float32Array }, after: { width: number; height: number; data: Float32Array }, context: OperationContext) =>
  below.channels === 1 ? { ...below, data: after.data.map((value) => Math.max(0, Math.min(1, value))) } : withBrightness(below, before, after, context)

/** Blur from the steepest place across the path: of a step of height h through a Gaussian the steepest slope is h / (deviation sqrt(2 pi)). */
function measureBlur(data: Float32Array, region: Region, settings: Settings): Measured {
  const { width, height } = region
  const fine = gaussianBlur({ width, height, data }, 1).data
  const noise = Math.max(1e-4, DEVIATION_PER_MAD * median(data.map((value, i) => Math.abs(value - fine[i]!))))
  const blurs: number[] = []
  const path = measurePath(settings.points)
  const half = settings.widthPx / 2
  for (let along = 0; along < path.length; along += 2) {
    const { x, y, alongX, alongY } = path.at(along)
    const profile: number[] = []
    for (let across = -half; across <= half; across += 0.5) {
      const px = Math.round(x - region.x - alongY * across - 0.5)
      const py = Math.round(y - region.y + alongX * across - 0.5)
      if (px >= 0 && py >= 0 && px < width && py < height) profile.push(fine[py * width + px]!)
    }
    if (profile.length < 8) continue
    let steepest = 0
    for (let i = 4; i < profile.length; i++) steepest = Math.max(steepest, Math.abs(profile[i]! - profile[i - 4]!) / 2)
    const contrast = Math.max(...profile) - Math.min(...profile)
    if (contrast > 6 * noise && steepest > 0) blurs.push(contrast / (steepest * 2.5066283))
  }
  const found = blurs.length === 0 ? LEAST_BLUR : median(Float32Array.from(blurs))
  // The smoothing by which it was looked at is taken off again.
  const own = Math.sqrt(Math.max(0, found * found - 1))
  return { blurPx: roundTo(Math.max(LEAST_BLUR, Math.min(MOST_BLUR, own)), 2), noise: roundTo(noise, 5) }
}

/** @returns Brightness without the blur, between the least and the greatest within two deviations. */
function deconvolved(data: Float32Array, width: number, height: number, { blurPx, noise }: Measured): Float32Array {
  let now = data.map((value) => Math.max(1e-4, value))
  for (let round = 0; round < ROUNDS; round++) {
    const seen = gaussianBlur({ width, height, data: now }, blurPx).data
    const ratio = new Float32Array(data.length)
    for (let i = 0; i < data.length; i++) {
      const left = data[i]! - seen[i]!
      // Below the noise nothing is left to explain.
      const say = (left * left) / (left * left + noise * noise)
      ratio[i] = 1 + say * (Math.max(1e-4, data[i]!) / Math.max(1e-4, seen[i]!) - 1)
    }
    const change = gaussianBlur({ width, height, data: ratio }, blurPx).data
    now = now.map((value, i) => value * change[i]!)
  }
  const around = Math.max(1, Math.round(2 * blurPx))
  const [least, most] = [squareExtreme({ width, height, data }, around, 'least').data, squareExtreme({ width, height, data }, around, 'greatest').data]
  return now.map((value, i) => Math.max(least[i]!, Math.min(most[i]!, value)))
}
