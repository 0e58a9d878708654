import { Type } from '@sinclair/typebox'
import { fitPattern } from '../mend/lift/fit-pattern.js'
import { patternField, type Pattern } from '../mend/lift/pattern.js'
import { defineArea } from '../operations/operation.js'
import { gaussianBlur } from '../raster/blur.js'
import { boxMean, guidedFilter } from '../raster/box.js'
import { exp, sin } from '../numbers/exact-math.js'
import { clipRegion, crop, growRegion, type IntegerRaster, type PixelSource, type Region } from '../raster/raster.js'
import { rounded, toFloat } from '../render/samples.js'
import { roundTo } from '../round.js'
import { makeTransfer } from '../raster/transfer.js'
import { brightnessOf, channelOf, rasterOf } from '../operations/brightness.js'
import { sourceOf } from '../render/survey-source.js'
import { zoneBounds } from '../operations/zone-view.js'

interface Settings { readonly colour: number; readonly brightness: number; readonly periodPx: number }
interface Measured {
  /** Waves of brightness that were found; null where none stands alone. */
  readonly pattern: Pattern | null
}

/** A larger zone is measured in its middle; the waves go on beyond it with the strength of the nearest knot. */
const MEASURED_SIDE = 1400
/** Deviation of the Gaussian that takes the weave away before beats are looked for, in pixels: threads are up to 4 px, beats longer. */
const WEAVE = 1.3
/** Added to the brightness in ratios, so that dark pixels, whose colour is noise, say little. */
const DARK = 0.04
/** Variance of brightness that is flat to the filter of colour. */
const FLAT = 0.03 * 0.03

/**
 * Calm moire: false colour is smoothed along the brightness of the picture without its weave (guided filter, He, Sun and Tang
 * 2013), beats of brightness are taken away as the waves that they are (complex demodulation, `fitPattern`). The weave stays.
 */
export const calmMoire = defineArea<Settings, Measured>({
  name: 'calm-moire',
  version: 1,
  stage: 'correct',
  form: 'area',
  title: 'Calm moire',
  trouble: 'Moire on cloth or on a screen',
  settings: Type.Object({
    colour: Type.Number({ title: 'False colour', minimum: 0, maximum: 100, default: 100, step: 5, unit: '%', description: 'How far beats of colour are taken away.' }),
    brightness: Type.Number({ title: 'Brightness', minimum: 0, maximum: 100, default: 90, step: 5, unit: '%', description: 'How far beats of brightness are taken away.' }),
    periodPx: Type.Number({ title: 'Beats up to', minimum: 4, maximum: 160, default: 40, step: 2, unit: 'px', description: 'Longest beat of colour.' }),
  }, { additionalProperties: false }),
  sentence: 'Calm moire: colour by {colour}, brightness by {brightness}, beats up to {periodPx}',
  measure(survey, _settings, context) {
    const bounds = zoneBounds(survey)
    const [x, y] = [Math.max(bounds.x, bounds.x + Math.floor((bounds.width - MEASURED_SIDE) / 2)), Math.max(bounds.y, bounds.y + Math.floor((bounds.height - MEASURED_SIDE) / 2))]
    const region = clipRegion({ x, y, width: Math.min(MEASURED_SIDE, bounds.width), height: Math.min(MEASURED_SIDE, bounds.height) }, context.width, context.height)
    const [right, bottom] = [region.x + region.width, region.y + region.height]
    // Without the weave, which is the strongest wave of all.
    const source = sourceOf(survey, context)
    const softened = { ...source, read: (part: Region) => softenedPart(source, part) }
    const pattern = fitPattern(softened, makeTransfer(context.curve, 16), { type: 'outline', points: [[region.x, region.y], [right, region.y], [right, bottom], [region.x, bottom]] })
    if (!pattern) return { pattern }
    // What softening took of each wave is given back: a Gaussian takes exp(-(deviation x frequency)^2 / 2).
    const waves = pattern.waves.map((wave) => {
      const kept = exp((-WEAVE * WEAVE * (wave.across * wave.across + wave.down * wave.down)) / 2)
      const full = (value: number) => roundTo(value / Math.max(0.2, kept), 4)
      return { ...wave, real: wave.real.map(full), imaginary: wave.imaginary.map(full) }
    })
    return { pattern: { ...pattern, waves } }
  },
  reach: ({ periodPx }, _measured, level) => 3 * radiusAt(periodPx, level) + 4,
  render(below, { colour, brightness, periodPx }, measured, context, level, region) {
    const { width, height, channels } = below
    const radius = radiusAt(periodPx, level)
    const old = brightnessOf(below, context)
    let result = below
    if (channels === 3 && colour > 0) {
      const guide = boxMean(old, Math.max(1, Math.round(radius / 2)))
      result = rasterOf([0, 1, 2].map((c) => {
        const channel = channelOf(below, c)
        // As a ratio to the brightness: threads change all channels alike, so that the weave is no colour.
        const chroma = { ...channel, data: channel.data.map((value, i) => value / (old.data[i]! + DARK)) }
        const calm = guidedFilter(chroma, guide, radius, FLAT).data
        return { ...channel, data: channel.data.map((value, i) => value + (colour / 100) * (calm[i]! * (old.data[i]! + DARK) - value)) }
      }))
    }
    if (!measured?.pattern || brightness === 0) return result
    const step = 2 ** level
    // A pixel of a smaller level is the mean over a square, which weakens a wave by the sine cardinal of its phase over it.
    const weak = (phase: number) => (Math.abs(phase) < 1e-6 ? 1 : sin(phase / 2) / (phase / 2))
    const waves = measured.pattern.waves.map((wave) => {
      const share = level === 0 ? 1 : weak(wave.across * step) * weak(wave.down * step)
      return { ...wave, real: wave.real.map((value) => share * value), imaginary: wave.imaginary.map((value) => share * value) }
    })
    const { depth } = patternField({ ...measured.pattern, waves })
    const data = result.data.slice()
    // Without beats of colour all channels have that of the brightness.
    for (let y = 0, i = 0; y < height; y++) {
      for (let x = 0; x < width; x++, i++) {
        const loss = depth((region.x + x + 0.5) * step, (region.y + y + 0.5) * step)
        if (loss === 0) continue
        for (let c = 0; c < channels; c++) {
          const k = i * channels + c
          data[k] = context.tones.encode(context.tones.decode(data[k]!) * exp((brightness / 100) * (colour > 0 ? 1 : measured.pattern.channels[c]!) * loss))
        }
      }
    }
    return { ...result, data }
  },
})

/** A part of a picture, softened by the Gaussian that takes the weave away. */
function softenedPart(source: PixelSource, part: Region): IntegerRaster {
  const wide = clipRegion(growRegion(part, Math.ceil(3 * WEAVE)), source.width, source.height)
  const floats = toFloat(source.read(wide))
  const soft = rasterOf(Array.from({ length: floats.channels }, (_, c) => gaussianBlur(channelOf(floats, c), WEAVE)))
  return rounded(crop(soft, { ...part, x: part.x - wide.x, y: part.y - wide.y }), 16)
}

const radiusAt = (periodPx: number, level: number) => Math.max(1, Math.round((0.6 * periodPx) / 2 ** level))
