import { Type } from '@sinclair/typebox'
import { defineTone } from '../operations/operation.js'

interface BlackAndWhite { readonly blackDensity: number; readonly whiteDensity: number }

/** Black and white point: tones between two densities are spread over the whole range, in a straight line of encoded values. */
export const blackAndWhite = defineTone<BlackAndWhite>({
  name: 'black-and-white',
  version: 1,
  stage: 'finish',
  form: 'tone',
  title: 'Black and white',
  trouble: 'The picture is flat: nothing in it is black, or nothing white',
  settings: Type.Object({
    blackDensity: Type.Number({ title: 'Black', minimum: 0.5, maximum: 4, default: 4, step: 0.01, unit: 'D', description: 'Density that becomes black. D = -log10 of linear light; 4 leaves the dark end as it is.' }),
    whiteDensity: Type.Number({ title: 'White', minimum: 0, maximum: 1.5, default: 0, step: 0.01, unit: 'D', description: 'Density that becomes white; 0 leaves the light end as it is.' }),
  }, { additionalProperties: false }),
  sentence: 'Black at {blackDensity}, white at {whiteDensity}',
  parts({ blackDensity, whiteDensity }, _measured, { channels, tones }) {
    const black = tones.ofDensity(blackDensity)
    const white = Math.max(black + 1e-3, tones.ofDensity(whiteDensity))
    const spread = (encoded: number) => Math.max(0, Math.min(1, (encoded - black) / (white - black)))
    return [{ kind: 'channels', functions: Array.from({ length: channels }, () => spread) }]
  },
})
