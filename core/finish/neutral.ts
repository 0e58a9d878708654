import { Type } from '@sinclair/typebox'
import { defineTone } from '../operations/operation.js'
import { clipRegion } from '../raster/raster.js'

interface Neutral { readonly x: number; readonly y: number }
interface Measured { readonly light: readonly number[] }

/** Half the side of the place that is looked at, in pixels: enough to average the grain. */
const HALF = 7

/**
 * Make a place neutral: each channel's linear light times a gain, so that the place has as much of each and its luminance
 * is kept. Von Kries adaptation with the picture's own primaries as the space of the receptors.
 */
export const neutral = defineTone<Neutral, Measured>({
  name: 'neutral',
  version: 1,
  stage: 'finish',
  form: 'tone',
  title: 'Neutral point',
  trouble: 'What should be grey or white has a colour',
  settings: Type.Object({
    x: Type.Number({ title: 'From the left', minimum: 0, maximum: 100000, default: 0, step: 1, unit: 'px', description: 'Place that should be neutral, in pixels of the picture.' }),
    y: Type.Number({ title: 'From the top', minimum: 0, maximum: 100000, default: 0, step: 1, unit: 'px', description: 'Place that should be neutral, in pixels of the picture.' }),
  }, { additionalProperties: false }),
  sentence: 'Neutral is the place at {x}, {y}',
  measure(survey, { x, y }, { tones }) {
    const size = survey.size(0)
    const region = clipRegion({ x: Math.floor(x) - HALF, y: Math.floor(y) - HALF, width: 2 * HALF + 1, height: 2 * HALF + 1 }, size.width, size.height)
    const { data, channels } = survey.read(region, 0)
    const light = new Array<number>(channels).fill(0)
    for (let i = 0; i < data.length; i++) light[i % channels]! += tones.decode(data[i]!)
    return { light: light.map((sum) => sum / Math.max(1, data.length / channels)) }
  },
  parts(_settings, measured, { channels, tones, luminance }) {
    if (channels === 1 || !measured) return []
    const light = measured.light.map((value) => Math.max(1e-4, value))
    const grey = light.reduce((sum, value, c) => sum + value * luminance[c]!, 0)
    return [{ kind: 'channels', functions: light.map((value) => (encoded: number) => tones.encode((tones.decode(encoded) * grey) / value)) }]
  },
})
