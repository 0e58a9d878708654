import { promisify } from 'node:util'
import { gzip } from 'node:zlib'
import { crop, type IntegerRaster } from '@fennip/core/raster/raster.js'
import { halve, levelCount, packTile, tileGrid, tileRegion } from '@fennip/core/raster/pyramid.js'
import type { Transfer } from '@fennip/core/raster/transfer.js'
import type { BaseDocument } from './base.js'
import { baseKey, tileKey, type Storage } from './storage.js'

const compress = promisify(gzip)

/** Tiles that are compressed and written at once: enough for both processors, few enough for a large picture's memory. */
const AT_ONCE = 8

/**
 * Cut a picture into its pyramid of tiles. They count as there only when all of them are. Two processes that cut the
 * same picture write the same bytes.
 *
 * @param pixels   Used up: smaller levels are written over it.
 * @param onShare  Told how much is done, 0..1; what it throws ends the cutting.
 */
export async function makeTiles(storage: Storage, sha256: string, pixels: IntegerRaster, transfer: Transfer, document: BaseDocument, onShare: (share: number) => void = () => undefined): Promise<void> {
  if (await storage.has(baseKey(sha256))) return
  const { width, height } = pixels
  let level = pixels
  let done = 0
  // Each level has a quarter of the pixels of the one before.
  const all = (width * height * 4) / 3
  for (let n = 0; n < levelCount(width, height); n++) {
    if (n > 0) level = halve(level, transfer, true)
    const grid = tileGrid(width, height, n)
    const places = Array.from({ length: grid.rows * grid.columns }, (_, i) => ({ column: i % grid.columns, row: Math.floor(i / grid.columns) }))
    for (let i = 0; i < places.length; i += AT_ONCE) {
      onShare(Math.min(1, done / all))
      const writes = places.slice(i, i + AT_ONCE).map(async ({ column, row }) => {
        const region = tileRegion(width, height, n, column, row)
        done += region.width * region.height
        await storage.write(tileKey(sha256, n, column, row), await compress(packTile(crop(level, region)), { level: 1 }))
      })
      // All have ended before what failed is told.
      const failed = (await Promise.allSettled(writes)).find((written) => written.status === 'rejected')
      if (failed) throw failed.reason
    }
  }
  await storage.write(baseKey(sha256), new TextEncoder().encode(JSON.stringify(document)))
}
