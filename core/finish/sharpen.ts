import { Type } from '@sinclair/typebox'
import { sharpenBrightness } from '../kernels/filters/sharpen.js'
import { gaussianWeights } from '../raster/blur.js'
import { defineArea } from '../operations/operation.js'

interface Sharpen { readonly radiusPx: number; readonly amount: number; readonly threshold: number; readonly halo: number }

/**
 * Unsharp masking of brightness: what a Gaussian of the radius takes away is added again. Differences below the threshold
 * are taken for grain, and no pixel leaves the range of its neighbours by more than the halo limit. The same change is
 * made in all channels, so that no colour changes.
 */
export const sharpen = defineArea<Sharpen>({
  name: 'sharpen',
  version: 1,
  stage: 'finish',
  form: 'area',
  title: 'Sharpen',
  trouble: 'The picture is soft',
  settings: Type.Object({
    radiusPx: Type.Number({ title: 'Radius', minimum: 0.3, maximum: 6, default: 0.8, step: 0.1, unit: 'px', description: 'Standard deviation of the blur that is undone.' }),
    amount: Type.Number({ title: 'Amount', minimum: 0, maximum: 300, default: 60, step: 1, unit: '%', description: 'How much of the difference is added.' }),
    threshold: Type.Number({ title: 'Threshold', minimum: 0, maximum: 10, default: 0.8, step: 0.1, unit: '%', description: 'Differences below it are left, in percent of the whole range: grain.' }),
    halo: Type.Number({ title: 'Halos at most', minimum: 0, maximum: 30, default: 2, step: 0.5, unit: '%', description: 'How far a pixel may leave the range of its neighbours, in percent of the whole range.' }),
  }, { additionalProperties: false }),
  sentence: 'Sharpen {radiusPx} by {amount}, halos at most {halo}',
  reach: ({ radiusPx }, _measured, level) => Math.ceil((3 * radiusPx) / 2 ** level) + 2,
  render(below, { radiusPx, amount, threshold, halo }, _measured, context, level) {
    return sharpenBrightness(below, context.luminance, { taps: gaussianWeights(radiusPx / 2 ** level), add: amount / 100, least: threshold / 100, beyond: halo / 100 })
  },
})
