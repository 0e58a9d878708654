import { Type } from '@sinclair/typebox'
import { LN2, ln, pow } from '../numbers/exact-math.js'
import { BLACK_DENSITY } from '../colour/tone-space.js'
import { defineTone } from '../operations/operation.js'

interface Cast {
  readonly redOffset: number
  readonly greenOffset: number
  readonly blueOffset: number
  readonly redContrast: number
  readonly greenContrast: number
  readonly blueContrast: number
}

const LN10 = ln(10)
const offset = (title: string) => Type.Number({ title, minimum: -1.5, maximum: 1.5, default: 0, step: 0.01, unit: 'D', description: 'Density that is taken from this channel everywhere: a stain of the paper or of the dye.' })
const contrast = (title: string) => Type.Number({ title, minimum: 0.4, maximum: 3, default: 1, step: 0.01, unit: '×', description: 'How many times denser this channel becomes: a dye that has faded has lost in proportion.' })

/**
 * A faded print by channel: each dye has lost density in proportion, and the paper has gained some. The density of each
 * channel less an offset, times a contrast (D = -log10 of linear light; fading in proportion to density is the usual
 * model of dark fading, common practice).
 */
export const cast = defineTone<Cast>({
  name: 'cast',
  version: 1,
  stage: 'finish',
  form: 'tone',
  title: 'Cast by channel',
  trouble: 'The print has faded and gone brown, yellow or magenta',
  settings: Type.Object({
    redOffset: offset('Red, offset'), greenOffset: offset('Green, offset'), blueOffset: offset('Blue, offset'),
    redContrast: contrast('Red, contrast'), greenContrast: contrast('Green, contrast'), blueContrast: contrast('Blue, contrast'),
  }, { additionalProperties: false }),
  sentence: 'Fading undone: red {redContrast}, green {greenContrast}, blue {blueContrast}',
  parts(settings, _measured, { channels, tones }) {
    if (channels === 1) return []
    const undo = (offsetDensity: number, times: number) => (encoded: number) => {
      const light = tones.decode(encoded)
      if (light <= 1e-4) return tones.encode(pow(2, (-times * (BLACK_DENSITY - offsetDensity) * LN10) / LN2))
      const density = (-ln(light) / LN10 - offsetDensity) * times
      return tones.encode(pow(2, (-density * LN10) / LN2))
    }
    return [{ kind: 'channels', functions: [undo(settings.redOffset, settings.redContrast), undo(settings.greenOffset, settings.greenContrast), undo(settings.blueOffset, settings.blueContrast)] }]
  },
})
