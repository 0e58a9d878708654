import type { Sink } from '@fennip/codec/sink.js'
import { rowsOf } from '@fennip/codec/rows.js'
import { writePicture } from '@fennip/codec/write.js'
import type { Output } from '@fennip/core/output/output.js'
import { depthOfOutput, longestSide, planOutput, type Delivered, type OutputPlan } from '@fennip/core/output/plan-output.js'
import { ProblemError } from '@fennip/core/problem.js'
import type { Finished } from './finished.js'
import { writeLayers } from './layers.js'
import { metadataOf } from './metadata.js'
import { renderPair } from './pair.js'
import { colourOf } from './profiles.js'
import { deliveredSize, renderRows, type RenderedResult } from './rendering.js'

/** What is known of the result of a treatment before a file of it is written. */
export function deliveredOf(finished: Finished): Delivered {
  const { base, header, treatment } = finished
  const printed = treatment.operations?.filter(({ operation, enabled }) => operation === 'print-size' && enabled).at(-1)?.settings.perInch as number | undefined
  return { ...deliveredSize(finished), depth: base.depth, channels: base.channels, hasAlpha: header.hasAlpha, perInch: printed ?? header.metadata.resolutionPerInch }
}

export const planOf = (finished: Finished, output: Output): OutputPlan => planOutput(output, deliveredOf(finished))

/**
 * Write one file of the result, from top to bottom.
 *
 * @param rendered  The result at its full size, where it was made for several files.
 * @throws {ProblemError} when the format cannot hold it.
 */
export async function writeOutput(finished: Finished, output: Output, sink: Sink, rendered: RenderedResult | null = null, onShare: (share: number) => void = () => undefined, now = new Date()): Promise<OutputPlan> {
  const plan = planOf(finished, output)
  if (plan.refusal) throw new ProblemError('size-refused', { title: 'The format cannot hold this', detail: plan.refusal, status: 422 })
  const { base, header } = finished
  const { conversion, icc } = await colourOf(output, base.profile, header.metadata.icc)
  const metadata = metadataOf(finished, { icc, perInch: plan.perInch, size: plan, personal: output.personal, now })
  const options = { depth: depthOfOutput(output), quality: output.quality }
  if (output.format === 'ora') await writeLayers(finished, output, metadata, conversion, sink, onShare)
  else if (output.content === 'pair') await writePicture(rowsOf(await renderPair(finished, output, conversion, rendered, onShare)), metadata, { ...options, format: output.format }, sink)
  else {
    const longest = longestSide(output, deliveredSize(finished))
    await writePicture(renderRows(finished, { longest, sharpening: output.sharpen, conversion, depth: options.depth }, rendered, onShare), metadata, { ...options, format: output.format }, sink)
  }
  return plan
}
