import { exp } from '../numbers/exact-math.js'
import { brightnessOf } from '../operations/brightness.js'
import type { OperationContext, Survey } from '../operations/operation.js'
import { isOn, meanWhere } from '../operations/zone-means.js'
import { viewOfZone, type ZoneView } from '../operations/zone-view.js'
import { gaussianBlur } from '../raster/blur.js'
import { boxMean } from '../kernels/smoothing/box.js'
import { distanceFrom } from '../raster/distance-transform.js'
import type { Plane } from '../raster/raster.js'
import { roundTo } from '../round.js'
import { gridOver, storedValues, type ZoneGrid } from './zone-grid.js'
import { floatsOf, maskWhere } from '../raster/per-pixel.js'

/**
 * What a fault does to the light on the way from the edge of its zone to its middle: a veil, a drop, a streak of light.
 *
 * Along the way inward a picture grows lighter as often as it grows darker, and mostly by little; a fault that fades towards its
 * edge grows on all sides alike. So on each ring of pixels equally far from the edge the middle of their slopes is the fault's,
 * whatever the zone and its surroundings show. It is measured ring by ring and added up from the edge on, where there is none.
 *
 * After Zheng, Yu, Kang and Lin 2008, "Single-image vignetting correction using radial gradient symmetry" (from memory), with
 * the distance from the edge of a zone in place of the distance from the middle of a lens.
 */

/** Between knots, in pixels: the edge of a drop or a streak is narrow. */
const SPACING = 8
/** Width of a ring, and of what slopes are taken over, in pixels of the view. */
const RING = 4
const OVER = 2
/** Deviation of the Gaussians before slopes are taken: of the light, and of the distance, whose ridges have no direction. */
const SOFT = 1.5
const SOFT_WAY = 3
/** Slopes count where the distance grows by at least this much a pixel. */
const LEAST_WAY = 0.6
/** A zone with fewer rings from its edge to its middle is too narrow for slopes to be told apart, and its surroundings are near. */
const FEWEST_RINGS = 6
/** Rings with fewer pixels say nothing, and of larger ones so many are asked. */
const FEWEST = 300
const MOST = 2000
/** Slopes are held against the light they are found in, and this is added to it, so that dark pixels do not say all. */
const DARK = 0.02
/** Relative slopes up to this size are as good as none. */
const SMALL = 0.002
/** A ring tells of a fault when that explains more than this share of its slopes. */
const TELLS = 0.01
/** All rings together, likewise: what explains less is chance. */
const TELLS_AT_ALL = 0.006
const ROUNDS = 10
/** Surroundings are of one tone when the zone lies so many of their deviations beside them, without detail over this radius. */
const OF_ONE_TONE = 2
const DETAIL = 8
/** So many rings beyond the edge are looked at: where they have more than this share of the strongest slope within, the zone ends within the fault. */
const BEYOND = 2
const GOES_ON = 0.3
/** A veil that lets more through everywhere is none, and what lets less through leaves nothing but noise. */
const LEAST_DENSE = 0.93
const LEAST_THROUGH = 0.2

/** Slopes inward of one channel on one ring, and the light where they were taken. */
interface Ring { readonly slopes: Float64Array; readonly light: Float64Array }

interface Rings {
  /** Of each channel, those beyond the edge first, then from the edge inward. */
  readonly channels: readonly (readonly Ring[])[]
  /** Distance from the edge of the zone, in pixels of the view, negative outside. */
  readonly distance: Float32Array
}

/** A veil: what lies behind it comes through in part, and its own light is added (Koschmieder 1924). */
export interface Veil {
  readonly grid: ZoneGrid
  /** Linear light of a veil that lets nothing through. */
  readonly light: number
  /** Share of the light that comes through, at each knot. */
  readonly through: readonly number[]
}

/** What is added to the light of each channel at each knot, or, where `isGain`, by what it is multiplied. */
export interface LightChange {
  readonly grid: ZoneGrid
  readonly isGain: boolean
  readonly channels: readonly (readonly number[])[]
}

/** Once for every picture below a step: it is proposed from and then measured. */
function once<T>(find: (survey: Survey, context: OperationContext) => T): (survey: Survey, context: OperationContext) => T {
  const known = new WeakMap<Survey, { readonly found: T }>()
  return (survey, context) => {
    let kept = known.get(survey)
    if (!kept) known.set(survey, (kept = { found: find(survey, context) }))
    return kept.found
  }
}

/** The veil that lies over the zone of a survey; null where none tells. */
export const veilOver = once((survey, context) => fitVeil(viewOfZone(survey), context))

/**
 * The light that lies over the zone of a survey; null where none tells, and where its surroundings are of one tone beside what
 * the zone differs from them: then that is what it should have.
 */
export const lightChangeOver = once((survey, context) => {
  const view = viewOfZone(survey)
  return areSurroundingsOfOneTone(view, context) ? null : fitLightChange(view, context)
})

function areSurroundingsOfOneTone({ pixels, cover }: ZoneView, context: OperationContext): boolean {
  const base = boxMean(brightnessOf(pixels, context), DETAIL).data
  const [here, there] = [meanWhere(base, cover, 'inside'), meanWhere(base, cover, 'outside')]
  if (here === null || there === null) return false
  const spread = meanWhere(base.map((value) => (value - there) ** 2), cover, 'outside')!
  return Math.abs(here - there) > OF_ONE_TONE * Math.sqrt(spread)
}

/** The veil that lies over a zone; null where none tells. @param view  A zone with its surroundings. */
export function fitVeil(view: ZoneView, context: OperationContext): Veil | null {
  const grid = gridOver(view, SPACING)
  const rings = ringsOf(view, context)
  if (!rings) return null
  // A veil is grey: all channels say the same, and their colours tell its light from what it takes.
  const together = rings.channels[0]!.map((_ring, n) => joined(rings.channels.map((channel) => channel[n]!)))
  const best = (lights: readonly number[], over: readonly Ring[]) => lights.map((light) => ({ light, fit: fitRings(over, (value) => value - light) })).reduce((a, b) => (b.fit.left < a.fit.left ? b : a))
  // Which light it is about, some of the slopes say as well as all.
  const some = together.map(({ slopes, light }) => thinned(slopes, light, FEWEST))
  const about = best(Array.from({ length: 13 }, (_, k) => k / 10), some).light
  const { light, fit } = best([-0.06, -0.04, -0.02, 0, 0.02, 0.04, 0.06].map((by) => Math.max(0, about + by)), together)
  if (fit.left > (1 - TELLS_AT_ALL) * fit.all || goesOn(fit.rates)) return null
  const logarithms = addedUp(fit.rates)
  const through = atKnots(view, grid, rings.distance, logarithms).map((value) => Math.max(LEAST_THROUGH, Math.min(1, exp(value))))
  return Math.min(...through) < LEAST_DENSE ? { grid, light: roundTo(light, 5), through: storedValues(through) } : null
}

/** What is added to the light of each channel, or what share of it is taken, whichever says more; null where neither tells. @param view  A zone with its surroundings. */
export function fitLightChange(view: ZoneView, context: OperationContext): LightChange | null {
  const grid = gridOver(view, SPACING)
  const rings = ringsOf(view, context)
  if (!rings) return null
  const kinds = ([[false, () => 1], [true, (value: number) => value]] as const).map(([isGain, of]) => {
    const fits = rings.channels.map((channel) => fitRings(channel, of))
    return { isGain, fits, left: fits.reduce((sum, { left }) => sum + left, 0), all: fits.reduce((sum, { all }) => sum + all, 0) }
  })
  const { isGain, fits, left, all } = kinds.reduce((a, b) => (b.left < a.left ? b : a))
  if (left > (1 - TELLS_AT_ALL) * all || fits.some(({ rates }) => goesOn(rates))) return null
  const valueOf = (sum: number) => (isGain ? Math.max(LEAST_THROUGH, Math.min(1 / LEAST_THROUGH, exp(sum))) : sum)
  return { grid, isGain, channels: fits.map(({ rates }) => storedValues(atKnots(view, grid, rings.distance, addedUp(rates)).map(valueOf))) }
}

function ringsOf(view: ZoneView, { channels, tones }: OperationContext): Rings | null {
  const { region: { width, height }, pixels, cover } = view
  // A soft zone begins where its cover does.
  const isOut = maskWhere(cover, (value) => isOn('outside', value))
  const isIn = isOut.map((value) => 1 - value)
  if (!isOut.includes(1) || !isIn.includes(1)) return null
  const [inward, outward] = [distanceFrom(isOut, width, height), distanceFrom(isIn, width, height)]
  const distance = floatsOf(isIn.length, (i) => (isIn[i] ? inward[i]! - 0.5 : 0.5 - outward[i]!))
  const count = BEYOND + Math.ceil(distance.reduce((most, value) => Math.max(most, value), 0) / RING)
  if (count < BEYOND + FEWEST_RINGS) return null
  const way = gaussianBlur({ width, height, data: distance }, SOFT_WAY).data
  const planes = Array.from({ length: channels }, (_, c) => gaussianBlur({ width, height, data: floatsOf(width * height, (i) => tones.decode(pixels.data[i * channels + c]!)) }, SOFT))
  const found = planes.map(() => Array.from({ length: count }, () => ({ slopes: [] as number[], light: [] as number[] })))
  for (let y = OVER + 1; y < height - OVER - 1; y++) {
    for (let x = OVER + 1; x < width - OVER - 1; x++) {
      const i = y * width + x
      if (distance[i]! < -BEYOND * RING) continue
      const [across, down] = [(way[i + 1]! - way[i - 1]!) / 2, (way[i + width]! - way[i - width]!) / 2]
      const size = Math.sqrt(across * across + down * down)
      if (size < LEAST_WAY) continue
      const [dx, dy] = [(OVER * across) / size, (OVER * down) / size]
      const ring = Math.min(count - 1, BEYOND + Math.floor(distance[i]! / RING))
      for (const [c, plane] of planes.entries()) {
        found[c]![ring]!.slopes.push((between(plane, x + dx, y + dy) - between(plane, x - dx, y - dy)) / (2 * OVER))
        found[c]![ring]!.light.push(plane.data[i]!)
      }
    }
  }
  return { distance, channels: found.map((channel) => channel.map(({ slopes, light }) => thinned(slopes, light, MOST))) }
}

/** Value between four pixels. */
function between({ width, data }: Plane, x: number, y: number): number {
  const [left, top] = [Math.floor(x), Math.floor(y)]
  const [s, t, i] = [x - left, y - top, top * width + left]
  return (data[i]! * (1 - s) + data[i + 1]! * s) * (1 - t) + (data[i + width]! * (1 - s) + data[i + width + 1]! * s) * t
}

/** At most about so many slopes of a ring; none of one that has too few to say anything. */
function thinned(slopes: ArrayLike<number>, light: ArrayLike<number>, most: number): Ring {
  const every = Math.max(1, Math.floor(slopes.length / most))
  const some = (values: ArrayLike<number>) => Float64Array.from({ length: slopes.length < FEWEST ? 0 : Math.ceil(values.length / every) }, (_, k) => values[k * every]!)
  return { slopes: some(slopes), light: some(light) }
}

const joined = (rings: readonly Ring[]): Ring => ({ slopes: Float64Array.from(rings.flatMap(({ slopes }) => [...slopes])), light: Float64Array.from(rings.flatMap(({ light }) => [...light])) })

/** @param of  What a slope is proportional to, of the light. @returns The factor of each ring, 0 where it tells nothing, and slopes before and after. */
function fitRings(rings: readonly Ring[], of: (light: number) => number): { rates: number[]; all: number; left: number } {
  let [all, left] = [0, 0]
  const rates = rings.map((ring) => {
    const fit = fitRing(ring, of)
    const tells = fit.all - fit.left > TELLS * fit.all
    all += fit.all
    left += tells ? fit.left : fit.all
    return tells ? fit.rate : 0
  })
  return { rates, all, left }
}

/** The factor that leaves the least sum of sizes of relative slopes, by weights that are found again and again (Weiszfeld 1937). */
function fitRing({ slopes, light }: Ring, of: (light: number) => number): { rate: number; all: number; left: number } {
  const scale = light.map((value) => 1 / (value + DARK))
  const [x, y] = [light.map((value, k) => of(value) * scale[k]!), slopes.map((value, k) => value * scale[k]!)]
  let rate = 0
  for (let round = 0; round < ROUNDS; round++) {
    let [up, down] = [0, 1e-12]
    for (let k = 0; k < y.length; k++) {
      const weight = 1 / Math.max(SMALL, Math.abs(y[k]! - rate * x[k]!))
      up += weight * x[k]! * y[k]!
      down += weight * x[k]! * x[k]!
    }
    rate = up / down
  }
  let [all, left] = [0, 0]
  for (let k = 0; k < y.length; k++) {
    all += Math.abs(y[k]!)
    left += Math.abs(y[k]! - rate * x[k]!)
  }
  return { rate, all, left }
}

/** Whether a fault goes on beyond the edge of its zone: then what it is at the edge is not known. */
function goesOn(rates: readonly number[]): boolean {
  const strongest = rates.slice(BEYOND).reduce((most, rate) => Math.max(most, Math.abs(rate)), 0)
  return rates.slice(0, BEYOND).some((rate) => Math.abs(rate) > GOES_ON * strongest)
}

/** Rates of the rings added up from the edge inward, as they stand at the middle of each. */
function addedUp(rates: readonly number[]): number[] {
  let sum = 0
  return rates.slice(BEYOND).map((rate) => {
    sum += rate * RING
    return sum - (rate * RING) / 2
  })
}

/** A function of the distance at the knots of a grid, in straight lines between the middles of rings; 0 outside the zone. */
function atKnots({ region, level }: ZoneView, grid: ZoneGrid, distance: Float32Array, rings: readonly number[]): Float64Array {
  const step = 2 ** level
  return Float64Array.from({ length: grid.columns * grid.rows }, (_, k) => {
    const place = (first: number, n: number, from: number, count: number) => Math.max(0, Math.min(count - 1, Math.floor((first + n * grid.spacing) / step) - from))
    const x = place(grid.x, k % grid.columns, region.x, region.width)
    const y = place(grid.y, Math.floor(k / grid.columns), region.y, region.height)
    const at = distance[y * region.width + x]!
    if (at <= 0) return 0
    const ring = at / RING - 0.5
    const low = Math.max(-1, Math.min(rings.length - 1, Math.floor(ring)))
    const valueOf = (n: number) => (n < 0 ? 0 : rings[Math.min(rings.length - 1, n)]!)
    return valueOf(low) + (valueOf(low + 1) - valueOf(low)) * Math.max(0, Math.min(1, ring - low))
  })
}
