import { readFileSync } from 'node:fs'
import { join } from 'node:path'
import { gunzipSync } from 'node:zlib'
import { LRUCache } from 'lru-cache'
import { ProblemError } from '@fennip/core/problem.js'
import type { ColourProfile } from '@fennip/core/colour/profile.js'
import { TILE_SIZE, tileRegion, unpackTile } from '@fennip/core/raster/pyramid.js'
import { crop, type IntegerRaster, type PixelSource } from '@fennip/core/raster/raster.js'
import { tiledSource, type TiledPicture } from '@fennip/core/raster/tiled-source.js'
import { makeTransfer, type Transfer } from '@fennip/core/raster/transfer.js'
import { layOver, type MendablePicture } from '@fennip/core/mend/patches/patch.js'
import { baseKey, tilesPrefix, type Storage } from './storage.js'

/** What is written beside the tiles of a picture when all of them are there. */
export interface BaseDocument extends TiledPicture {
  readonly channels: 1 | 3
  readonly profile: ColourProfile
}

/** A picture that is read tile by tile, so that memory does not grow with it. */
export interface Base {
  readonly document: BaseDocument
  readonly source: PixelSource
  readonly transfer: Transfer
  tileAt(column: number, row: number): IntegerRaster
  /** A smaller level, 0 is full size. */
  level(level: number): PixelSource
}

/** Bytes of unpacked tiles that one thread keeps at hand: two rows of tiles of a picture 16 384 px wide at 16 bits. */
const TILE_BYTES = 100 * 2 ** 20
const kept = new LRUCache<string, IntegerRaster>({ maxSize: TILE_BYTES, sizeCalculation: ({ data }) => data.byteLength })

/** Give back the memory of tiles that are at hand. */
export const forgetTiles = (): void => kept.clear()

/**
 * Open a picture by the hash of its original.
 *
 * @throws {ProblemError} when it was never taken in whole.
 */
export async function openBase(storage: Storage, sha256: string): Promise<Base> {
  const text = await storage.read(baseKey(sha256))
  if (!text) throw new ProblemError('not-taken-in', { title: 'The picture has not been taken in', detail: 'The pixels of this picture are not kept here. Take it out and bring its file in again.', status: 409 })
  const document = JSON.parse(new TextDecoder().decode(text)) as BaseDocument
  const { width, height, channels, depth, profile } = document
  const folder = await storage.localFolder(tilesPrefix(sha256))
  const tileOf = (level: number, column: number, row: number) => {
    const key = `${sha256}/${level}/${column}-${row}`
    const known = kept.get(key)
    if (known) return known
    const region = tileRegion(width, height, level, column, row)
    const tile = unpackTile(gunzipSync(readFileSync(join(folder, String(level), `${column}-${row}.gz`))), region.width, region.height, channels, depth)
    kept.set(key, tile)
    return tile
  }
  const level = (wanted: number) => tiledSource(document, wanted, (column, row) => tileOf(wanted, column, row))
  return { document, source: level(0), transfer: makeTransfer(profile.curve, depth), tileAt: (column, row) => tileOf(0, column, row), level }
}

/** A picture that mends are laid into; only the tiles they change are held. */
export function mendableBase({ document, tileAt }: Base): MendablePicture {
  const { width, height } = document
  const changed = new Map<string, IntegerRaster>()
  const source = tiledSource(document, 0, (column, row) => changed.get(`${column}-${row}`) ?? tileAt(column, row))
  return {
    ...source,
    lay(mended) {
      const { region } = mended
      for (let row = Math.floor(region.y / TILE_SIZE); row * TILE_SIZE < region.y + region.height; row++) {
        for (let column = Math.floor(region.x / TILE_SIZE); column * TILE_SIZE < region.x + region.width; column++) {
          const place = tileRegion(width, height, 0, column, row)
          const key = `${column}-${row}`
          let tile = changed.get(key)
          if (!tile) {
            tile = crop(tileAt(column, row), { x: 0, y: 0, width: place.width, height: place.height })
            changed.set(key, tile)
          }
          layOver(tile, place, mended)
        }
      }
    },
  }
}
