import { Type } from '@sinclair/typebox'
import { gaussianBlur } from '../raster/blur.js'
import { brightnessOf } from '../operations/brightness.js'
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
    const { width, height, channels, data } = below
    const brightness = brightnessOf(below, context).data
    const blurred = gaussianBlur({ width, height, data: brightness }, radiusPx / 2 ** level).data
    const [add, least, beyond] = [amount / 100, threshold / 100, halo / 100]
    const result = data.slice()
    for (let y = 0; y < height; y++) {
      const [above, beneath] = [Math.max(0, y - 1) * width, Math.min(height - 1, y + 1) * width]
      for (let x = 0; x < width; x++) {
        const i = y * width + x
        const here = brightness[i]!
        const difference = here - blurred[i]!
        // Soft: what is a little above the threshold is raised a little.
        const strong = difference > least ? difference - least : difference < -least ? difference + least : 0
        if (strong === 0) continue
        let [low, high] = [here, here]
        const [left, right] = [Math.max(0, x - 1), Math.min(width - 1, x + 1)]
        for (const row of [above, y * width, beneath]) {
          for (let column = left; column <= right; column++) {
            const value = brightness[row + column]!
            if (value < low) low = value
            else if (value > high) high = value
          }
        }
        const change = Math.max(low - beyond, Math.min(high + beyond, here + add * strong)) - here
        for (let c = 0; c < channels; c++) result[i * channels + c] = Math.max(0, Math.min(1, data[i * channels + c]! + change))
      }
    }
    return { ...below, data: result }
  },
})
