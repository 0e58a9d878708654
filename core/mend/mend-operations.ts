import { Type } from '@sinclair/typebox'
import { sourceOf } from '../render/survey-source.js'
import { definePatch, type OperationContext, type PatchOperation, type Survey } from '../operations/operation.js'
import { clipRegion, contains, crop, growRegion, unionRegion, type PixelSource, type Region } from '../raster/raster.js'
import { makeTransfer } from '../raster/transfer.js'
import { layOver } from './patches/patch.js'
import { stepExtent } from './patches/patch-keys.js'
import { rounded, toFloat } from '../render/samples.js'
import { shapeBounds, shapeThickness, type Shape } from '../shape/shape.js'
import type { Flaw } from '../treatment/schema.js'
import { chooseMend } from './choose.js'
import { carryOut, type Decisions, type MethodName } from './methods.js'

interface Settings {
  /** One point for a round place, several for a stroke. */
  readonly points: readonly (readonly [number, number])[]
  readonly widthPx: number
  readonly softEdgePx: number
  readonly another: number
}
interface Measured { readonly decisions: Decisions }

/** A source lies within so many thicknesses of the place, and no nearer than so many pixels: read at once. */
const AROUND_THICKNESSES = 8
const AROUND_PX = 160

/**
 * The mends as operations on the corrected picture: a place is healed, cloned, filled or lifted after the corrections
 * below it. The method, its decisions and its pixels are those of the stage Mend.
 */
function mendOperation(method: MethodName, title: string, trouble: string, sentence: string): PatchOperation {
  return definePatch<Settings, Measured>({
    name: method,
    version: 1,
    stage: 'correct',
    form: 'patch',
    title,
    trouble,
    byHand: true,
    settings: Type.Object({
      points: Type.Array(Type.Tuple([Type.Number(), Type.Number()]), { title: 'Place', minItems: 1, maxItems: 5000, default: [[0, 0]], description: 'One point for a round place, several for a stroke, in pixels of the picture.' }),
      widthPx: Type.Number({ title: 'Width', minimum: 1, maximum: 600, default: 24, step: 1, unit: 'px', description: 'Across the place, or of the stroke.' }),
      softEdgePx: Type.Number({ title: 'Soft edge', minimum: 0, maximum: 60, default: 3, step: 1, unit: 'px', description: 'Width over which it fades.' }),
      another: Type.Integer({ title: 'Other source', minimum: 0, maximum: 12, default: 0, step: 1, description: '0 is the best source, 1 the next best, and so on.' }),
    }, { additionalProperties: false }),
    sentence,
    measure(survey, { points, widthPx, softEdgePx, another }, context) {
      const shape: Shape = points.length === 1 ? { type: 'disc', x: points[0]![0], y: points[0]![1], r: widthPx / 2 } : { type: 'stroke', points: points.map(([x, y]): [number, number] => [x, y]), width: widthPx }
      const flaw: Flaw = { id: 'place', kind: 'other', shape, state: 'open', contrast: 0, weight: 0, confidence: 1, origin: 'hand' }
      const step = chooseMend({ picture: around(survey, context, shape), transfer: makeTransfer(context.curve, 16), flaw, openFlaws: [], method, softEdgePx, id: 'place', ...(another > 0 && (method === 'heal' || method === 'clone') ? { skipSources: another } : {}) })
      const { methodVersion, shape: mended, strength, seed, source, shadow, tint, pattern, cover, avoid } = step
      return { decisions: { method: step.method, methodVersion, shape: mended, softEdgePx: step.softEdgePx, strength, seed: method === 'fill' ? seed + another : seed, ...(source ? { source } : {}), ...(shadow ? { shadow } : {}), ...(tint ? { tint } : {}), ...(pattern ? { pattern } : {}), ...(cover ? { cover } : {}), ...(avoid ? { avoid } : {}) } }
    },
    bounds: (_settings, measured) => (measured ? stepExtent(measured.decisions, WHOLE).writes : NOWHERE),
    reach(_settings, measured) {
      if (!measured) return 0
      const { writes, reads } = stepExtent(measured.decisions, WHOLE)
      const all = reads.reduce(unionRegion, writes)
      return Math.max(writes.x - all.x, writes.y - all.y, all.x + all.width - writes.x - writes.width, all.y + all.height - writes.y - writes.height) + 2
    },
    render(below, _settings, measured, context, region) {
      if (!measured) return below
      const pixels = rounded(below, 16)
      const picture: PixelSource = { width: context.width, height: context.height, channels: context.channels, depth: 16, read: (part) => crop(pixels, { ...part, x: part.x - region.x, y: part.y - region.y }) }
      const mended = carryOut(picture, makeTransfer(context.curve, 16), measured.decisions)
      layOver(pixels, region, mended)
      const result = toFloat(pixels)
      // What the mend does not touch keeps what lies below the samples of 16 bits.
      for (let i = 0; i < mended.touched.length; i++) {
        if (mended.touched[i] === 0) continue
        const x = (i % mended.region.width) + mended.region.x - region.x
        const y = Math.floor(i / mended.region.width) + mended.region.y - region.y
        if (x < 0 || y < 0 || x >= region.width || y >= region.height) continue
        const at = (y * region.width + x) * context.channels
        for (let c = 0; c < context.channels; c++) below.data[at + c] = result.data[at + c]!
      }
      return below
    },
  })
}

/** A picture so large that nothing is cut off: extents are clipped by whoever reads. */
const WHOLE = { width: 1e6, height: 1e6 }
const NOWHERE: Region = { x: 0, y: 0, width: 0, height: 0 }

/** What a step sees around a place, read once: a search for sources reads it many times. */
function around(survey: Survey, context: OperationContext, shape: Shape): PixelSource {
  const source = sourceOf(survey, context)
  const near = clipRegion(growRegion(shapeBounds(shape), Math.ceil(AROUND_THICKNESSES * shapeThickness(shape) + AROUND_PX)), context.width, context.height)
  const pixels = source.read(near)
  return { ...source, read: (region) => (contains(near, region) ? crop(pixels, { ...region, x: region.x - near.x, y: region.y - near.y }) : source.read(region)) }
}

export const heal = mendOperation('heal', 'Heal', 'A place is left that shows', 'Heal a place {widthPx} wide, source {another}')
export const clone = mendOperation('clone', 'Clone', 'A place is to be copied over', 'Clone over a place {widthPx} wide, source {another}')
export const fill = mendOperation('fill', 'Fill', 'A place is to be filled from all sides', 'Fill a place {widthPx} wide')
export const lift = mendOperation('lift', 'Lift', 'A place is dimmed', 'Lift a shadow {widthPx} wide')
