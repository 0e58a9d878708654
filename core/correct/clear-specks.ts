import { Type } from '@sinclair/typebox'
import { defineArea } from '../operations/operation.js'
import { boxMean } from '../kernels/smoothing/box.js'
import { PI } from '../numbers/exact-math.js'
import { squareExtreme } from '../kernels/filters/extremes.js'
import { clipRegion, growRegion, type Plane, type FloatRaster } from '../raster/raster.js'
import { roundTo } from '../round.js'
import { brightnessOf } from '../operations/brightness.js'
import { lookedAround, replaceSpecks, type Specks } from './replace-specks.js'
import { atLevel, noiseOfZone, windowsOf } from '../operations/zone-view.js'

type Polarity = 'bright' | 'dark' | 'both'
interface Settings { readonly polarity: Polarity; readonly sizePx: number; readonly threshold: number }
interface Measured {
  /** Deviation of the noise of brightness, by level. */
  readonly noise: readonly number[]
}

/** What is longer than so many times the largest speck is no speck, nor a heap of them: a rope, an edge. */
const LONGEST = 1.6
/** A speck reaches out to where it stands out by this share of its height. */
const OUTSKIRTS = 0.3
/** A speck is no more than so many times as long as the part of it that stands out for certain. */
const OUTGROWN = 1.5
/** Pixels of a speck over the square of its length: a disc has 0.79, a line hardly any. */
const COMPACT = 0.35
/** Thresholds at which specks are looked for, over the one that is asked for. */
const LEVELS = [8, 4, 2, 1]
/** So many times what the ground stands out by on the mean around a pixel belongs to its texture. */
const TEXTURE = 2.2
/** A speck says no more of the texture around it than so many deviations of the noise. */
const TEXTURE_CAP = 12
/** Texture is judged over a square of so many sizes of the largest speck, half its side. */
const TEXTURE_SIZES = 2

const PROPOSED_WINDOWS = [192, 112, 64, 36]
/** Largest speck that is looked for when a size is proposed, in pixels. */
const PROPOSED_SIZE = 24
const PROPOSED_THRESHOLD = 5
/** Share of the specks that the proposed size holds. */
const HELD = 0.9
/** One kind is proposed alone when there are so many times as many of it. */
const MOSTLY = 3
/** Skewness of the brightness about its local mean from which specks are of one kind. */
const LEAN = 0.6

/**
 * Clear specks: only what stands out from its surroundings by the threshold and is smaller than the size is replaced.
 *
 * What stands out is found by the top-hat transform: the brightness less its opening (its closing for dark specks) by a
 * square of the size, which no larger thing survives (Serra 1982; running extremes after van Herk 1992, in constant time a
 * pixel), and less what the texture around stands out by. Long things that are thin are left by their length.
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
    threshold: Type.Number({ title: 'Stands out by', minimum: 1.5, maximum: 20, default: 5, step: 0.5, unit: '× noise', description: 'Least difference to the surroundings, in deviations of the noise.' }),
  }, { additionalProperties: false }),
  sentence: 'Clear {polarity} specks up to {sizePx} that stand {threshold} out',
  measure: (survey, _settings, context) => ({ noise: noiseOfZone(survey, context).map((value) => roundTo(value, 6)) }),
  propose(survey, context) {
    const noise = noiseOfZone(survey, context)[0]!
    let lean = 0
    const lengths: Record<'bright' | 'dark', number[]> = { bright: [], dark: [] }
    // Narrow zones hold smaller windows alone.
    const windows = PROPOSED_WINDOWS.map((side) => windowsOf(survey, 0, side, 'inside', 8)).find((list) => list.length > 2) ?? []
    for (const window of windows) {
      const smooth = smoothed(brightnessOf(survey.read(window, 0), context), 0)
      lean += skewness(smooth) / windows.length
      for (const which of ['bright', 'dark'] as const) for (const speck of findSpecks(smooth, which, PROPOSED_SIZE, PROPOSED_THRESHOLD * noise, noise)) lengths[which].push(2 * Math.sqrt(speck.length / PI))
    }
    const [bright, dark] = [lengths.bright.length, lengths.dark.length]
    // Between specks that lie close the ground itself stands out the other way: then it is told by which side has the few.
    const polarity: Polarity = bright > MOSTLY * dark || lean > LEAN ? 'bright' : dark > MOSTLY * bright || lean < -LEAN ? 'dark' : 'both'
    const all = (polarity === 'both' ? [...lengths.bright, ...lengths.dark] : lengths[polarity]).sort((a, b) => a - b)
    if (all.length === 0) return { settings: {}, reason: 'Nothing small stands out in the zone.' }
    const usual = all[Math.min(all.length - 1, Math.floor(HELD * all.length))]!
    return { settings: { polarity, sizePx: Math.max(4, Math.min(60, Math.ceil(1.3 * usual) + 2)) }, reason: `What stands out in the zone is ${polarity === 'both' ? 'bright and dark' : polarity}; nine in ten are at most ${Math.round(usual)} px across.` }
  },
  // What a pixel is replaced by lies a ray or a lender away; whether that is clean is told by its whole speck and the texture around.
  reach: ({ sizePx }, _measured, level) => lookedAround(sizeAt(sizePx, level)) + Math.ceil((LONGEST + TEXTURE_SIZES + 1) * sizeAt(sizePx, level)) + 24,
  render(below, { polarity, sizePx, threshold }, measured, context, level, region, wanted = { x: 0, y: 0, width: below.width, height: below.height }) {
    if (!measured) return below
    const smooth = smoothed(brightnessOf(below, context), level)
    const size = sizeAt(sizePx, level)
    let result: FloatRaster = below
    for (const which of polarity === 'both' ? (['bright', 'dark'] as const) : [polarity]) {
      // Dark specks are replaced by what the bright ones left.
      const replaced = polarity === 'both' && which === 'bright' ? clipRegion(growRegion(wanted, lookedAround(size)), below.width, below.height) : wanted
      // A speck stands out by as much on every level: the threshold is that of full size.
      const specks = findSpecks(smooth, which, size, threshold * measured.noise[0]!, measured.noise[0]!)
      result = replaceSpecks(result, specks, size, atLevel(measured.noise, level), context, region, replaced)
    }
    return result
  },
})

const sizeAt = (sizePx: number, level: number) => Math.max(2, sizePx / 2 ** level)

/** At full size single pixels of noise would widen what stands out; smaller levels are smooth already. */
const smoothed = (plane: Plane, level: number): Plane => (level === 0 ? boxMean(plane, 1) : plane)

/** How far each pixel stands out from all that is larger than the square. */
function standingOut(plane: Plane, radius: number, which: 'bright' | 'dark'): Float32Array {
  const [first, second] = which === 'bright' ? (['least', 'greatest'] as const) : (['greatest', 'least'] as const)
  const ground = squareExtreme(squareExtreme(plane, radius, first), radius, second).data
  const sign = which === 'bright' ? 1 : -1
  for (let i = 0; i < ground.length; i++) ground[i] = sign * (plane.data[i]! - ground[i]!)
  return ground
}

/**
 * Specks of a plane of brightness.
 *
 * @param size       Across the largest one, in pixels.
 * @param threshold  Least difference to the surroundings.
 */
function findSpecks(plane: Plane, which: 'bright' | 'dark', size: number, threshold: number, noise: number): Specks {
  const { width, height } = plane
  const out = standingOut(plane, Math.max(1, Math.ceil(size / 2)), which)
  const capped = new Float32Array(out.length)
  for (let i = 0; i < out.length; i++) capped[i] = Math.min(out[i]!, TEXTURE_CAP * noise)
  const texture = boxMean({ width, height, data: capped }, Math.min(255, Math.ceil(TEXTURE_SIZES * size))).data
  for (let i = 0; i < out.length; i++) out[i]! -= TEXTURE * texture[i]!
  return labelSpecks(out, width, height, threshold, LONGEST * size + 2)
}

/**
 * Connected places that stand out by more than the threshold and are no longer than so much. The strongest are looked for
 * first, so that a speck on restless ground is not one with it; each reaches out to a share of its own height (hysteresis,
 * Canny 1986).
 */
function labelSpecks(out: Float32Array, width: number, height: number, threshold: number, longest: number): Specks {
  const taken = new Uint8Array(out.length)
  const seen = new Uint8Array(out.length)
  const specks: Int32Array[] = []
  // Few pixels stand out at all: the others are looked at once.
  const starts: number[] = []
  const lowest = LEVELS.at(-1)! * threshold
  for (let i = 0; i < out.length; i++) if (out[i]! > lowest) starts.push(i)
  for (const level of LEVELS) {
    const least = level * threshold
    seen.set(taken)
    for (const start of starts) {
      if (out[start]! <= least || seen[start]) continue
      const core = flood(out, width, height, [start], least, seen, Infinity)
      if (core.length > longest || core.pixels.length < COMPACT * core.length * core.length) continue
      const most = Math.max(core.length + 4, OUTGROWN * core.length)
      const whole = flood(out, width, height, core.pixels, OUTSKIRTS * core.peak, taken, most)
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
