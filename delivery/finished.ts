import { LRUCache } from 'lru-cache'
import { readPicture, type DecodedPicture, type PictureHeader } from '@fennip/codec/read.js'
import { checkOperationSteps } from '@fennip/core/pipeline/check-settings.js'
import { ProblemError } from '@fennip/core/problem.js'
import type { Depth, IntegerRaster, PixelSource, Region } from '@fennip/core/raster/raster.js'
import { rasterSource } from '@fennip/core/raster/raster.js'
import type { ChainBase, ChainMemory } from '@fennip/core/pipeline/chain.js'
import { levelCount } from '@fennip/core/raster/pyramid.js'
import { makeTransfer } from '@fennip/core/raster/transfer.js'
import { makePatches, renderRegion, type Patch } from '@fennip/core/mend/patches/patch.js'
import type { Treatment } from '@fennip/core/treatment/schema.js'

/** A picture with its treatment, as whatever is handed over is made from it. */
export interface Finished {
  /** Name of its file. */
  readonly name: string
  readonly kind: 'frame' | 'scan'
  readonly treatment: Treatment
  readonly base: ChainBase & { readonly depth: Depth; readonly channels: 1 | 3 }
  readonly header: Pick<PictureHeader, 'metadata' | 'hasAlpha' | 'camera' | 'format'>
  readonly original: PixelSource
  readonly patches: readonly Patch[]
  /** Transparency at full size. */
  readonly alpha: IntegerRaster | null
  /** A region of a smaller level, as it came or with its mends, where levels are at hand: what is only looked at is made from these. */
  readSmaller?(region: Region, level: number, isMended: boolean): IntegerRaster
  /** Where floats are kept between readings. */
  readonly memory: ChainMemory
}

/** What is kept of patches of the chain, covers of zones and what filters made. */
const CHAIN_BYTES = 48 * 2 ** 20

export const makeChainMemory = (): ChainMemory => new LRUCache<string, Float32Array<ArrayBufferLike>>({ maxSize: CHAIN_BYTES, sizeCalculation: ({ byteLength }) => Math.max(1, byteLength) })

/** The base with its mends. */
export const mendedRegion = ({ original, patches }: Pick<Finished, 'original' | 'patches'>) => (region: Region): IntegerRaster => renderRegion(original, patches, region)

/**
 * Read a picture from its file and carry out the mends of its treatment, in memory.
 *
 * @throws {ProblemError} when the treatment does not fit the picture.
 */
export const finishedFile = async (path: string, name: string, treatment: Treatment): Promise<Finished> => finishedPicture(await readPicture(path, name), name, treatment)

/** The same of a picture that is in memory. */
export function finishedPicture({ header, pixels, alpha }: DecodedPicture, name: string, treatment: Treatment): Finished {
  const wanted = treatment.original
  if (wanted.width !== header.width || wanted.height !== header.height || wanted.channels !== header.channels || wanted.depth !== header.depth) {
    throw new ProblemError('wrong-original', { title: 'The treatment belongs to another picture', detail: `It was made on a picture of ${wanted.width} x ${wanted.height}, ${wanted.depth} bit; ${name} is ${header.width} x ${header.height}, ${header.depth} bit.`, status: 422 })
  }
  checkOperationSteps(treatment.operations ?? [])
  const { width, height, channels, depth, profile, camera } = header
  const original = rasterSource(pixels)
  const kept = new Map<string, Patch>()
  const patches = makePatches(original, makeTransfer(profile.curve, depth), treatment, levelCount(width, height), { get: (key) => kept.get(key), set: (patch) => void kept.set(patch.key, patch) })
  return { name, kind: camera.aperture ? 'frame' : 'scan', treatment, base: { width, height, channels, depth, profile }, header, original, patches, alpha, memory: makeChainMemory() }
}
