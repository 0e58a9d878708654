import { Type } from '@sinclair/typebox'
import { lightChangeOver, type LightChange } from './fault-profile.js'
import { withoutChange } from './without-change.js'
import { defineArea } from '../operations/operation.js'
import { boxMean } from '../kernels/smoothing/box.js'
import { brightnessOf } from '../operations/brightness.js'
import { cellMedians, cellsOf, fillSmoothly, gridField, gridOver, smoothedOnce, storedValues, type ZoneGrid } from './zone-grid.js'
import { meanWhere } from '../operations/zone-means.js'
import { viewOfZone } from '../operations/zone-view.js'

interface Settings { readonly tone: number; readonly colour: number; readonly contrast: number; readonly finestPx: number }
interface Measured {
  readonly grid: ZoneGrid
  /** Of each channel at each knot: as it is. */
  readonly own: readonly (readonly number[])[]
  /** Of each channel at each knot: as the surroundings go on through the zone. */
  readonly wanted: readonly (readonly number[])[]
  /** How many times more contrast the surroundings have. */
  readonly contrast: number
  /** What lies over the zone, where it tells by its slopes; then the surroundings are not asked. */
  readonly change?: LightChange | null
}

const MOST = 3

/**
 * Bring tone and colour of a zone to what they would be without what lies over it: light that is added or taken, read off the
 * slopes of light towards its middle. Where no such light tells, bring tone, colour and contrast of a zone to those of its
 * surroundings: local means are moved to what the surroundings give when they are carried on smoothly through the zone, and
 * deviations are scaled (moment matching, Reinhard and others 2001, on a grid instead of over the whole).
 */
export const match = defineArea<Settings, Measured>({
  name: 'match',
  version: 1,
  stage: 'correct',
  form: 'area',
  meetsSurroundings: true,
  title: 'Match the surroundings',
  trouble: 'A patch of another tone or colour than what is around it',
  settings: Type.Object({
    tone: Type.Number({ title: 'Tone', minimum: 0, maximum: 100, default: 100, step: 5, unit: '%', description: 'How far the brightness goes to that of the surroundings.' }),
    colour: Type.Number({ title: 'Colour', minimum: 0, maximum: 100, default: 100, step: 5, unit: '%', description: 'How far the colour goes to that of the surroundings.' }),
    contrast: Type.Number({ title: 'Contrast', minimum: 0, maximum: 100, default: 0, step: 5, unit: '%', description: 'How far the contrast goes to that of the surroundings.' }),
    finestPx: Type.Number({ title: 'Changing over', minimum: 8, maximum: 500, default: 60, step: 4, unit: 'px', description: 'Finest change of tone that is taken for the fault: what is smaller belongs to the picture.' }),
  }, { additionalProperties: false }),
  sentence: 'Match tone {tone} and colour {colour} to the surroundings, changing over {finestPx}',
  measure(survey, { finestPx }, context) {
    const view = viewOfZone(survey)
    const grid = gridOver(view, finestPx)
    const [inside, outside] = [cellsOf(view, grid, 'inside'), cellsOf(view, grid, 'outside')]
    const channels = Array.from({ length: context.channels }, (_, c) => c)
    const own = channels.map((c) => smoothedOnce(fillSmoothly(cellMedians(view.pixels, inside, c), grid), grid))
    // With nothing around there is nothing to match.
    const wanted = outside.every((cell) => cell.length === 0) ? own : channels.map((c) => smoothedOnce(fillSmoothly(cellMedians(view.pixels, outside, c), grid), grid))
    const brightness = brightnessOf(view.pixels, context)
    const base = boxMean(brightness, Math.max(2, Math.round(finestPx / 2 / 2 ** view.level))).data
    const spread = brightness.data.map((value, i) => Math.abs(value - base[i]!))
    const [here, around] = [meanWhere(spread, view.cover, 'inside'), meanWhere(spread, view.cover, 'outside')]
    return { grid, own: own.map(storedValues), wanted: wanted.map(storedValues), contrast: here && around ? Number(Math.max(1 / MOST, Math.min(MOST, around / here)).toFixed(3)) : 1, change: lightChangeOver(survey, context) }
  },
  propose(survey, context) {
    const change = lightChangeOver(survey, context)
    if (change) return { settings: {}, reason: change.isGain ? 'The zone takes light, the more the nearer its middle.' : 'Light is added over the zone, the more the nearer its middle.' }
    const view = viewOfZone(survey, 100_000)
    const differences = Array.from({ length: context.channels }, (_, c) => {
      const [here, around] = [meanWhere(view.pixels.data, view.cover, 'inside', context.channels, c), meanWhere(view.pixels.data, view.cover, 'outside', context.channels, c)]
      return here === null || around === null ? 0 : here - around
    })
    const side = Math.sqrt(view.cover.reduce((sum, value) => sum + value, 0)) * 2 ** view.level
    return { settings: { finestPx: Math.max(8, Math.min(500, Math.round(side / 6 / 4) * 4)) }, reason: `The zone differs from what is around it by ${differences.map((value) => (255 * value).toFixed(0)).join(', ')} of 255.` }
  },
  reach: () => 0,
  render(below, { tone, colour, contrast }, measured, context, level, region) {
    if (!measured) return below
    const { channels, data } = below
    const { luminance } = context
    if (measured.change) return withoutChange(below, measured.change, tone / 100, colour / 100, context, level, region)
    const own = measured.own.map((values) => gridField(measured.grid, values, region, level))
    const wanted = measured.wanted.map((values) => gridField(measured.grid, values, region, level))
    const gain = 1 + (contrast / 100) * (measured.contrast - 1)
    const result = new Float32Array(data.length)
    for (let i = 0; i < data.length / channels; i++) {
      let brighter = 0
      for (let c = 0; c < channels; c++) brighter += luminance[c]! * (wanted[c]![i]! - own[c]![i]!)
      for (let c = 0; c < channels; c++) {
        const k = i * channels + c
        const offset = (tone / 100) * brighter + (colour / 100) * (wanted[c]![i]! - own[c]![i]! - brighter)
        result[k] = Math.max(0, Math.min(1, own[c]![i]! + offset + gain * (data[k]! - own[c]![i]!)))
      }
    }
    return { ...below, data: result }
  },
})
