import { Type } from '@sinclair/typebox'
import { defineArea, type FloatRaster } from '../operations/operation.js'
import { boxMean } from '../raster/box.js'
import { squareExtreme } from '../raster/extremes.js'
import type { Plane } from '../raster/raster.js'
import { median } from '../raster/statistics.js'
import { roundTo } from '../round.js'
import { brightnessOf } from './brightness.js'
import { LENDER_SIZES, RAY_SIZES, replaceSpecks, type Specks } from './replace-specks.js'
import { atLevel, noiseOfZone, windowsOf } from './zone-view.js'

type Polarity = 'bright' | 'dark' | 'both'
interface Settings { readonly polarity: Polarity; readonly sizePx: number; readonly threshold: number }
interface Measured {
  /** Deviation of the noise of brightness, by level. */
  readonly noise: readonly number[]
  /** How far the picture stands out by its grain alone, by level: median over the zone, bright and dark. */
  readonly bright: readonly number[]
  readonly dark: readonly number[]
}

/** What is longer than so many times the largest speck is no speck, nor a heap of them: a rope, an edge. */
const LONGEST = 2.5
/** A speck reaches out to where it stands out by so much less than the threshold. */
const OUTSKIRTS = 0.35
const WINDOW = 64

/**
 * Clear specks: only what stands out from its surroundings by the threshold and is smaller than the size is replaced.
 *
 * What stands out is found by the top-hat transform: the brightness less its opening (its closing for dark specks) by a
 * square of the size, which no larger thing survives (Serra 1982; running extremes after van Herk 1992, in constant time a
 * pixel). Long things that are thin are left by their length.
 */
export const clearSpecks = defineArea<Settings, Measured>({
  name: 'clear-specks',
  version: 1,
  stage: 'correct',
  form: 'area',
  title: 'Clear specks',
  trouble: 'Many small specks',
  settings: Type.Object({
    polarity: Type.Union([Type.Literal('bright'), Type.Literal('dark'), Type.Literal('both')], { title: 'Which', default: 'both', description: 'Specks lighter than their surroundings, darker ones, or both.' }),
    sizePx: Type.Number({ title: 'Largest speck', minimum: 2, maximum: 120, default: 12, step: 1, unit: 'px', description: 'Across. What is larger stays.' }),
    threshold: Type.Number({ title: 'Stands out by', minimum: 1.5, maximum: 20, default: 4, step: 0.5, unit: '× noise', description: 'Least difference to the surroundings, in deviations of the noise.' }),
  }, { additionalProperties: false }),
  sentence: 'Clear {polarity} specks up to {sizePx} that stand {threshold} out',
  measure(survey, { sizePx }, context) {
    const noise = noiseOfZone(survey, context)
    const [bright, dark]: [number[], number[]] = [[], []]
    noise.forEach((_, level) => {
      const radius = radiusAt(sizePx, level)
      const side = Math.max(WINDOW, 4 * radius)
      const windows = windowsOf(survey, level, side, 'inside', 6)
      const values: Record<'bright' | 'dark', number[]> = { bright: [], dark: [] }
      for (const window of windows) {
        const brightness = brightnessOf(survey.read(window, level), context)
        const smooth = smoothed(brightness, level)
        for (const which of ['bright', 'dark'] as const) values[which].push(median(standingOut(smooth, radius, which).slice()))
      }
      // A third of a window may be specks: the lower quartile of the windows' medians is grain.
      const lower = (list: number[]) => list.sort((a, b) => a - b)[list.length >> 2] ?? noise[level]!
      bright.push(roundTo(lower(values.bright), 6))
      dark.push(roundTo(lower(values.dark), 6))
    })
    return { noise: noise.map((value) => roundTo(value, 6)), bright, dark }
  },
  propose(survey, context) {
    const noise = noiseOfZone(survey, context)
    const windows = windowsOf(survey, 0, 160, 'inside', 8)
    let [bright, dark] = [0, 0]
    const widths: number[] = []
    for (const window of windows) {
      const smooth = smoothed(brightnessOf(survey.read(window, 0), context), 0)
      for (const which of ['bright', 'dark'] as const) {
        const out = standingOut(smooth, 20, which)
        const grain = median(out.slice())
        let count = 0
        for (let y = 0; y < smooth.height; y++) {
          for (let x = 0, run = 0; x <= smooth.width; x++) {
            if (x < smooth.width && out[y * smooth.width + x]! > grain + 5 * noise[0]!) {
              run++
              count++
            } else if (run > 0) {
              widths.push(run)
              run = 0
            }
          }
        }
        if (which === 'bright') bright += count
        else dark += count
      }
    }
    widths.sort((a, b) => a - b)
    const usual = widths[Math.floor(0.9 * widths.length)] ?? 8
    const sizePx = Math.max(4, Math.min(60, Math.ceil(1.5 * usual) + 2))
    const polarity: Polarity = bright > 4 * dark ? 'bright' : dark > 4 * bright ? 'dark' : 'both'
    const pixels = Math.max(1, windows.length * 160 * 160)
    return { settings: { polarity, sizePx }, reason: `${((100 * (bright + dark)) / pixels).toFixed(1)} % of the zone stands out, ${polarity === 'both' ? 'bright and dark' : polarity}; nine in ten are at most ${usual} px across.` }
  },
  // What a pixel is replaced by lies a ray or a lender away, and whether that is clean is told by its whole speck.
  reach: ({ sizePx }, _measured, level) => Math.ceil((Math.max(RAY_SIZES, LENDER_SIZES[1] + 2) + LONGEST + 1) * sizeAt(sizePx, level)) + 24,
  render(below, { polarity, sizePx, threshold }, measured, context, level, region) {
    if (!measured) return below
    const noise = atLevel(measured.noise, level)
    const radius = radiusAt(sizePx, level)
    const smooth = smoothed(brightnessOf(below, context), level)
    let result: FloatRaster = below
    for (const which of ['bright', 'dark'] as const) {
      if (polarity !== 'both' && polarity !== which) continue
      const out = standingOut(smooth, radius, which)
      const grain = atLevel(measured[which], level)
      const specks = labelSpecks(out, below.width, below.height, grain + threshold * noise, grain + OUTSKIRTS * threshold * noise, LONGEST * sizeAt(sizePx, level) + 2)
      result = replaceSpecks(result, specks, sizeAt(sizePx, level), noise, context, region)
    }
    return result
  },
})

const sizeAt = (sizePx: number, level: number) => Math.max(2, sizePx / 2 ** level)
const radiusAt = (sizePx: number, level: number) => Math.max(1, Math.ceil(sizeAt(sizePx, level) / 2))

/** At full size single pixels of noise would widen what stands out; smaller levels are smooth already. */
const smoothed = (plane: Plane, level: number): Plane => (level === 0 ? boxMean(plane, 1) : plane)

/** How far each pixel stands out from all that is larger than the square. */
function standingOut(plane: Plane, radius: number, which: 'bright' | 'dark'): Float32Array {
  const [first, second] = which === 'bright' ? (['least', 'greatest'] as const) : (['greatest', 'least'] as const)
  const ground = squareExtreme(squareExtreme(plane, radius, first), radius, second).data
  const sign = which === 'bright' ? 1 : -1
  return ground.map((value, i) => sign * (plane.data[i]! - value))
}

/**
 * Connected places above the lower threshold that hold one above the upper, no longer than so much (hysteresis, Canny
 * 1986).
 */
function labelSpecks(out: Float32Array, width: number, height: number, upper: number, lower: number, longest: number): Specks {
  const seen = new Uint8Array(out.length)
  const specks: Int32Array[] = []
  const stack: number[] = []
  for (let start = 0; start < out.length; start++) {
    if (out[start]! <= upper || seen[start]) continue
    const pixels: number[] = []
    let [left, top, right, bottom] = [width, height, 0, 0]
    stack.push(start)
    seen[start] = 1
    while (stack.length > 0) {
      const i = stack.pop()!
      pixels.push(i)
      const x = i % width
      const y = (i - x) / width
      left = Math.min(left, x)
      right = Math.max(right, x)
      top = Math.min(top, y)
      bottom = Math.max(bottom, y)
      for (let ny = Math.max(0, y - 1); ny <= Math.min(height - 1, y + 1); ny++) {
        for (let nx = Math.max(0, x - 1); nx <= Math.min(width - 1, x + 1); nx++) {
          const n = ny * width + nx
          if (!seen[n] && out[n]! > lower) {
            seen[n] = 1
            stack.push(n)
          }
        }
      }
    }
    if (Math.max(right - left, bottom - top) + 1 <= longest) specks.push(Int32Array.from(pixels).sort())
  }
  return specks
}
