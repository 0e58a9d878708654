import type { PictureRows } from '@fennip/codec/rows.js'
import { withAlpha } from '@fennip/codec/rows.js'
import { sharpen } from '@fennip/core/finish/sharpen.js'
import type { FloatRaster, Size } from '@fennip/core/operations/operation.js'
import { operationOf } from '@fennip/core/operations/registry.js'
import type { Conversion } from '@fennip/core/output/convert-profile.js'
import { clipRegion, crop, growRegion, makeRaster, paste, type Depth, type IntegerRaster, type Region } from '@fennip/core/raster/raster.js'
import { Chain, contextOf } from '@fennip/core/render/chain.js'
import { rounded } from '@fennip/core/render/samples.js'
import type { OperationStep, Plan } from '@fennip/core/treatment/schema.js'
import { mendedRegion, type Finished } from './finished.js'

/** Rows of the result that are rendered together: a turned frame reads more of the picture than it writes. */
const ROWS_TOGETHER = 512
const COLUMNS_TOGETHER = 2048
/** Radius and limits of sharpening at the size that is written: of a pixel, with narrow halos (common practice). */
const OUTPUT_SHARPENING = { radiusPx: 0.7, threshold: 0.8, halo: 2 }

/** Up to where a picture is rendered. */
export const RENDERED_STAGES = ['original', 'mend', 'correct', 'rebuild', 'finish'] as const
export type RenderedStage = (typeof RENDERED_STAGES)[number]

export interface RenderOptions {
  /** Everything up to this stage, in the frame of the result; all of it when not given. */
  readonly stage?: RenderedStage
  /** Longest side that is written; that of the result when not given. */
  readonly longest?: number
  /** Percent of sharpening at that size. */
  readonly sharpening?: number
  readonly conversion?: Conversion | null
  /** Rows that are rendered at once; fewer where only some are wanted. */
  readonly rowsTogether?: number
  readonly depth: Depth
}

const isFrame = ({ operation }: OperationStep) => operationOf(operation).form === 'geometry'

/** Steps up to a stage; the frame is always there, so that stages can be compared. */
export function planUpTo({ operations = [], areas }: Plan, stage: RenderedStage): Pick<Plan, 'operations' | 'areas'> {
  const upTo = RENDERED_STAGES.indexOf(stage)
  return { areas, operations: operations.filter((step) => isFrame(step) || RENDERED_STAGES.indexOf(step.stage) <= upTo) }
}

/** Size of what is handed over, before it is made smaller or larger for a file. */
export const deliveredSize = ({ base, treatment }: Pick<Finished, 'base' | 'treatment'>): Size => new Chain(base, treatment).delivered

/** What the corrections and the finish make of the whole base, kept for several files. */
export interface RenderedBase {
  read(region: Region): FloatRaster
}

/**
 * Rows of a picture up to a stage, at a size, sharpened for it and converted; rounded once.
 *
 * @param rendered  What stands before the frame, where it was made already; only of the whole result.
 */
export function renderRows(finished: Finished, { stage = 'finish', longest, sharpening = 0, conversion = null, rowsTogether = ROWS_TOGETHER, depth }: RenderOptions, rendered: RenderedBase | null = null, onShare: (share: number) => void = () => undefined): PictureRows {
  const { base, treatment, alpha } = finished
  const whole = planUpTo(treatment, stage)
  const plan = rendered && stage === 'finish' ? { ...whole, operations: whole.operations!.filter(isFrame) } : whole
  const frame = new Chain(base, plan).delivered
  const isResized = longest !== undefined && longest !== Math.max(frame.width, frame.height)
  const resized: OperationStep[] = isResized ? [{ id: 'size', stage: 'finish', operation: 'size', version: 1, settings: { longestSidePx: longest }, strength: 1, enabled: true }] : []
  const chain = new Chain(base, { ...plan, operations: [...plan.operations!, ...resized] }, { memory: finished.memory, below: stage === 'original' ? 'original' : 'mended' })
  const { width, height } = chain.delivered
  const below = rendered && stage === 'finish' ? (region: Region) => rendered.read(region) : stage === 'original' ? (region: Region) => finished.original.read(region) : mendedRegion(finished)
  const isUntouched = chain.isEmpty && !rendered && sharpening === 0 && !conversion && depth === base.depth
  const context = contextOf({ width, height, channels: base.channels, profile: base.profile })
  const settings = { ...OUTPUT_SHARPENING, amount: sharpening }
  const reach = sharpening > 0 && sharpen.form === 'area' ? sharpen.reach(settings, undefined, 0) : 0
  const block = (region: Region): IntegerRaster => {
    const wide = clipRegion(growRegion(region, reach), width, height)
    let pixels = chain.deliver(wide, 0, below)
    if (reach > 0 && sharpen.form === 'area') pixels = sharpen.render(pixels, settings, undefined, context, 0, wide)
    const inside = crop(pixels, { ...region, x: region.x - wide.x, y: region.y - wide.y }) as FloatRaster
    conversion?.(inside)
    return rounded(inside, depth)
  }
  const strip = (region: Region): IntegerRaster => {
    if (isUntouched) return below(region) as IntegerRaster
    // Block by block: floats of a whole row of a wide picture, with all that filters read around it, would fill the memory.
    const pixels = makeRaster(region.width, region.height, base.channels, depth)
    for (let x = 0; x < region.width; x += COLUMNS_TOGETHER) paste(pixels, block({ ...region, x, width: Math.min(COLUMNS_TOGETHER, region.width - x) }), x, 0)
    return pixels
  }
  const withTransparency = (pixels: IntegerRaster, region: Region) =>
    alpha ? withAlpha(pixels, isUntouched ? crop(alpha, region) : rounded(chain.deliverPlane(region, (part) => crop(alpha, part)), depth)) : pixels
  let together: { y: number; pixels: IntegerRaster } | null = null
  return {
    width, height, depth, channels: base.channels + (alpha ? 1 : 0),
    read(y, rows) {
      onShare(y / height)
      if (!together || y < together.y || y + rows > together.y + together.pixels.height) {
        const region = { x: 0, y, width, height: Math.min(height - y, Math.max(rows, rowsTogether)) }
        together = { y, pixels: withTransparency(strip(region), region) }
      }
      return crop(together.pixels, { x: 0, y: y - together.y, width, height: rows })
    },
  }
}

/** All rows of a picture in memory. */
export async function wholeRaster(rows: PictureRows): Promise<IntegerRaster> {
  const result = makeRaster(rows.width, rows.height, rows.channels, rows.depth)
  for (let y = 0; y < rows.height; y += ROWS_TOGETHER) paste(result, await rows.read(y, Math.min(ROWS_TOGETHER, rows.height - y)), 0, y)
  return result
}
