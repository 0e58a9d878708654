import { Type } from '@sinclair/typebox'
import { defineArea } from '../operations/operation.js'
import { gaussianBlur } from '../raster/blur.js'
import { exp, ln } from '../raster/exact-math.js'
import type { Plane } from '../raster/raster.js'
import { roundTo } from '../round.js'
import { cellMedians, cellsOf, fillSmoothly, gridField, gridOver, smoothedOnce, storedValues, type ZoneGrid } from './zone-grid.js'
import { viewOfZone } from './zone-view.js'

interface Settings { readonly amount: number; readonly finestPx: number; readonly evidence: 'colour' | 'brightness' | 'both' }
interface Measured {
  readonly grid: ZoneGrid
  /** Log of the light of each channel, as the surroundings go on through the zone, at each knot. */
  readonly clean: readonly (readonly number[])[]
  /** How much of the light the stain takes, ln by channel, for a depth of 1; its strongest channel is 1. */
  readonly colour: readonly number[]
  /** Depth at each knot as tone alone tells it. */
  readonly depth: readonly number[]
}

/** Light below it is black: nothing is told by it. */
const DARKEST = 2e-3
/** The stain's colour lies so far from grey, as a share of its strength, that its colour tells its depth. */
const COLOURED = 0.2
const MOST = 3

/**
 * Lift a whole stain: what it takes of the light is divided out, the detail under it stays. Observed = scene x exp(-depth x
 * colour), the colour the same over the whole stain.
 *
 * Where the stain is coloured its depth is read at every pixel from the colour: the part of the log of the light across
 * grey that differs from the clean paper around, since detail of a print changes all channels alike. Where it is grey, the
 * depth is how much darker the zone is than its surroundings carried on through it, at the knots of a grid.
 */
export const liftStain = defineArea<Settings, Measured>({
  name: 'lift-stain',
  version: 1,
  stage: 'correct',
  form: 'area',
  title: 'Lift a stain',
  trouble: 'A stain: a ring, water, a yellow place',
  settings: Type.Object({
    amount: Type.Number({ title: 'Amount', minimum: 0, maximum: 120, default: 100, step: 5, unit: '%', description: 'How much of what the stain takes is given back; less is often the honest compromise.' }),
    finestPx: Type.Number({ title: 'Finest part', minimum: 1, maximum: 100, default: 4, step: 1, unit: 'px', description: 'Half the width of the finest rim of the stain; finer changes belong to the picture.' }),
    evidence: Type.Union([Type.Literal('colour'), Type.Literal('brightness'), Type.Literal('both')], { title: 'Told by', default: 'both', description: 'What shows how deep the stain is: its colour, its darkness, or both where it has colour.' }),
  }, { additionalProperties: false }),
  sentence: 'Lift the stain by {amount}, down to {finestPx}, told by its {evidence}',
  measure(survey, { finestPx }, context) {
    const view = viewOfZone(survey)
    const grid = gridOver(view, Math.max(6, 2 * finestPx))
    const [inside, outside] = [cellsOf(view, grid, 'inside'), cellsOf(view, grid, 'outside')]
    const log = (sample: number) => ln(Math.max(DARKEST, context.tones.decode(sample)))
    const channels = Array.from({ length: context.channels }, (_, c) => c)
    const clean = channels.map((c) => smoothedOnce(fillSmoothly(cellMedians(view.pixels, outside, c, log), grid), grid))
    const own = channels.map((c) => cellMedians(view.pixels, inside, c, log))
    const losses = own.map((values, c) => values.map((value, i) => clean[c]![i]! - value))
    // The colour of a stain is that of its deeper half: where it hardly is, the picture's own colours weigh more.
    const strength = losses[0]!.map((_, i) => Math.max(...losses.map((values) => values[i]!)))
    const known = [...strength.keys()].filter((i) => Number.isFinite(strength[i]!)).sort((a, b) => strength[b]! - strength[a]!)
    const deep = known.slice(0, Math.max(1, Math.ceil(known.length / 2)))
    const mean = losses.map((values) => deep.reduce((sum, i) => sum + (values[i] ?? 0), 0) / deep.length)
    const strongest = Math.max(1e-3, ...mean)
    const colour = mean.map((value) => roundTo(Math.max(-0.5, Math.min(1, value / strongest)), 4))
    const square = colour.reduce((sum, value) => sum + value * value, 0)
    const depth = smoothedOnce(fillSmoothly(strength.map((value, i) => (Number.isFinite(value) ? Math.max(-0.5, Math.min(MOST, losses.reduce((sum, values, c) => sum + colour[c]! * values[i]!, 0) / Math.max(1e-6, square))) : NaN)), grid), grid)
    return { grid, clean: clean.map(storedValues), colour, depth: storedValues(depth) }
  },
  propose(survey, context) {
    const view = viewOfZone(survey, 60_000)
    const side = Math.sqrt(view.cover.reduce((sum, value) => sum + value, 0)) * 2 ** view.level
    return { settings: { finestPx: Math.max(2, Math.min(12, Math.round(side / 80))), evidence: context.channels === 1 ? 'brightness' : 'both' }, reason: `The zone is about ${Math.round(side)} px across.` }
  },
  reach: ({ finestPx }, _measured, level) => Math.ceil((3 * finestPx) / 2 ** level) + 2,
  render(below, { amount, finestPx, evidence }, measured, { tones }, level, region) {
    if (!measured) return below
    const { width, height, channels, data } = below
    const { colour } = measured
    const grey = colour.reduce((sum, value) => sum + value, 0) / channels
    // Across grey: what is common to all channels may be detail of the picture.
    const across = colour.map((value) => value - grey)
    const square = across.reduce((sum, value) => sum + value * value, 0)
    const isColoured = channels === 3 && Math.sqrt(square) > COLOURED && evidence !== 'brightness'
    let depth: Float32Array
    if (isColoured) {
      const clean = measured.clean.map((values) => gridField(measured.grid, values, region, level))
      const raw = new Float32Array(width * height)
      for (let i = 0; i < raw.length; i++) {
        let sum = 0
        for (let c = 0; c < channels; c++) sum += across[c]! * (clean[c]![i]! - ln(Math.max(DARKEST, tones.decode(data[i * channels + c]!))))
        raw[i] = Math.max(-0.5, Math.min(MOST, sum / square))
      }
      const deviation = finestPx / 2 ** level
      const plane: Plane = { width, height, data: raw }
      depth = deviation > 0.3 ? gaussianBlur(plane, deviation).data : raw
    } else depth = gridField(measured.grid, measured.depth, region, level)
    const result = new Float32Array(data.length)
    for (let i = 0; i < depth.length; i++) {
      // A stain takes light; what is lighter than the surroundings belongs to the picture.
      const loss = (amount / 100) * Math.max(0, depth[i]!)
      for (let c = 0; c < channels; c++) {
        const k = i * channels + c
        result[k] = loss === 0 ? data[k]! : tones.encode(tones.decode(data[k]!) * exp(loss * colour[c]!))
      }
    }
    return { ...below, data: result }
  },
})
