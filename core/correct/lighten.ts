import { Type } from '@sinclair/typebox'
import { defineArea } from '../operations/operation.js'
import { guidedFilter } from '../kernels/smoothing/box.js'
import { LN2, ln, pow } from '../numbers/exact-math.js'
import { meanWhere } from '../operations/zone-means.js'
import { brightnessOf } from '../operations/brightness.js'
import { viewOfZone } from '../operations/zone-view.js'

type Band = 'all' | 'dark' | 'middle' | 'light'
interface Settings { readonly stops: number; readonly band: Band }

/** The band is judged by tone over so many pixels, so that texture keeps its contrast. */
const OVER_PX = 12
/** Brightness differences below it are texture. */
const TEXTURE = 0.08

/**
 * Lighter or darker by stops in a band of tones, texture kept: linear light is multiplied, the more the nearer the tone of
 * the surroundings of a pixel lies to the band.
 */
export const lighten = defineArea<Settings>({
  name: 'lighten',
  version: 1,
  stage: 'correct',
  form: 'area',
  meetsSurroundings: true,
  title: 'Lighten or darken',
  trouble: 'A place is too dark or too light',
  settings: Type.Object({
    stops: Type.Number({ title: 'By', minimum: -2, maximum: 2, default: 0.3, step: 0.05, unit: 'stops', description: 'Above 0 lighter, below 0 darker; a tenth to a few tenths are usual (common practice).' }),
    band: Type.Union([Type.Literal('all'), Type.Literal('dark'), Type.Literal('middle'), Type.Literal('light')], { title: 'Tones', default: 'all', description: 'Which tones are changed: dark ones, middle ones, light ones or all.' }),
  }, { additionalProperties: false }),
  sentence: 'Lighten {band} tones by {stops}',
  propose(survey, { luminance, tones }) {
    const view = viewOfZone(survey, 100_000)
    const brightness = brightnessOf(view.pixels, { luminance })
    const [inside, outside] = [meanWhere(brightness.data, view.cover, 'inside'), meanWhere(brightness.data, view.cover, 'outside')]
    if (inside === null || outside === null) return { settings: {}, reason: 'There is nothing around the zone to compare with.' }
    const difference = ln(Math.max(1e-4, tones.decode(outside)) / Math.max(1e-4, tones.decode(inside))) / LN2
    const stops = Math.max(-2, Math.min(2, Math.round(difference / 0.05) * 0.05))
    return { settings: { stops: Number(stops.toFixed(2)) }, reason: `The zone is ${Math.abs(difference).toFixed(2)} stops ${difference > 0 ? 'darker' : 'lighter'} than what is around it.` }
  },
  reach: (_settings, _measured, level) => 2 * radiusAt(level) + 2,
  render(below, { stops, band }, _measured, context, level) {
    const { channels, data } = below
    const { tones } = context
    const brightness = brightnessOf(below, context)
    const tone = band === 'all' ? null : guidedFilter([brightness], brightness, radiusAt(level), TEXTURE * TEXTURE)[0]!.data
    const result = new Float32Array(data.length)
    const full = pow(2, stops)
    for (let i = 0; i < data.length / channels; i++) {
      const gain = tone ? pow(2, stops * bandWeight(band, tone[i]!)) : full
      for (let k = i * channels; k < (i + 1) * channels; k++) result[k] = tones.encode(gain * tones.decode(data[k]!))
    }
    return { ...below, data: result }
  },
})

const radiusAt = (level: number) => Math.max(1, Math.round(OVER_PX / 2 ** level))

/** How far a tone belongs to a band, 0..1, without a step anywhere. */
function bandWeight(band: Band, tone: number): number {
  const smooth = (t: number) => {
    const u = Math.max(0, Math.min(1, t))
    return u * u * (3 - 2 * u)
  }
  switch (band) {
    case 'dark': return smooth((0.55 - tone) / 0.35)
    case 'light': return smooth((tone - 0.45) / 0.35)
    case 'middle': return Math.min(smooth((tone - 0.1) / 0.25), smooth((0.9 - tone) / 0.25))
    default: return 1
  }
}
