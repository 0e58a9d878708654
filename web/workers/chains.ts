import { LRUCache } from 'lru-cache'
import { layPatchesOverTile } from '@fennip/core/mend/patches/patch.js'
import { Chain, contextOf } from '@fennip/core/pipeline/chain.js'
import { levelSize } from '@fennip/core/raster/pyramid.js'
import { clipRegion, growRegion, type FloatRaster, type IntegerRaster, type Region } from '@fennip/core/raster/raster.js'
import type { Area, OperationStep, Treatment } from '@fennip/core/treatment/schema.js'
import { picture, transfer } from './opened.js'
import { mendedState, patchesSeen, pixelsOf, readMended, treatment } from './patches.js'
import { sourceOf, tile, tilesOf, withTiles } from './tiles.js'
import type { View } from './view.js'

/** What chains keep of the pixels below the step that is being changed, and of covers of zones. */
const CHAIN_BYTES = 96 * 2 ** 20
const remembered = new LRUCache<string, Float32Array<ArrayBufferLike>>({ maxSize: CHAIN_BYTES, sizeCalculation: ({ byteLength }) => Math.max(1, byteLength) })
/** Chains of the treatment's operations and of others that were shown, the newest last. */
const chains = new Map<string, Chain>()
let chainsOf: Treatment['areas']
const CHAINS_KEPT = 12

export function forgetChains(): void {
  remembered.clear()
  chains.clear()
}

/** The picture as operations stand on it. */
export const baseNow = () => ({ ...picture.original, profile: picture.about.profile })
export const contextNow = () => contextOf(baseNow())

/** A chain of operations on the picture at hand, kept while they may be asked for again. */
export function chainOf(operations: readonly OperationStep[], below: string): Chain {
  if (chainsOf !== treatment.areas) {
    chains.clear()
    chainsOf = treatment.areas
  }
  const key = `${below} ${JSON.stringify(operations)}`
  const kept = chains.get(key) ?? new Chain(baseNow(), { operations, areas: treatment.areas }, { memory: remembered, below, keepsFilters: true })
  chains.delete(key)
  chains.set(key, kept)
  if (chains.size > CHAINS_KEPT) chains.delete(chains.keys().next().value!)
  return kept
}

/** The chain that a view shows; null when it shows the picture as mended. */
export function chainFor({ show, upTo, operations, delivered, without, proposal }: View): Chain | null {
  if (show === 'original' || upTo === 'mended') return null
  const chain = chainOf(operations ?? treatment.operations ?? [], `${mendedState} ${without ?? ''} ${proposal ? JSON.stringify(proposal) : ''}`)
  return chain.isEmpty && !(delivered && operations) ? null : chain
}

/** Pixels as a view shows them, before they are converted to the screen: samples, or floats where operations stand on them. */
export async function seenPixels(region: Region, level: number, view: View): Promise<IntegerRaster | FloatRaster> {
  const standing = chainFor(view)
  if (!standing) return pixelsOf(region, level, view)
  const size = levelSize(picture.original.width, picture.original.height, level)
  const needed = view.delivered ? standing.baseRegion(region, level) : clipRegion(growRegion(region, standing.reach(level)), size.width, size.height)
  const laid = await patchesSeen(view.without, view.proposal)
  // What will be read for certain is fetched at once; the rest, if any, when it is asked for.
  await Promise.all(tilesOf(needed, level).map(([column, row]) => tile(level, column, row)))
  const read = (part: Region, at: number) => {
    const pixels = sourceOf(at).read(part)
    layPatchesOverTile(pixels, part, at, laid, transfer)
    return pixels
  }
  return withTiles(() => (view.delivered ? standing.deliver(region, level, read) : standing.read(region, level, read)))
}

/** Cover of a zone over a region of a level, 0..1 a pixel. */
export function coverOf(area: Area, region: Region, level: number): Float32Array {
  return new Chain(baseNow(), { areas: [area] }, { memory: remembered, below: `${mendedState} zone` }).cover(area.id, region, level, readMended)!
}
