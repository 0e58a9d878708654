import { Type } from '@sinclair/typebox'
import { defineArea, type OperationContext, type Survey } from '../operations/operation.js'
import type { FloatRaster } from '../raster/raster.js'
import { gaussianBlur } from '../raster/blur.js'
import { cos, PI } from '../numbers/exact-math.js'
import { DEVIATION_PER_MAD, median } from '../numbers/statistics.js'
import { roundTo } from '../round.js'
import { brightnessOf, channelOf } from '../operations/brightness.js'
import { windowsOf } from '../operations/zone-view.js'

interface Settings { readonly amount: number; readonly colour: 'measured' | 'none'; readonly seed: number }
interface Measured {
  /** Taps of the filter that turns white noise into the grain around, row by row, their squares summing to 1. */
  readonly taps: readonly number[]
  /** Deviation of the grain that is missing, at 8 tones from black to white. */
  readonly missing: readonly number[]
  /** Share of the variance of a channel's grain that all channels have in common. */
  readonly common: number
  /** Deviation of the grain on each level, over that at full size. */
  readonly byLevel: readonly number[]
}

/** Half the width of the filter: grain of prints is correlated over some pixels. */
const REACH = 4
const SIDE = 2 * REACH + 1
/** Grain is what a Gaussian of this deviation takes away. */
const FINE = 1.5
/** What changes more slowly than a Gaussian of this deviation is tone: the coarse part of the grain is kept for its spectrum. */
const TONE = 6
const WINDOW = 48
const WINDOWS = 16
const TONES = 8

/**
 * Give grain back to what lacks it: noise with the spectrum, the strength by tone and the likeness of channels of the grain
 * around the zone, as much of it as the zone lacks. Its mean is 0, so tone and colour stay.
 *
 * The filter is the zero-phase root of the measured power spectrum (spectral synthesis; see Newson and others 2017 for the
 * physics of film grain). White noise is a hash of the place, so that every tile has the same.
 */
export const grain = defineArea<Settings, Measured>({
  name: 'grain',
  version: 1,
  stage: 'correct',
  form: 'area',
  title: 'Give grain back',
  trouble: 'A flat patch without grain',
  settings: Type.Object({
    amount: Type.Number({ title: 'Amount', minimum: 0, maximum: 200, default: 100, step: 5, unit: '%', description: '100 is as much as around the zone.' }),
    colour: Type.Union([Type.Literal('measured'), Type.Literal('none')], { title: 'Colour of it', default: 'measured', description: 'measured: as much colour as the grain around has; none: grey.' }),
    seed: Type.Integer({ title: 'Another grain', minimum: 0, maximum: 1000, default: 1, step: 1, description: 'Which of many equally good grains.' }),
  }, { additionalProperties: false }),
  sentence: 'Give {amount} of the grain around back, colour {colour}',
  measure(survey, _settings, context) {
    const around = windowsOf(survey, 0, WINDOW, 'outside', WINDOWS)
    const inside = windowsOf(survey, 0, WINDOW, 'inside', WINDOWS)
    const details = calmest(around.map((window) => detailOf(survey, window, context)))
    const own = inside.map((window) => detailOf(survey, window, context))
    const taps = filterOf(details.map(({ spread }) => spread))
    const wanted = byTone(details)
    const here = byTone(own)
    // What a high pass leaves of the synthesised grain is less than what was laid on: made up for, so that the high pass agrees.
    const kept = deviationOf(highPass(synthesised(0, 0, 128, 128, taps, 7), 128, FINE)) || 1
    const missing = wanted.map((value, i) => roundTo(Math.sqrt(Math.max(0, value * value - (here[i] ?? 0) ** 2)) / kept, 6))
    const common = roundTo(commonShare(details), 3)
    const byLevel = Array.from({ length: Math.min(6, survey.levels) }, (_, level) => roundTo(levelShare(taps, 2 ** level), 4))
    return { taps: taps.map((value) => roundTo(value, 5)), missing, common, byLevel }
  },
  propose(survey, context) {
    const deviation = (where: 'inside' | 'outside') => {
      const values = calmest(windowsOf(survey, 0, WINDOW, where, WINDOWS).map((window) => detailOf(survey, window, context))).map(({ deviation: value }) => value).sort((a, b) => a - b)
      return values[values.length >> 1] ?? 0
    }
    const [here, there] = [deviation('inside'), deviation('outside')]
    return { settings: {}, reason: there > 0 ? `The zone has ${(100 * here / there).toFixed(0)} % of the grain around it.` : 'There is nothing around the zone to compare with.' }
  },
  reach: () => 0,
  render(below, { amount, colour, seed }, measured, context, level, region) {
    if (!measured) return below
    const { width, height, channels, data } = below
    const brightness = brightnessOf(below, context).data
    const share = (amount / 100) * (measured.byLevel[Math.min(level, measured.byLevel.length - 1)] ?? 1)
    // On smaller levels neighbours are hardly correlated any more.
    const taps = level === 0 ? measured.taps : [1]
    const isGrey = channels === 1 || colour === 'none'
    const shared = synthesised(region.x, region.y, width, height, taps, hash(seed, level, 0))
    const common = isGrey ? 1 : measured.common
    const [a, b] = [Math.sqrt(common), Math.sqrt(1 - common)]
    const result = new Float32Array(data.length)
    for (let c = 0; c < channels; c++) {
      const own = b > 0 && !isGrey ? synthesised(region.x, region.y, width, height, taps, hash(seed, level, c + 1)) : null
      for (let i = 0; i < brightness.length; i++) {
        const at = Math.max(0, Math.min(TONES - 1.001, brightness[i]! * (TONES - 1)))
        const tone = Math.floor(at)
        const strength = measured.missing[tone]! + (measured.missing[tone + 1]! - measured.missing[tone]!) * (at - tone)
        const k = i * channels + c
        result[k] = Math.max(0, Math.min(1, data[k]! + share * strength * (a * shared[i]! + (own ? b * own[i]! : 0))))
      }
    }
    return { ...below, data: result }
  },
})

interface Detail {
  /** Brightness less its tone, for the spectrum; its high pass for the strength is that of the telltale. */
  readonly spread: Float32Array
  readonly channels: readonly Float32Array[]
  readonly tone: number
  readonly deviation: number
}

function detailOf(survey: Survey, window: { x: number; y: number; width: number; height: number }, context: OperationContext): Detail {
  const pixels = survey.read(window, 0)
  const brightness = brightnessOf(pixels, context)
  const fine = highPass(brightness.data, window.width, FINE)
  return { spread: highPass(brightness.data, window.width, TONE), channels: Array.from({ length: pixels.channels }, (_, c) => highPass(channelOf(pixels as FloatRaster, c).data, window.width, FINE)), tone: median(brightness.data.slice()), deviation: deviationOf(fine) }
}

function highPass(data: Float32Array, width: number, deviation: number): Float32Array {
  const soft = gaussianBlur({ width, height: data.length / width, data }, deviation).data
  return data.map((value, i) => value - soft[i]!)
}

const deviationOf = (values: Float32Array) => DEVIATION_PER_MAD * median(values.map(Math.abs))

/** Windows of grain alone: the calmer half of those of like tone, since texture only adds. */
function calmest(details: readonly Detail[]): Detail[] {
  const bins = new Map<number, Detail[]>()
  for (const detail of details) {
    const bin = Math.floor(4 * detail.tone)
    bins.set(bin, [...(bins.get(bin) ?? []), detail])
  }
  return [...bins.values()].flatMap((list) => list.sort((a, b) => a.deviation - b.deviation).slice(0, Math.ceil(list.length / 2)))
}

/** Deviation at each tone, between and beyond the tones that were met by the nearest. */
function byTone(details: readonly Detail[]): number[] {
  if (details.length === 0) return new Array<number>(TONES).fill(0)
  return Array.from({ length: TONES }, (_, i) => {
    const tone = i / (TONES - 1)
    let [sum, weight] = [0, 0]
    for (const one of details) {
      const distance = Math.abs(one.tone - tone)
      const say = 1 / (0.02 + distance) ** 3
      sum += say * one.deviation
      weight += say
    }
    return sum / weight
  })
}

/** The zero-phase filter whose square has the mean autocovariance of the details: the root of its spectrum, by cosines. */
function filterOf(details: readonly Float32Array[]): number[] {
  if (details.length === 0) return Array.from({ length: SIDE * SIDE }, (_, i) => (i === (SIDE * SIDE) >> 1 ? 1 : 0))
  const covariance = new Float64Array(SIDE * SIDE)
  for (const fine of details) {
    for (let dy = 0; dy <= REACH; dy++) {
      for (let dx = -REACH; dx <= REACH; dx++) {
        let sum = 0
        for (let y = REACH; y < WINDOW - REACH; y++) for (let x = REACH; x < WINDOW - REACH; x++) sum += fine[y * WINDOW + x]! * fine[(y + dy) * WINDOW + x + dx]!
        covariance[(REACH + dy) * SIDE + REACH + dx] = covariance[(REACH - dy) * SIDE + REACH - dx] = (covariance[(REACH + dy) * SIDE + REACH + dx]! || 0) + (dy === 0 && dx < 0 ? 0 : sum)
      }
    }
  }
  // Symmetric on its own line too.
  for (let dx = 1; dx <= REACH; dx++) covariance[REACH * SIDE + REACH - dx] = covariance[REACH * SIDE + REACH + dx]!
  const cosines = Array.from({ length: SIDE }, (_, u) => Array.from({ length: SIDE }, (_unused, x) => cos((2 * PI * u * (x - REACH)) / SIDE)))
  const sines = Array.from({ length: SIDE }, (_, u) => Array.from({ length: SIDE }, (_unused, x) => cos((2 * PI * u * (x - REACH)) / SIDE - PI / 2)))
  const turned = (u: number, v: number, x: number, y: number) => cosines[u]![x]! * cosines[v]![y]! - sines[u]![x]! * sines[v]![y]!
  const taps = new Array<number>(SIDE * SIDE).fill(0)
  for (let v = 0; v < SIDE; v++) {
    for (let u = 0; u < SIDE; u++) {
      let power = 0
      for (let y = 0; y < SIDE; y++) for (let x = 0; x < SIDE; x++) power += covariance[y * SIDE + x]! * turned(u, v, x, y)
      const root = Math.sqrt(Math.max(0, power))
      for (let y = 0; y < SIDE; y++) for (let x = 0; x < SIDE; x++) taps[y * SIDE + x]! += root * turned(u, v, x, y)
    }
  }
  const norm = Math.sqrt(taps.reduce((sum, value) => sum + value * value, 0)) || 1
  return taps.map((value) => value / norm)
}

/** Share of the variance that the channels have in common: their mean correlation. */
function commonShare(details: readonly Detail[]): number {
  let [sum, count] = [0, 0]
  for (const { channels } of details) {
    for (let a = 0; a < channels.length; a++) {
      for (let b = a + 1; b < channels.length; b++) {
        let [ab, aa, bb] = [0, 0, 0]
        for (let i = 0; i < channels[a]!.length; i++) {
          ab += channels[a]![i]! * channels[b]![i]!
          aa += channels[a]![i]! ** 2
          bb += channels[b]![i]! ** 2
        }
        if (aa > 0 && bb > 0) {
          sum += ab / Math.sqrt(aa * bb)
          count++
        }
      }
    }
  }
  return count === 0 ? 1 : Math.max(0, Math.min(1, sum / count))
}

/** Deviation of the mean of the grain over squares, over that of a pixel. */
function levelShare(taps: readonly number[], side: number): number {
  if (side === 1) return 1
  // The mean of filtered noise over a square: its taps are summed over all shifts.
  let variance = 0
  const span = SIDE + side - 1
  for (let y = 0; y < span; y++) {
    for (let x = 0; x < span; x++) {
      let sum = 0
      for (let sy = Math.max(0, y - side + 1); sy <= Math.min(SIDE - 1, y); sy++) for (let sx = Math.max(0, x - side + 1); sx <= Math.min(SIDE - 1, x); sx++) sum += taps[sy * SIDE + sx]!
      variance += sum * sum
    }
  }
  return Math.sqrt(variance) / (side * side)
}

/** A whole number of 32 bits that depends on three others without a pattern (finaliser of MurmurHash3, Appleby 2011). */
function hash(a: number, b: number, c: number): number {
  let h = Math.imul(a | 0, 0x9e3779b1) ^ Math.imul(b | 0, 0x85ebca6b) ^ Math.imul(c | 0, 0xc2b2ae35)
  h = Math.imul(h ^ (h >>> 16), 0x85ebca6b)
  h = Math.imul(h ^ (h >>> 13), 0xc2b2ae35)
  return (h ^ (h >>> 16)) >>> 0
}

/** Grain of deviation 1 at a place of the picture: white noise (the sum of four equal parts of a hash) through a filter. */
function synthesised(left: number, top: number, width: number, height: number, taps: readonly number[], seed: number): Float32Array {
  const reach = (Math.sqrt(taps.length) - 1) / 2
  const [w, h] = [width + 2 * reach, height + 2 * reach]
  const white = new Float32Array(w * h)
  for (let y = 0, i = 0; y < h; y++) {
    for (let x = 0; x < w; x++, i++) {
      const value = hash(left + x - reach, top + y - reach, seed)
      const more = Math.imul(value, 0x9e3779b1) >>> 0
      // Sums of four uniform bytes and of four more: near enough to normal, and exact.
      const sum = (value & 255) + ((value >>> 8) & 255) + ((value >>> 16) & 255) + (value >>> 24) + (more & 255) + ((more >>> 8) & 255) + ((more >>> 16) & 255) + (more >>> 24)
      white[i] = (sum - 1020) / 209.0
    }
  }
  if (reach === 0) return white
  const side = 2 * reach + 1
  const result = new Float32Array(width * height)
  for (let ty = 0; ty < side; ty++) {
    for (let tx = 0; tx < side; tx++) {
      const tap = taps[ty * side + tx]!
      if (Math.abs(tap) < 1e-4) continue
      for (let y = 0; y < height; y++) {
        const from = (y + ty) * w + tx
        const into = y * width
        for (let x = 0; x < width; x++) result[into + x]! += tap * white[from + x]!
      }
    }
  }
  return result
}
