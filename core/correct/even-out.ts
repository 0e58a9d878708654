import { Type } from '@sinclair/typebox'
import { defineArea } from '../operations/operation.js'
import { gaussianBlur } from '../raster/blur.js'
import { guidedFilter } from '../kernels/filters/box.js'
import { roundTo } from '../round.js'
import { brightnessOf, channelOf, rasterOf } from '../operations/brightness.js'
import { atLevel, noiseOfZone } from '../operations/zone-view.js'

interface Settings { readonly radiusPx: number; readonly edges: number; readonly blurPx: number }
interface Measured { readonly noise: readonly number[] }

/**
 * Even out a ground: noise and steps of tone are smoothed, edges stay, then a Gaussian where it is wished for.
 *
 * The guided filter with the brightness as guide (He, Sun and Tang 2013): differences below so many deviations of the noise
 * are flat, stronger ones are edges.
 */
export const evenOut = defineArea<Settings, Measured>({
  name: 'even-out',
  version: 1,
  stage: 'correct',
  form: 'area',
  title: 'Even out',
  trouble: 'Noise or steps of tone in the background',
  settings: Type.Object({
    radiusPx: Type.Number({ title: 'Over', minimum: 1, maximum: 60, default: 5, step: 1, unit: 'px', description: 'Half the width over which it is smoothed; 3 to 7 px for noise (common practice).' }),
    edges: Type.Number({ title: 'Keep edges from', minimum: 1, maximum: 30, default: 4, step: 0.5, unit: '× noise', description: 'Differences above it stay.' }),
    blurPx: Type.Number({ title: 'Then blur by', minimum: 0, maximum: 20, default: 0, step: 0.5, unit: 'px', description: 'Standard deviation of a Gaussian that follows; 0 for none.' }),
  }, { additionalProperties: false }),
  sentence: 'Even out over {radiusPx}, keeping edges from {edges}',
  measure: (survey, _settings, context) => ({ noise: noiseOfZone(survey, context).map((value) => roundTo(value, 6)) }),
  propose(survey, context) {
    const noise = noiseOfZone(survey, context)[0]!
    return { settings: { radiusPx: noise > 0.02 ? 7 : 5 }, reason: `The noise of the zone is ${(255 * noise).toFixed(1)} of 255.` }
  },
  reach: ({ radiusPx, blurPx }, _measured, level) => 2 * radiusAt(radiusPx, level) + Math.ceil((3 * blurPx) / 2 ** level) + 2,
  render(below, { radiusPx, edges, blurPx }, measured, context, level) {
    if (!measured) return below
    const flat = edges * atLevel(measured.noise, level)
    const radius = radiusAt(radiusPx, level)
    const guide = brightnessOf(below, context)
    const deviation = blurPx / 2 ** level
    const even = guidedFilter(Array.from({ length: below.channels }, (_, c) => channelOf(below, c)), guide, radius, flat * flat)
    return rasterOf(deviation > 0.2 ? even.map((plane) => gaussianBlur(plane, deviation)) : even)
  },
})

const radiusAt = (radiusPx: number, level: number) => Math.max(1, Math.round(radiusPx / 2 ** level))
