import { promisify } from 'node:util'
import { gzip } from 'node:zlib'
import { crop, type IntegerRaster } from '@fennip/core/raster/raster.js'
import { halve, levelCount, packTile, tileGrid, tileRegion } from '@fennip/core/raster/pyramid.js'
import type { Transfer } from '@fennip/core/raster/transfer.js'
import { tileKey, tilesDoneKey, tilesPrefix, type Storage } from './storage.js'

const compress = promisify(gzip)

/**
 * Cut a picture into its pyramid of tiles. They count as there only when all of them are; what failed half way is taken
 * away again. Two processes that cut the same picture write the same bytes.
 */
export async function makeTiles(storage: Storage, sha256: string, pixels: IntegerRaster, transfer: Transfer): Promise<void> {
  if (await storage.has(tilesDoneKey(sha256))) return
  const { width, height } = pixels
  let level = pixels
  try {
    for (let n = 0; n < levelCount(width, height); n++) {
      if (n > 0) level = halve(level, transfer)
      const grid = tileGrid(width, height, n)
      for (let row = 0; row < grid.rows; row++) {
        const writes: Promise<void>[] = []
        for (let column = 0; column < grid.columns; column++) {
          const packed = packTile(crop(level, tileRegion(width, height, n, column, row)))
          writes.push(compress(packed, { level: 1 }).then((bytes) => storage.write(tileKey(sha256, n, column, row), bytes)))
        }
        // All have ended before what failed is taken away again.
        const failed = (await Promise.allSettled(writes)).find((written) => written.status === 'rejected')
        if (failed) throw failed.reason
      }
    }
    await storage.write(tilesDoneKey(sha256), new Uint8Array([1]))
  } catch (error) {
    await storage.remove(tilesPrefix(sha256)).catch(() => undefined)
    throw error
  }
}
