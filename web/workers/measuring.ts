import { measureAreaStep, type AreaTelltales } from '@fennip/core/check/area-telltales.js'
import { explainAreaStep, type AreaExplanation } from '@fennip/core/check/explain-area.js'
import { proposeZones, type ZoneProposal } from '@fennip/core/correct/propose-zones.js'
import { clippedShares, histogramOf } from '@fennip/core/finish/clipping.js'
import { proposeFinish } from '@fennip/core/finish/propose.js'
import { layOver } from '@fennip/core/mend/patches/patch.js'
import { operationOf } from '@fennip/core/pipeline/registry.js'
import type { Proposal, Settings } from '@fennip/core/operations/operation.js'
import { Chain } from '@fennip/core/pipeline/chain.js'
import { makeOperationStep, type StepOptions } from '@fennip/core/pipeline/make-step.js'
import { labOfXyz } from '@fennip/core/colour/lab.js'
import type { FloatRaster, IntegerRaster, Region } from '@fennip/core/raster/raster.js'
import { drawnShare } from '@fennip/core/rebuild/drawn-share.js'
import { rounded, toFloat } from '@fennip/core/render/samples.js'
import type { Area, OperationStep } from '@fennip/core/treatment/schema.js'
import { baseNow, chainOf, contextNow, coverOf, seenPixels } from './chains.js'
import { picture, smallLevel, wholeOf } from './opened.js'
import { mendedState, patches, pixelsOf, readMended } from './patches.js'
import { MEASURED_AROUND, withTiles } from './tiles.js'
import type { View } from './view.js'

/** Values of one pixel as the trade reads them. */
export interface Sampled { readonly values: number[]; readonly lab: [number, number, number]; readonly density: number }

function sampled({ data, channels }: FloatRaster): Sampled {
  const { tones } = contextNow()
  const light = Array.from({ length: 3 }, (_, c) => tones.decode(data[channels === 1 ? 0 : c]!))
  const matrix = picture.about.profile.toXyz
  const xyz = matrix ? [0, 3, 6].map((row) => matrix[row]! * light[0]! + matrix[row + 1]! * light[1]! + matrix[row + 2]! * light[2]!) : [0.9642 * light[0]!, light[0]!, 0.8249 * light[0]!]
  const maximum = picture.original.depth === 8 ? 255 : 65535
  const lab = labOfXyz(xyz as [number, number, number])
  return { values: Array.from(data, (value) => Math.round(value * maximum)), lab: [lab.l, lab.a, lab.b], density: -Math.log10(Math.max(1e-4, xyz[1]!)) }
}

/** Tones of the picture as mended, which stay while its finish is changed. */
let tonesBefore: { state: string; counts: number[][] } | null = null

/** What is read off the picture and proposed for it: tones, steps, zones, telltales of corrections. */
export const measuring = {
  /** Histogram, before and after the chain, of a level of some hundred thousand pixels: counts of 256 steps for each channel. */
  async histogram(operations: readonly OperationStep[]): Promise<{ before: number[][]; after: number[][]; clipped: [number, number] }> {
    const level = smallLevel()
    const whole = wholeOf(level)
    const view: View = { lens: 'plain', strength: 0, show: 'result', operations }
    const state = `${picture.id} ${mendedState}`
    if (tonesBefore?.state !== state) tonesBefore = { state, counts: histogramOf(await seenPixels(whole, level, { ...view, upTo: 'mended' })) }
    const before = tonesBefore.counts
    const after = await seenPixels(whole, level, view)
    return { before, after: histogramOf(after), clipped: clippedShares(after) }
  },

  /** What Fennip proposes for the finish, from the mended picture. */
  async propose(): Promise<Proposal[]> {
    const level = smallLevel()
    return proposeFinish(toFloat(await pixelsOf(wholeOf(level), level, { show: 'result' })), contextNow())
  },

  /**
   * A step of an operation, proposed and measured on what lies below it.
   *
   * @param before  The steps that come before it.
   * @param areas   Zones in place of the treatment's: one that is being changed.
   */
  makeStep(id: string, name: string, settings: Settings, before: readonly OperationStep[], options: StepOptions, areas?: readonly Area[]): Promise<OperationStep> {
    const chain = areas ? new Chain(baseNow(), { operations: before, areas }, null) : chainOf(before, `${mendedState}  `)
    return withTiles(() => makeOperationStep(id, name, settings, chain.survey(options.zone, readMended), contextNow(), options), MEASURED_AROUND)
  },

  /** How far the step of an operation gives itself away. @param before  The steps that come before it. */
  areaTelltales(step: OperationStep, before: readonly OperationStep[]): Promise<AreaTelltales> {
    const [below, above] = [chainOf(before, `${mendedState}  `), chainOf([...before, step], `${mendedState}  `)]
    return withTiles(() => measureAreaStep(below.survey(step.zone, readMended), above.survey(step.zone, readMended), contextNow(), operationOf(step.operation)), MEASURED_AROUND)
  },

  /** What is drawn to explain these telltales. @param before  The steps that come before it. */
  explainArea(step: OperationStep, before: readonly OperationStep[]): Promise<AreaExplanation> {
    const [below, above] = [chainOf(before, `${mendedState}  `), chainOf([...before, step], `${mendedState}  `)]
    return withTiles(() => explainAreaStep(below.survey(step.zone, readMended), above.survey(step.zone, readMended), contextNow()), MEASURED_AROUND)
  },

  /** Zones that Fennip proposes for the picture as mended. */
  async proposeZones(): Promise<ZoneProposal[]> {
    const level = smallLevel()
    return proposeZones(toFloat(await pixelsOf(wholeOf(level), level, { show: 'result' })), 2 ** level, contextNow())
  },

  /** Shares of the picture that zones cover, by their identifiers. */
  async zoneShares(areas: readonly Area[]): Promise<Record<string, number>> {
    const level = Math.min(picture.levels - 1, smallLevel() + 1)
    const region = wholeOf(level)
    const shares: Record<string, number> = {}
    for (const area of areas) shares[area.id] = await withTiles(() => coverOf(area, region, level).reduce((sum, value) => sum + value, 0) / (region.width * region.height))
    return shares
  },

  /** Share of the picture that steps of Rebuild draw. */
  drawnShare(operations: readonly OperationStep[]): number {
    return drawnShare(operations, picture.original, smallLevel())
  },

  /** Samples under a place, before and after: encoded values, CIE L*a*b* and density. */
  async sample(x: number, y: number, operations: readonly OperationStep[]): Promise<{ before: Sampled; after: Sampled } | null> {
    const at = { x: Math.floor(x), y: Math.floor(y), width: 1, height: 1 }
    if (at.x < 0 || at.y < 0 || at.x >= picture.original.width || at.y >= picture.original.height) return null
    const view: View = { lens: 'plain', strength: 0, show: 'result', operations }
    const before = await pixelsOf(at, 0, view)
    const after = await seenPixels(at, 0, view)
    return { before: sampled(toFloat(before)), after: sampled(after.data instanceof Float32Array ? (after as FloatRaster) : toFloat(after as IntegerRaster)) }
  },

  /** Bytes of the delivered picture over a region, to compare with what is written. */
  async deliveredBytes(region: Region, depth: 8 | 16): Promise<Uint8Array> {
    const pixels = await seenPixels(region, 0, { lens: 'plain', strength: 0, show: 'result', delivered: true })
    const { data } = pixels.data instanceof Float32Array ? rounded(pixels as FloatRaster, depth) : pixels
    return new Uint8Array(data.buffer as ArrayBuffer, data.byteOffset, data.byteLength)
  },

  /** Bytes of the result over a region, to compare with the server's. */
  async resultBytes(region: Region): Promise<Uint8Array> {
    const pixels = await pixelsOf(region, 0, { show: 'original' })
    for (const patch of patches) layOver(pixels, region, patch)
    return new Uint8Array(pixels.data.buffer, pixels.data.byteOffset, pixels.data.byteLength)
  },
}
