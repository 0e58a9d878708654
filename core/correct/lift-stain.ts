import { Type } from '@sinclair/typebox'
import { fitTint } from '../mend/lift/fit-tint.js'
import { tintField, type Tint } from '../mend/lift/tint.js'
import { defineArea, type OperationContext } from '../operations/operation.js'
import { exp, ln } from '../numbers/exact-math.js'
import type { Region, FloatRaster } from '../raster/raster.js'
import { makeTransfer } from '../raster/transfer.js'
import { rounded } from '../render/samples.js'
import { roundTo } from '../round.js'
import { outlinesOfMask } from '../shape/from-mask.js'
import type { Outline } from '../shape/shape.js'
import { sourceOf } from '../render/survey-source.js'
import { cellMedians, cellsOf, fillSmoothly, gridOver, smoothedOnce } from './zone-grid.js'
import { viewOfZone, type ZoneView } from '../operations/zone-view.js'
import { maskWhere } from '../raster/per-pixel.js'

interface Settings { readonly amount: number; readonly evidence: 'colour' | 'brightness'; readonly finestPx: number }
interface Measured {
  /** What the stain takes of the light, in passes: each tells what the one before has left. Empty where nothing is told. */
  readonly tints: readonly Tint[]
}

/** Light below it is black: nothing is told by it. */
const DARKEST = 2e-3
const MOST = 3
/** The fit shrinks what is uncertain: a second pass tells what the first has left. */
const PASSES = 2

/**
 * Lift a whole stain: what it takes of the light is divided out, the detail under it stays. Observed = scene x exp(-depth x
 * colour), the colour the same over the whole stain.
 *
 * Told by colour, the depth is read from the colour that a tone has beside the stain (`fitTint`): right for a print of one
 * colour whatever it shows. Told by brightness, it is how much darker the zone is than its surroundings carried on through
 * it, at the knots of a grid: right where what is under it is even.
 */
export const liftStain = defineArea<Settings, Measured>({
  name: 'lift-stain',
  version: 1,
  stage: 'correct',
  form: 'area',
  meetsSurroundings: true,
  title: 'Lift a stain',
  trouble: 'A stain: a ring, water, a yellow place',
  settings: Type.Object({
    amount: Type.Number({ title: 'Amount', minimum: 0, maximum: 120, default: 100, step: 5, unit: '%', description: 'How much of what the stain takes is given back; less is often the honest compromise.' }),
    evidence: Type.Union([Type.Literal('colour'), Type.Literal('brightness')], { title: 'Told by', default: 'colour', description: 'What shows how deep the stain is: its colour, for a print of one colour; its darkness, for a grey stain on even ground.' }),
    finestPx: Type.Number({ title: 'Finest part', minimum: 2, maximum: 100, default: 8, step: 1, unit: 'px', description: 'Told by brightness: finest change of tone that is the stain; finer ones belong to the picture.' }),
  }, { additionalProperties: false }),
  sentence: 'Lift the stain by {amount}, told by its {evidence}',
  measure(survey, { evidence, finestPx }, context) {
    const view = viewOfZone(survey)
    if (evidence === 'brightness' || context.channels === 1) {
      const tint = tintByBrightness(view, finestPx, context)
      return { tints: tint ? [tint] : [] }
    }
    const tints: Tint[] = []
    const source = sourceOf(survey, context)
    for (const outline of outlinesOf(view)) {
      for (let pass = 0; pass < PASSES; pass++) {
        const lifted = { ...source, read: (region: Region) => rounded(withoutTints(survey.read(region, 0), tints, 1, context, 0, region), 16) }
        const fit = fitTint(lifted, makeTransfer(context.curve, 16), outline)
        if (!fit) break
        tints.push(fit.tint)
      }
    }
    return { tints }
  },
  propose(survey, context) {
    const view = viewOfZone(survey, 60_000)
    const side = Math.round(Math.sqrt(view.cover.reduce((sum, value) => sum + value, 0)) * 2 ** view.level)
    if (context.channels === 1) return { settings: { evidence: 'brightness', finestPx: Math.max(4, Math.min(40, Math.round(side / 40))) }, reason: `The zone is about ${side} px across; a grey picture tells a stain by its brightness alone.` }
    const spread = colourSpread(view, context)
    const isOneColour = spread < ONE_COLOUR
    return { settings: { evidence: isOneColour ? 'colour' : 'brightness', finestPx: Math.max(4, Math.min(40, Math.round(side / 40))) }, reason: `The zone is about ${side} px across. Around it the picture ${isOneColour ? 'has one colour, so a stain is told by its own' : 'has many colours, so a stain is told by its brightness'}.` }
  },
  reach: () => 0,
  render(below, { amount }, measured, context, level, region) {
    return measured ? withoutTints(below, measured.tints, amount / 100, context, level, region) : below
  },
})

/** A picture with so much of each tint divided out. */
function withoutTints(below: FloatRaster, tints: readonly Tint[], share: number, { tones }: Pick<OperationContext, 'tones'>, level: number, region: Region): FloatRaster {
  let result = below
  for (const tint of tints) result = withoutTint(result, tint, share, tones, level, region)
  return result
}

function withoutTint(below: FloatRaster, tint: Tint, share: number, tones: OperationContext['tones'], level: number, region: Region): FloatRaster {
  const { width, height, channels, data } = below
  const { depth } = tintField(tint)
  const step = 2 ** level
  const result = data.slice()
  for (let y = 0, i = 0; y < height; y++) {
    for (let x = 0; x < width; x++, i++) {
      const loss = share * depth((region.x + x + 0.5) * step, (region.y + y + 0.5) * step)
      if (loss === 0) continue
      for (let c = 0; c < channels; c++) {
        const k = i * channels + c
        result[k] = tones.encode(tones.decode(data[k]!) * exp(loss * tint.channels[c]!))
      }
    }
  }
  return { ...below, data: result }
}

/** Spread of the log ratios of channels around a zone up to which a picture is a print of one colour. */
const ONE_COLOUR = 0.12

/** Deviation of the logs of red over green and of blue over green around a zone, the larger, among pixels of like tone. */
function colourSpread({ pixels, cover }: ZoneView, { tones }: OperationContext): number {
  const bins = Array.from({ length: 8 }, () => ({ n: 0, sums: [0, 0], squares: [0, 0] }))
  const log = (sample: number) => ln(Math.max(DARKEST, tones.decode(sample)))
  for (let i = 0; i < cover.length; i++) {
    if (cover[i]! > 0.02) continue
    const green = pixels.data[3 * i + 1]!
    const bin = bins[Math.min(7, Math.floor(8 * green))]!
    bin.n++
    ;[0, 2].forEach((c, k) => {
      const ratio = log(pixels.data[3 * i + c]!) - log(green)
      bin.sums[k]! += ratio
      bin.squares[k]! += ratio * ratio
    })
  }
  let [sum, count] = [0, 0]
  for (const { n, sums, squares } of bins) {
    if (n < 20) continue
    sum += n * Math.max(...[0, 1].map((k) => Math.sqrt(Math.max(0, squares[k]! / n - (sums[k]! / n) ** 2))))
    count += n
  }
  return count === 0 ? 0 : sum / count
}

/** Outlines of a zone in pixels of the picture, each piece whole. */
function outlinesOf({ region, level, cover }: ZoneView): Outline[] {
  const step = 2 ** level
  const place = ([x, y]: readonly [number, number]): [number, number] => [(region.x + x) * step, (region.y + y) * step]
  return outlinesOfMask(maskWhere(cover, (value) => value > 0.5), region.width, region.height, Infinity)
    .map((outline) => ({ ...outline, points: outline.points.map(place), ...(outline.holes ? { holes: outline.holes.map((hole) => hole.map(place)) } : {}) }))
}

/** How much darker a zone is than its surroundings carried on through it, in all channels as one colour. */
function tintByBrightness(view: ZoneView, finestPx: number, { channels, tones }: OperationContext): Tint | null {
  const grid = gridOver(view, finestPx)
  const [inside, outside] = [cellsOf(view, grid, 'inside'), cellsOf(view, grid, 'outside')]
  // With nothing around, or nothing inside, no stain is told.
  if ([inside, outside].some((cells) => cells.every((cell) => cell.length === 0))) return null
  const log = (sample: number) => ln(Math.max(DARKEST, tones.decode(sample)))
  const losses = Array.from({ length: channels }, (_, c) => {
    const clean = smoothedOnce(fillSmoothly(cellMedians(view.pixels, outside, c, log), grid), grid)
    return cellMedians(view.pixels, inside, c, log).map((value, i) => clean[i]! - value)
  })
  // The colour of a stain is that of its deeper half: where it hardly is, the picture's own colours weigh more.
  const strength = losses[0]!.map((_, i) => Math.max(...losses.map((values) => values[i]!)))
  const known = [...strength.keys()].filter((i) => Number.isFinite(strength[i]!)).sort((a, b) => strength[b]! - strength[a]!)
  const deep = known.slice(0, Math.max(1, Math.ceil(known.length / 2)))
  const mean = losses.map((values) => deep.reduce((sum, i) => sum + (values[i] ?? 0), 0) / deep.length)
  const strongest = Math.max(1e-3, ...mean)
  const colour = mean.map((value) => roundTo(Math.max(0, Math.min(1, value / strongest)), 4))
  const square = Math.max(1e-6, colour.reduce((sum, value) => sum + value * value, 0))
  // Beyond the zone there is no stain: its edge has none either, so that no step is left there.
  const depth = strength.map((value, i) => (Number.isFinite(value) ? Math.max(0, Math.min(MOST, losses.reduce((sum, values, c) => sum + colour[c]! * values[i]!, 0) / square)) : outside[i]!.length > 0 ? 0 : NaN))
  return { x: grid.x, y: grid.y, spacing: grid.spacing, columns: grid.columns, depth: [...smoothedOnce(fillSmoothly(depth, grid), grid)].map((value) => roundTo(value, 4)), channels: colour }
}
