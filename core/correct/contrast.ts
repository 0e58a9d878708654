import { Type } from '@sinclair/typebox'
import { veilOver, type Veil } from './fault-profile.js'
import { defineArea } from '../operations/operation.js'
import { boxMean, guidedFilter } from '../kernels/smoothing/box.js'
import { roundTo } from '../round.js'
import { brightnessOf, channelOf, rasterOf, withBrightness } from '../operations/brightness.js'
import { cellMedians, cellsOf, fillSmoothly, gridField, gridOver, smoothedOnce, storedValues, type ZoneGrid } from './zone-grid.js'
import { meanWhere } from '../operations/zone-means.js'
import { atLevel, noiseOfZone, viewOfZone } from '../operations/zone-view.js'

interface Settings { readonly amount: number; readonly veil: number; readonly radiusPx: number; readonly colours: 'kept' | 'changed' }
interface Measured {
  readonly grid: ZoneGrid
  /** How many times less contrast there is than around the zone, at each knot: 1 where nothing is lost. */
  readonly loss: readonly number[]
  /** Deviation of the noise of brightness, by level: what is no stronger stays as it is. */
  readonly noise: readonly number[]
  /** How much brighter than around it the zone is at each knot: the veil, where none tells by its slopes. */
  readonly veil: readonly number[]
  /** The veil as light that is added to what comes through, at knots of its own; null where none tells. */
  readonly over?: Veil | null
}

/** Contrast is never taken for lost by more than so many times: beyond it there is only noise. */
const MOST = 4
/** Brightness differences above it are edges, which the base keeps, so that they get no halo. */
const EDGE = 0.12
/** Up to so many deviations of the noise nothing is told from it; from so many on it is detail for certain. */
const UNSURE = 2
const CERTAIN = 6
/** A zone is of another tone when it lies so many deviations of the tones around away from their mean. */
const VEILED = 1.2
/** What is veiled has less than this share of the contrast around it. */
const CALMER = 0.9
/** Least deviation that counts as contrast. */
const LEAST = 0.004

/**
 * Give back local contrast.
 *
 * A veil is light that is added to what comes through (Koschmieder 1924). How much is read off the slopes of light towards the
 * middle of the zone (`fault-profile.ts`), and it is taken off again. Where none tells so and it is wished, tone goes to that of
 * the surroundings.
 *
 * Besides, what differs from the base, smoothed but for its edges (guided filter, He, Sun and Tang 2013), is made stronger, the
 * more the less of it is left beside what the surroundings have. By default brightness alone is changed: the linear light of
 * all channels in one ratio, so that chromaticity stays.
 */
export const contrast = defineArea<Settings, Measured>({
  name: 'contrast',
  version: 1,
  stage: 'correct',
  form: 'area',
  meetsSurroundings: true,
  title: 'Give contrast back',
  trouble: 'Contrast is lost: a drop on the window, a veil',
  settings: Type.Object({
    amount: Type.Number({ title: 'Amount', minimum: 0, maximum: 200, default: 100, step: 5, unit: '%', description: '100 gives back all that is lost beside the surroundings.' }),
    veil: Type.Number({ title: 'Veil taken off', minimum: 0, maximum: 100, default: 0, step: 5, unit: '%', description: 'How much of the light that lies over the zone is taken off. Where none is found by itself, how far the tone of the zone goes to that of its surroundings.' }),
    radiusPx: Type.Number({ title: 'Over', minimum: 4, maximum: 250, default: 60, step: 2, unit: 'px', description: 'Half the width over which contrast is judged.' }),
    colours: Type.Union([Type.Literal('kept'), Type.Literal('changed')], { title: 'Colours', default: 'kept', description: 'kept: brightness alone is changed; changed: each channel for itself.' }),
  }, { additionalProperties: false }),
  sentence: 'Give contrast back by {amount} over {radiusPx}, veil off by {veil}, colours {colours}',
  measure(survey, { radiusPx }, context) {
    const view = viewOfZone(survey)
    const grid = gridOver(view, Math.max(8, radiusPx / 1.5))
    const brightness = brightnessOf(view.pixels, context)
    const own = Math.max(1, Math.round(radiusPx / 2 ** view.level))
    const base = boxMean(brightness, own)
    const spread = boxMean({ ...brightness, data: brightness.data.map((value, i) => (value - base.data[i]!) ** 2) }, own).data.map(Math.sqrt)
    const spreads = { width: view.region.width, height: view.region.height, channels: 1, data: spread }
    const tones = { ...spreads, data: base.data }
    const [inside, outside] = [cellsOf(view, grid, 'inside'), cellsOf(view, grid, 'outside')]
    const around = meanWhere(spread, view.cover, 'outside') ?? LEAST
    const here = cellMedians(spreads, inside, 0)
    // What lies around a zone is one number: contrast changes too much from place to place to be drawn across.
    const loss = smoothedOnce(fillSmoothly(here.map((value) => Math.max(1, Math.min(MOST, around / Math.max(LEAST, value)))), grid), grid)
    const target = fillSmoothly(cellMedians(tones, outside, 0), grid)
    const tone = cellMedians(tones, inside, 0)
    const hasSurroundings = outside.some((cell) => cell.length > 0)
    const veil = smoothedOnce(fillSmoothly(tone.map((value, i) => (hasSurroundings ? value - target[i]! : 0)), grid), grid)
    return { grid, loss: storedValues(loss), veil: storedValues(veil), over: veilOver(survey, context), noise: noiseOfZone(survey, context).map((value) => roundTo(value, 6)) }
  },
  propose(survey, context) {
    const over = veilOver(survey, context)
    // What a veil takes of the contrast comes back when its light is taken off.
    if (over) return { settings: { amount: 0, veil: 100, colours: 'changed' }, reason: `A veil lies over the zone: ${(100 * Math.min(...over.through)).toFixed(0)} % of the light comes through where it is densest.` }
    const view = viewOfZone(survey, 100_000)
    const brightness = brightnessOf(view.pixels, context)
    const base = boxMean(brightness, 8)
    const spread = brightness.data.map((value, i) => Math.abs(value - base.data[i]!))
    const [inside, outside] = [meanWhere(spread, view.cover, 'inside'), meanWhere(spread, view.cover, 'outside')]
    if (!inside || !outside) return { settings: {}, reason: 'There is nothing around the zone to compare with.' }
    const here = meanWhere(base.data, view.cover, 'inside')!
    const there = meanWhere(base.data, view.cover, 'outside')!
    const spread2 = meanWhere(base.data.map((value) => (value - there) ** 2), view.cover, 'outside')!
    // Tone is matched where what is around is of one tone, so that the zone would be too; and a veil takes contrast, as a light or dark thing does not.
    const isVeiled = inside < CALMER * outside && Math.abs(here - there) > VEILED * Math.sqrt(spread2)
    return { settings: { amount: 100, veil: isVeiled ? 100 : 0 }, reason: `The zone has ${(100 * Math.min(1, inside / outside)).toFixed(0)} % of the contrast around it${isVeiled ? ' and is of another tone' : ''}.` }
  },
  reach: ({ radiusPx }, _measured, level) => 2 * Math.max(1, Math.round(radiusPx / 2 ** level)) + 2,
  render(below, { amount, veil: taken, radiusPx, colours }, measured, context, level, region) {
    if (!measured) return below
    const radius = Math.max(1, Math.round(radiusPx / 2 ** level))
    const loss = gridField(measured.grid, measured.loss, region, level)
    const { over } = measured
    const veil = over ? null : gridField(measured.grid, measured.veil, region, level)
    const through = over && gridField(over.grid, over.through, region, level)
    const share = amount / 100
    const noise = atLevel(measured.noise, level)
    const [unsure, certain] = [UNSURE * noise, CERTAIN * noise]
    const brightness = brightnessOf(below, context)
    const unveiled = (plane: typeof brightness) => {
      if (!over || !through || taken === 0) return plane
      const data = plane.data.map((value, i) => {
        const part = 1 - (taken / 100) * (1 - through[i]!)
        return part === 1 ? value : context.tones.encode(Math.max(0, (context.tones.decode(value) - over.light * (1 - part)) / part))
      })
      return { ...plane, data }
    }
    const stronger = (veiled: typeof brightness) => {
      const plane = unveiled(veiled)
      if (share === 0 && !veil) return plane
      const base = guidedFilter([plane], plane, radius, EDGE * EDGE)[0]!.data
      const data = plane.data.map((value, i) => {
        const smooth = base[i]!
        const detail = value - smooth
        // Detail as weak as the noise is not told from it, and is not made stronger.
        const told = Math.max(0, Math.min(1, (Math.abs(detail) - unsure) / (certain - unsure)))
        return Math.max(0, Math.min(1, smooth - (veil ? (taken / 100) * veil[i]! : 0) + detail * (1 + share * told * told * (3 - 2 * told) * (loss[i]! - 1))))
      })
      return { ...plane, data }
    }
    if (colours === 'kept' || below.channels === 1) return withBrightness(below, brightness, stronger(brightness), context)
    return rasterOf(Array.from({ length: below.channels }, (_, c) => stronger(channelOf(below, c))))
  },
})
