import { Type } from '@sinclair/typebox'
import { fitPattern } from '../mend/lift/fit-pattern.js'
import { patternField, type Pattern } from '../mend/lift/pattern.js'
import { defineArea, type OperationContext, type Survey } from '../operations/operation.js'
import { gaussianBlur } from '../raster/blur.js'
import { boxMean, guidedFilter } from '../kernels/smoothing/box.js'
import { exp, PI, sin } from '../numbers/exact-math.js'
import { clipRegion, crop, growRegion, type FloatRaster, type IntegerRaster, type PixelSource, type Region } from '../raster/raster.js'
import type { ToneSpace } from '../colour/tone-space.js'
import { rounded, toFloat } from '../render/samples.js'
import { roundTo } from '../round.js'
import { makeTransfer } from '../raster/transfer.js'
import { brightnessOf, channelOf, rasterOf } from '../operations/brightness.js'
import { sourceOf } from '../render/survey-source.js'
import type { Outline } from '../shape/shape.js'
import { zoneBounds } from '../operations/zone-view.js'

interface Settings { readonly colour: number; readonly brightness: number; readonly periodPx: number }
interface Measured {
  /** Waves of brightness that were found; null where none stands alone. */
  readonly pattern: Pattern | null
  /** Waves of red and of blue over green; null where none stands alone, and where neither does, colour is smoothed instead. */
  readonly colours?: readonly [Pattern | null, Pattern | null]
}

/** A larger zone is measured in its middle; the waves go on beyond it with the strength of the nearest knot. */
const MEASURED_SIDE = 1400
/** Deviation of the Gaussian that takes the weave away before beats are looked for, in pixels: threads are up to 4 px, beats longer. */
const WEAVE = 1.3
/** Added to the brightness in ratios, so that dark pixels, whose colour is noise, say little. */
const DARK = 0.04
/** Added to the light in ratios, likewise; and so much of the range stands for a ratio of 1. */
const DARK_LIGHT = 0.01
const EVEN_RATIO = 1 / 16
/** A beat of colour is longer than five pixels, in radians a pixel, and changes a ratio by more than this share. */
const SHORTEST_BEAT = (2 * PI) / 5
const LEAST_BEAT = 0.02
/** Variance of brightness that is flat to the filter of colour. */
const FLAT = 0.03 * 0.03

/**
 * Calm moire: beats of colour, and then of brightness, are taken away as the waves that they are (complex demodulation,
 * `fitPattern`), so that the picture's own colours stay. Where no wave of colour stands alone, false colour is smoothed along
 * the brightness of the picture without its weave (guided filter, He, Sun and Tang 2013). The weave stays.
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
    const outline: Outline = { type: 'outline', points: [[region.x, region.y], [right, region.y], [right, bottom], [region.x, bottom]] }
    const source = sourceOf(survey, context)
    // Without the weave, which is the strongest wave of all.
    const softened = { ...source, read: (part: Region) => softenedPart(source, part) }
    const colours = context.channels === 3 ? ([0, 2] as const).map((c) => colourBeats(softened, survey, c, outline, context)) as [Pattern | null, Pattern | null] : undefined
    // And without the beats of colour.
    const calm = { ...source, read: (part: Region) => (colours ? rounded(withoutColours(toFloat(source.read(part)), part, 0, colours, 1, context.tones), 16) : source.read(part)) }
    const pattern = asBefore(fitPattern({ ...source, read: (part: Region) => softenedPart(calm, part) }, makeTransfer(context.curve, 16), outline))
    return { pattern, ...(colours && { colours }) }
  },
  reach: ({ periodPx }, _measured, level) => 3 * radiusAt(periodPx, level) + 4,
  render(below, { colour, brightness, periodPx }, measured, context, level, region) {
    const { width, height, channels } = below
    const radius = radiusAt(periodPx, level)
    let result = below
    if (channels === 3 && colour > 0) {
      result = measured?.colours?.some((found) => found !== null) ? withoutColours(below, region, level, measured.colours, colour / 100, context.tones) : smoothedColours(below, radius, colour / 100, context)
    }
    if (!measured?.pattern || brightness === 0) return result
    const step = 2 ** level
    const { depth } = patternField(atLevel(measured.pattern, level))
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

/**
 * Beats of a channel over green. Long ones are looked for on the half of the picture; its pixels are the mean of two by two,
 * which hides the weave as softening does.
 */
function colourBeats(softened: PixelSource, survey: Survey, c: 0 | 2, outline: Outline, context: OperationContext): Pattern | null {
  const linear = makeTransfer({ type: 'linear' }, 16)
  const near = beatsAlone(asBefore(fitPattern(ratioOf(softened, c, context.tones), linear, outline)))
  if (near || survey.levels < 2) return near
  const half: PixelSource = { ...softened, ...survey.size(1), read: (part) => rounded(survey.read(part, 1), 16) }
  const far = beatsAlone(fitPattern(ratioOf(half, c, context.tones), linear, { ...outline, points: outline.points.map(([px, py]) => [px / 2, py / 2]) }))
  return far && { ...far, x: 2 * far.x, y: 2 * far.y, spacing: 2 * far.spacing, waves: far.waves.map((wave) => ({ ...wave, across: wave.across / 2, down: wave.down / 2 })) }
}

/** Without waves that are too fine for a beat, or too weak to be seen: what is left of a weave. */
function beatsAlone(pattern: Pattern | null): Pattern | null {
  if (!pattern) return null
  const waves = pattern.waves.filter(({ across, down, real, imaginary }) => {
    const strength = real.reduce((sum, value, k) => sum + value * value + imaginary[k]! * imaginary[k]!, 0) / Math.max(1, real.filter((value) => value !== 0).length)
    return across * across + down * down < SHORTEST_BEAT * SHORTEST_BEAT && strength > LEAST_BEAT * LEAST_BEAT
  })
  return waves.length > 0 ? { ...pattern, waves } : null
}

/** What softening took of each wave is given back: a Gaussian takes exp(-(deviation x frequency)^2 / 2). */
function asBefore(pattern: Pattern | null): Pattern | null {
  if (!pattern) return null
  const waves = pattern.waves.map((wave) => {
    const kept = exp((-WEAVE * WEAVE * (wave.across * wave.across + wave.down * wave.down)) / 2)
    const full = (value: number) => roundTo(value / Math.max(0.2, kept), 4)
    return { ...wave, real: wave.real.map(full), imaginary: wave.imaginary.map(full) }
  })
  return { ...pattern, waves }
}

/** A pattern as a smaller level has it: a pixel is the mean over a square, which weakens a wave by the sine cardinal of its phase over it. */
function atLevel(pattern: Pattern, level: number): Pattern {
  if (level === 0) return pattern
  const step = 2 ** level
  const weak = (phase: number) => (Math.abs(phase) < 1e-6 ? 1 : sin(phase / 2) / (phase / 2))
  const waves = pattern.waves.map((wave) => {
    const share = weak(wave.across * step) * weak(wave.down * step)
    return { ...wave, real: wave.real.map((value) => share * value), imaginary: wave.imaginary.map((value) => share * value) }
  })
  return { ...pattern, waves }
}

/** Light of a channel over that of green, as a picture of its own in linear light. */
function ratioOf(source: PixelSource, c: 0 | 2, { decode }: ToneSpace): PixelSource {
  return {
    ...source, channels: 1,
    read(part) {
      const { data } = toFloat(source.read(part))
      const ratio = new Float32Array(part.width * part.height)
      for (let i = 0; i < ratio.length; i++) ratio[i] = Math.min(1, (EVEN_RATIO * (decode(data[3 * i + c]!) + DARK_LIGHT)) / (decode(data[3 * i + 1]!) + DARK_LIGHT))
      return rounded({ width: part.width, height: part.height, channels: 1, data: ratio }, 16)
    },
  }
}

/** Red and blue without their beats over green, so that all channels have the beats of green. */
function withoutColours(below: FloatRaster, region: Region, level: number, colours: readonly [Pattern | null, Pattern | null], share: number, { decode, encode }: ToneSpace): FloatRaster {
  const { width, height } = below
  const step = 2 ** level
  const data = below.data.slice()
  for (const [n, pattern] of colours.entries()) {
    if (!pattern) continue
    const { depth } = patternField(atLevel(pattern, level))
    for (let y = 0, k = 2 * n; y < height; y++) {
      for (let x = 0; x < width; x++, k += 3) {
        const loss = depth((region.x + x + 0.5) * step, (region.y + y + 0.5) * step)
        if (loss !== 0) data[k] = encode(Math.max(0, (decode(data[k]!) + DARK_LIGHT) * exp(share * loss) - DARK_LIGHT))
      }
    }
  }
  return { ...below, data }
}

/** False colour smoothed along the brightness. @param radius  Of the filter, in pixels. */
function smoothedColours(below: FloatRaster, radius: number, share: number, context: OperationContext): FloatRaster {
  const old = brightnessOf(below, context)
  const guide = boxMean(old, Math.max(1, Math.round(radius / 2)))
  const channels = [0, 1, 2].map((c) => channelOf(below, c))
  // As a ratio to the brightness: threads change all channels alike, so that the weave is no colour.
  const chroma = channels.map((channel) => ({ ...channel, data: channel.data.map((value, i) => value / (old.data[i]! + DARK)) }))
  const calm = guidedFilter(chroma, guide, radius, FLAT)
  return rasterOf(channels.map((channel, c) => ({ ...channel, data: channel.data.map((value, i) => value + share * (calm[c]!.data[i]! * (old.data[i]! + DARK) - value)) })))
}

/** A part of a picture, softened by the Gaussian that takes the weave away. */
function softenedPart(source: PixelSource, part: Region): IntegerRaster {
  const wide = clipRegion(growRegion(part, Math.ceil(3 * WEAVE)), source.width, source.height)
  const floats = toFloat(source.read(wide))
  const soft = rasterOf(Array.from({ length: floats.channels }, (_, c) => gaussianBlur(channelOf(floats, c), WEAVE)))
  return rounded(crop(soft, { ...part, x: part.x - wide.x, y: part.y - wide.y }), 16)
}

const radiusAt = (periodPx: number, level: number) => Math.max(1, Math.round((0.6 * periodPx) / 2 ** level))
