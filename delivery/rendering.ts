import type { PictureRows } from '@fennip/codec/rows.js'
import { withAlpha } from '@fennip/codec/rows.js'
import { sharpen } from '@fennip/core/finish/sharpen.js'
import type { Size } from '@fennip/core/operations/operation.js'
import { operationOf } from '@fennip/core/pipeline/registry.js'
import type { Conversion } from '@fennip/core/output/convert-profile.js'
import { clipRegion, crop, growRegion, makeRaster, paste, type Depth, type IntegerRaster, type Region, type FloatRaster } from '@fennip/core/raster/raster.js'
import { Chain, contextOf } from '@fennip/core/pipeline/chain.js'
import { rounded } from '@fennip/core/render/samples.js'
import type { OperationStep, Plan } from '@fennip/core/treatment/schema.js'
import { mendedRegion, type Finished } from './finished.js'

/**
 * Rows and columns that are rendered together. A turned frame and filters read more of the picture than is written: where
 * they reach far, larger blocks read less of it twice, up to what memory bears.
 *
 * @param reach  Of the filters, in pixels of the picture.
 */
export const blockSize = (reach: number): { readonly rows: number; readonly columns: number } => ({ rows: Math.max(512, Math.min(2048, 2 * reach)), columns: Math.max(2048, Math.min(4096, 4 * reach)) })
/** Of a picture that is made much smaller. */
const LEAST_TOGETHER = 32
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

/** The result at its full size as floats, kept for several files. */
export interface RenderedResult {
  read(region: Region): FloatRaster
}

/**
 * Rows of a picture up to a stage, at a size, sharpened for it and converted; rounded once. A file of another size is made
 * from the result at its full size, so that it is the same whether it is written alone or with others.
 *
 * @param rendered  The result, where it was made already.
 */
export function renderRows(finished: Finished, { stage = 'finish', longest, sharpening = 0, conversion = null, rowsTogether, depth }: RenderOptions, rendered: RenderedResult | null = null, onShare: (share: number) => void = () => undefined): PictureRows {
  const { base, treatment, alpha } = finished
  const plan = planUpTo(treatment, stage)
  // Of the original nothing but its frame is made: that and its size are one resampling.
  const isOriginal = stage === 'original'
  const chain = new Chain(base, plan, { memory: finished.memory, below: isOriginal ? 'original' : 'mended' })
  const below = isOriginal ? (region: Region) => finished.original.read(region) : mendedRegion(finished)
  const full = isOriginal ? below : rendered && stage === 'finish' ? (region: Region) => rendered.read(region) : (region: Region) => chain.deliver(region, 0, below)
  const isResized = longest !== undefined && longest !== Math.max(chain.delivered.width, chain.delivered.height)
  const resized: OperationStep[] = isResized ? [{ id: 'size', stage: 'finish', operation: 'size', version: 1, settings: { longestSidePx: longest }, strength: 1, enabled: true }] : []
  const sized = isOriginal ? new Chain(base, { operations: [...plan.operations!, ...resized] }) : new Chain({ ...base, ...chain.delivered }, { operations: resized })
  const { width, height } = sized.delivered
  const blocks = rendered ? blockSize(0) : blockSize(chain.reach(0))
  // What is made smaller reads more of the picture than it writes.
  const together = (count: number) => Math.max(LEAST_TOGETHER, Math.round(count * Math.min(1, width / chain.delivered.width)))
  const isUntouched = chain.isEmpty && !isResized && sharpening === 0 && !conversion && depth === base.depth
  const context = contextOf({ width, height, channels: base.channels, profile: base.profile })
  const settings = { ...OUTPUT_SHARPENING, amount: sharpening }
  const reach = sharpening > 0 && sharpen.form === 'area' ? sharpen.reach(settings, undefined, 0) : 0
  const block = (region: Region): IntegerRaster => {
    const wide = clipRegion(growRegion(region, reach), width, height)
    let pixels = sized.deliver(wide, 0, full)
    if (reach > 0 && sharpen.form === 'area') pixels = sharpen.render(pixels, settings, undefined, context, 0, wide)
    const inside = reach > 0 ? (crop(pixels, { ...region, x: region.x - wide.x, y: region.y - wide.y }) as FloatRaster) : pixels
    conversion?.(inside)
    return rounded(inside, depth)
  }
  const strip = (region: Region): IntegerRaster => {
    if (isUntouched) return below(region) as IntegerRaster
    // Block by block: floats of a whole row of a wide picture, with all that filters read around it, would fill the memory.
    const pixels = makeRaster(region.width, region.height, base.channels, depth)
    const columns = together(blocks.columns)
    for (let x = 0; x < region.width; x += columns) paste(pixels, block({ ...region, x, width: Math.min(columns, region.width - x) }), x, 0)
    return pixels
  }
  const framed = new Chain(base, { operations: [...plan.operations!.filter(isFrame), ...resized] })
  const withTransparency = (pixels: IntegerRaster, region: Region) =>
    alpha ? withAlpha(pixels, isUntouched ? crop(alpha, region) : rounded(framed.deliverPlane(region, (part) => crop(alpha, part)), depth)) : pixels
  let strips: { y: number; pixels: IntegerRaster } | null = null
  return {
    width, height, depth, channels: base.channels + (alpha ? 1 : 0),
    read(y, rows) {
      onShare(y / height)
      if (!strips || y < strips.y || y + rows > strips.y + strips.pixels.height) {
        const region = { x: 0, y, width, height: Math.min(height - y, Math.max(rows, together(rowsTogether ?? blocks.rows))) }
        strips = { y, pixels: withTransparency(strip(region), region) }
      }
      return crop(strips.pixels, { x: 0, y: y - strips.y, width, height: rows })
    },
  }
}

/** All rows of a picture in memory. */
export async function wholeRaster(rows: PictureRows): Promise<IntegerRaster> {
  const result = makeRaster(rows.width, rows.height, rows.channels, rows.depth)
  const together = blockSize(0).rows
  for (let y = 0; y < rows.height; y += together) paste(result, await rows.read(y, Math.min(together, rows.height - y)), 0, y)
  return result
}
