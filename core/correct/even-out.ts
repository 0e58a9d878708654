import { Type } from '@sinclair/typebox'
import { defineArea, type OperationContext, type Survey } from '../operations/operation.js'
import { gaussianBlur } from '../raster/blur.js'
import { nonLocalMeans } from '../kernels/smoothing/non-local.js'
import { guidedFilter } from '../kernels/smoothing/box.js'
import { roundTo } from '../round.js'
import { brightnessOf, channelOf, rasterOf } from '../operations/brightness.js'
import type { FloatRaster } from '../raster/raster.js'
import { atLevel, noiseOfZone } from '../operations/zone-view.js'

interface Settings { readonly radiusPx: number; readonly keeps?: 'structure' | 'edges'; readonly edges: number; readonly blurPx: number }
interface Measured {
  /** Deviation of the noise by level: of the brightness where edges are kept, of a channel (root of the mean square) where structure is. */
  readonly noise: readonly number[]
}

/** What is alike is looked for at most so far around: beyond it time grows and little is won. */
const MOST_SEARCH_PX = 10

/**
 * Even out a ground: noise and steps of tone are smoothed, edges stay, then a Gaussian where it is wished for.
 *
 * Structure is kept by non-local means (Buades, Coll and Morel 2011): a pixel becomes the mean of those whose neighbourhoods
 * look like its own. Edges alone are kept by the guided filter with the brightness as guide (He, Sun and Tang 2013), which is
 * quick over wide squares: differences below so many deviations of the noise are flat, stronger ones are edges.
 */
export const evenOut = defineArea<Settings, Measured>({
  name: 'even-out',
  version: 1,
  stage: 'correct',
  form: 'area',
  title: 'Even out',
  trouble: 'Noise or steps of tone in the background',
  settings: Type.Object({
    radiusPx: Type.Number({ title: 'Over', minimum: 1, maximum: 60, default: 5, step: 1, unit: 'px', description: `Half the width over which it is smoothed; 3 to 7 px for noise (common practice). Where structure is kept, at most ${MOST_SEARCH_PX} px.` }),
    keeps: Type.Optional(Type.Union([Type.Literal('structure'), Type.Literal('edges')], { title: 'Keeps', default: 'edges', description: 'Structure: what repeats around a place, fine patterns too. Edges: nothing finer than them, over any width.' })),
    edges: Type.Number({ title: 'Keep from', minimum: 1, maximum: 30, default: 4, step: 0.5, unit: '× noise', description: 'Differences above it stay.' }),
    blurPx: Type.Number({ title: 'Then blur by', minimum: 0, maximum: 20, default: 0, step: 0.5, unit: 'px', description: 'Standard deviation of a Gaussian that follows; 0 for none.' }),
  }, { additionalProperties: false }),
  sentence: 'Even out over {radiusPx}, keeping {keeps} from {edges}',
  measure: (survey, { keeps }, context) => ({ noise: (keeps === 'structure' ? noiseOfChannels(survey, context) : noiseOfZone(survey, context)).map((value) => roundTo(value, 6)) }),
  propose(survey, context) {
    const noise = noiseOfZone(survey, context)[0]!
    return { settings: { radiusPx: noise > 0.02 ? 7 : 5, keeps: 'structure' }, reason: `The noise of the zone is ${(255 * noise).toFixed(1)} of 255.` }
  },
  reach: ({ radiusPx, keeps, blurPx }, _measured, level) => (keeps === 'structure' ? searchAt(radiusPx, level) + 1 : 2 * radiusAt(radiusPx, level)) + Math.ceil((3 * blurPx) / 2 ** level) + 2,
  render(below, { radiusPx, keeps, edges, blurPx }, measured, context, level) {
    if (!measured) return below
    const even = keeps === 'structure'
      ? nonLocalMeans(below, atLevel(measured.noise, level), Math.max(LEAST_APART, edges), searchAt(radiusPx, level))
      : rasterOf(guidedFilter(channelsOf(below), brightnessOf(below, context), radiusAt(radiusPx, level), (edges * atLevel(measured.noise, level)) ** 2))
    const deviation = blurPx / 2 ** level
    return deviation > 0.2 ? rasterOf(channelsOf(even).map((plane) => gaussianBlur(plane, deviation))) : even
  },
})

/** Deviation of the noise of a channel: the root of the mean square of all. */
function noiseOfChannels(survey: Survey, context: OperationContext): number[] {
  const noise = context.luminance.map((_share, c) => noiseOfZone(survey, { ...context, luminance: context.luminance.map((_other, k) => (k === c ? 1 : 0)) }))
  return noise[0]!.map((_value, level) => Math.sqrt(noise.reduce((sum, channel) => sum + channel[level]! ** 2, 0) / noise.length))
}

/** Patches must differ by more than noise makes them differ before they count as different. */
const LEAST_APART = 1.5
const channelsOf = (raster: FloatRaster) => Array.from({ length: raster.channels }, (_, c) => channelOf(raster, c))
const searchAt = (radiusPx: number, level: number) => radiusAt(Math.min(radiusPx, MOST_SEARCH_PX), level)
const radiusAt = (radiusPx: number, level: number) => Math.max(1, Math.round(radiusPx / 2 ** level))
