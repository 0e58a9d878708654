import { Type } from '@sinclair/typebox'
import { defineArea, type FloatRaster } from '../operations/operation.js'
import { boxMean } from '../raster/box.js'
import { LN2, ln } from '../raster/exact-math.js'
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
/** A speck reaches out to where it stands out by this share of its height. */
const OUTSKIRTS = 0.3
/** A speck is no more than so many times as long as the part of it that stands out for certain. */
const OUTGROWN = 1.5
/** Pixels of a speck over the square of its length: a disc has 0.79, a line hardly any. */
const COMPACT = 0.25
/** Thresholds at which specks are looked for, over the one that is asked for. */
const LEVELS = [8, 4, 2, 1]
const WINDOW = 64
const PROPOSED_WINDOW = 160
/** Half sides of the squares that the size is looked for with, in pixels. */
const RADII = [1, 2, 3, 4, 6, 8, 11, 15, 20]
/** So far above the noise a pixel stands out for certain, in deviations. */
const STRONG = 6
/** Skewness of the brightness about its local mean from which specks are of one kind. */
const LEAN = 0.4

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
    const noise = noiseOfZone(survey, context)[0]!
    const windows = windowsOf(survey, 0, PROPOSED_WINDOW, 'inside', 8).map((window) => smoothed(brightnessOf(survey.read(window, 0), context), 0))
    const lean = windows.reduce((sum, window) => sum + skewness(window), 0) / Math.max(1, windows.length)
    const polarity: Polarity = lean > LEAN ? 'bright' : lean < -LEAN ? 'dark' : 'both'
    // Granulometry (Matheron 1975): how many pixels stand out for the first time when the square grows; specks have a size.
    let [best, most, before] = [RADII[2]!, 0, 0]
    RADII.forEach((radius, k) => {
      let count = 0
      for (const window of windows) {
        const out = standingOut(window, radius, polarity === 'dark' ? 'dark' : 'bright')
        const grain = median(out.slice())
        for (const value of out) if (value > grain + STRONG * noise) count++
      }
      const rate = (count - before) / (k === 0 ? 1 : ln(RADII[k]! / RADII[k - 1]!) / LN2)
      if (rate > most) [best, most] = [radius, rate]
      before = Math.max(before, count)
    })
    const sizePx = Math.max(4, Math.min(60, Math.ceil(3.2 * best) + 2))
    return { settings: { polarity, sizePx }, reason: `What stands out in the zone is ${polarity === 'both' ? 'bright and dark' : polarity} and mostly about ${2 * best + 1} px across.` }
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
      const specks = labelSpecks(out, below.width, below.height, grain + threshold * noise, grain, LONGEST * sizeAt(sizePx, level) + 2)
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
 * Connected places that stand out by more than the threshold and are no longer than so much. The strongest are looked for
 * first, so that a speck on restless ground is not one with it; each reaches out to a share of its own height (hysteresis,
 * Canny 1986).
 */
function labelSpecks(out: Float32Array, width: number, height: number, threshold: number, grain: number, longest: number): Specks {
  const taken = new Uint8Array(out.length)
  const seen = new Uint8Array(out.length)
  const specks: Int32Array[] = []
  for (const level of LEVELS) {
    const least = grain + level * (threshold - grain)
    seen.set(taken)
    for (let start = 0; start < out.length; start++) {
      if (out[start]! <= least || seen[start]) continue
      const core = flood(out, width, height, [start], least, seen, Infinity)
      if (core.length > longest || core.pixels.length < COMPACT * core.length * core.length) continue
      const most = Math.max(core.length + 4, OUTGROWN * core.length)
      const whole = flood(out, width, height, core.pixels, grain + OUTSKIRTS * (core.peak - grain), taken, most)
      // What runs on into something else is taken as far as it stands out for certain.
      const isOther = whole.length > most || whole.pixels.length < COMPACT * whole.length * whole.length
      if (isOther) for (const i of whole.pixels) taken[i] = 0
      const { pixels } = isOther ? core : whole
      for (const i of pixels) taken[i] = seen[i] = 1
      specks.push(Int32Array.from(pixels))
    }
  }
  return specks
}

/** Pixels connected with the first ones above a value; marks them as seen, and ends when they reach further than so much. */
function flood(out: Float32Array, width: number, height: number, first: readonly number[], least: number, seen: Uint8Array, furthest: number): { pixels: number[]; length: number; peak: number } {
  const pixels = [...first]
  for (const i of first) seen[i] = 1
  let [left, top, right, bottom, peak] = [width, height, 0, 0, 0]
  for (let n = 0; n < pixels.length && Math.max(right - left, bottom - top) < furthest; n++) {
    const i = pixels[n]!
    const x = i % width
    const y = (i - x) / width
    if (out[i]! > peak) peak = out[i]!
    if (x < left) left = x
    if (x > right) right = x
    if (y < top) top = y
    if (y > bottom) bottom = y
    for (let ny = Math.max(0, y - 1); ny <= Math.min(height - 1, y + 1); ny++) {
      for (let nx = Math.max(0, x - 1); nx <= Math.min(width - 1, x + 1); nx++) {
        const next = ny * width + nx
        if (seen[next] || out[next]! <= least) continue
        seen[next] = 1
        pixels.push(next)
      }
    }
  }
  return { pixels, length: Math.max(right - left, bottom - top) + 1, peak }
}

/** Skewness of the brightness about its local mean: above 0 where few pixels are much lighter. */
function skewness(plane: Plane): number {
  const mean = boxMean(plane, 12).data
  let [second, third] = [0, 0]
  for (let i = 0; i < mean.length; i++) {
    const difference = plane.data[i]! - mean[i]!
    second += difference * difference
    third += difference * difference * difference
  }
  const variance = second / mean.length
  return variance > 0 ? third / mean.length / (variance * Math.sqrt(variance)) : 0
}
