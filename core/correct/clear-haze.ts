import { Type } from '@sinclair/typebox'
import { defineArea, type OperationContext } from '../operations/operation.js'
import { guidedFilter } from '../kernels/smoothing/box.js'
import { squareExtreme } from '../kernels/filters/extremes.js'
import { inOrder } from '../numbers/order.js'
import type { Plane, FloatRaster } from '../raster/raster.js'
import { roundTo } from '../round.js'
import { brightnessOf } from '../operations/brightness.js'
import { viewOfZone } from '../operations/zone-view.js'

interface Settings { readonly taken: number; readonly sky: number; readonly patchPx: number }
interface Measured {
  /** Linear light of the haze in each channel: what an object infinitely far away would show. */
  readonly airlight: readonly number[]
}

/** The guided filter looks so many times as far as the darkest of the surroundings is looked for (He, Sun and Tang 2009: 15 and 60 px). */
const GUIDE = 4
/** Variance of the guide that is flat (He, Sun and Tang 2013 use 10^-3 to 10^-6). */
const FLAT = 1e-3
/** Transmission is never taken for less: beyond it there is only noise (He, Sun and Tang 2009, eq. 16). */
const LEAST = 0.1
/** Share of the haziest pixels among which the light of the haze is looked for (He, Sun and Tang 2009, 4.4). */
const HAZIEST = 0.001
/** Nearer to the light of the haze than so, in parts of it, a pixel is sky. */
const SKY = 0.35

/**
 * Haze: contrast that distance has taken is given back. Observed light is scene times transmission plus haze; near every
 * pixel something is dark in one channel, so what light is there is haze (dark channel prior, He, Sun and Tang 2009), and the
 * transmission follows the picture's edges by the guided filter (2013). In linear light.
 */
export const clearHaze = defineArea<Settings, Measured>({
  name: 'clear-haze',
  version: 1,
  stage: 'correct',
  form: 'area',
  title: 'Clear haze',
  trouble: 'Haze over what is far away',
  settings: Type.Object({
    taken: Type.Number({ title: 'Haze taken', minimum: 0, maximum: 100, default: 90, step: 1, unit: '%', description: 'A rest of it tells how far away things are.' }),
    sky: Type.Number({ title: 'Sky kept', minimum: 0, maximum: 100, default: 80, step: 5, unit: '%', description: 'How far what is as bright as the haze is left.' }),
    patchPx: Type.Number({ title: 'Looking around', minimum: 3, maximum: 80, default: 15, step: 1, unit: 'px', description: 'Half the width over which something dark is looked for.' }),
  }, { additionalProperties: false }),
  sentence: 'Take {taken} of the haze, sky kept by {sky}',
  measure(survey, { patchPx }, context) {
    const view = viewOfZone(survey, 250_000, 0)
    const dark = darkChannel(view.pixels, new Array<number>(context.channels).fill(1), Math.max(1, Math.round(patchPx / 2 ** view.level)), context)
    const inZone = dark.data.map((value, i) => (view.cover[i]! > 0.5 ? value : -1))
    const order = inOrder(inZone)
    const count = Math.max(16, Math.round(HAZIEST * order.length))
    const haziest = order.subarray(order.length - count)
    const { channels, data } = view.pixels
    // The median of the haziest, not the brightest of them: a lamp is no haze.
    return { airlight: Array.from({ length: channels }, (_, c) => roundTo(Float32Array.from(haziest, (i) => context.tones.decode(data[i * channels + c]!)).sort()[count >> 1]!, 5)) }
  },
  propose(survey, context) {
    const { width, height } = survey.size(0)
    const patchPx = Math.max(3, Math.min(80, Math.round(Math.min(width, height) / 60)))
    const view = viewOfZone(survey, 100_000, 0)
    const dark = darkChannel(view.pixels, new Array<number>(context.channels).fill(1), Math.max(1, Math.round(patchPx / 2 ** view.level)), context)
    const middle = Float32Array.from(dark.data).sort()[dark.data.length >> 1]!
    return { settings: { patchPx, taken: middle > 0.1 ? 92 : 60 }, reason: `The darkest of the surroundings of a usual pixel still has ${(100 * middle).toFixed(0)} % of the light.` }
  },
  reach: ({ patchPx }, _measured, level) => {
    const patch = Math.max(1, Math.round(patchPx / 2 ** level))
    return patch + 2 * GUIDE * patch + 2
  },
  render(below, { taken, sky, patchPx }, measured, context, level) {
    if (!measured) return below
    const { airlight } = measured
    const { channels, data } = below
    const { tones } = context
    const patch = Math.max(1, Math.round(patchPx / 2 ** level))
    const dark = darkChannel(below, airlight, patch, context)
    const haze: Plane = { ...dark, data: dark.data.map((value) => Math.min(1, value)) }
    const smooth = guidedFilter([haze], brightnessOf(below, context), GUIDE * patch, FLAT)[0]!.data
    const result = new Float32Array(data.length)
    for (let i = 0; i < smooth.length; i++) {
      let furthest = 0
      for (let c = 0; c < channels; c++) furthest = Math.max(furthest, Math.abs(tones.decode(data[i * channels + c]!) / Math.max(1e-3, airlight[c]!) - 1))
      const isSky = Math.max(0, 1 - furthest / SKY)
      const kept = (sky / 100) * isSky * isSky * (3 - 2 * isSky)
      const raw = Math.max(LEAST, 1 - (taken / 100) * Math.max(0, Math.min(1, smooth[i]!)))
      const transmission = raw + (1 - raw) * kept
      for (let c = 0; c < channels; c++) {
        const k = i * channels + c
        result[k] = tones.encode((tones.decode(data[k]!) - airlight[c]!) / transmission + airlight[c]!)
      }
    }
    return { ...below, data: result }
  },
})

/** Least light of any channel near each pixel, in parts of the light of the haze. */
function darkChannel({ width, height, channels, data }: FloatRaster, airlight: readonly number[], radius: number, { tones }: OperationContext): Plane {
  const least = new Float32Array(width * height)
  for (let i = 0; i < least.length; i++) {
    let value = Infinity
    for (let c = 0; c < channels; c++) value = Math.min(value, tones.decode(data[i * channels + c]!) / Math.max(1e-3, airlight[c]!))
    least[i] = value
  }
  return squareExtreme({ width, height, data: least }, radius, 'least')
}
