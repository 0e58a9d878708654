import { mkdir, open, rename, rm } from 'node:fs/promises'
import { join } from 'node:path'
import { promisify } from 'node:util'
import { gzip } from 'node:zlib'
import { diskProblem } from '@fennip/codec/write.js'
import { crop, type IntegerRaster } from '@fennip/core/raster/raster.js'
import { halve, levelCount, packTile, tileGrid, tileRegion } from '@fennip/core/raster/pyramid.js'
import type { Transfer } from '@fennip/core/raster/transfer.js'
import { exists, type Storage } from './storage.js'

const compress = promisify(gzip)

/**
 * Cut a picture into its pyramid of tiles. All tiles appear at once, by renaming a finished folder.
 */
export async function makeTiles(storage: Storage, sha256: string, pixels: IntegerRaster, transfer: Transfer): Promise<void> {
  const folder = join(storage.folder, 'tiles', sha256)
  if (await exists(folder)) return
  const beside = `${folder}.${process.pid}.${Date.now()}.part`
  const { width, height } = pixels
  let level = pixels
  try {
    for (let n = 0; n < levelCount(width, height); n++) {
      if (n > 0) level = halve(level, transfer)
      const place = join(beside, String(n))
      await mkdir(place, { recursive: true })
      const grid = tileGrid(width, height, n)
      for (let row = 0; row < grid.rows; row++) {
        const writes: Promise<void>[] = []
        for (let column = 0; column < grid.columns; column++) {
          const packed = packTile(crop(level, tileRegion(width, height, n, column, row)))
          writes.push(compress(packed, { level: 1 }).then((bytes) => writeFlushed(join(place, `${column}-${row}.gz`), bytes)))
        }
        await Promise.all(writes)
      }
    }
    await rename(beside, folder)
  } catch (error) {
    await rm(beside, { recursive: true, force: true })
    // Another process may have made the same tiles meanwhile: they are the same bytes.
    if (!(await exists(folder))) throw diskProblem(error, 'the tiles')
  }
}

async function writeFlushed(path: string, bytes: Uint8Array): Promise<void> {
  const file = await open(path, 'wx')
  try {
    await file.writeFile(bytes)
    await file.datasync()
  } finally {
    await file.close()
  }
}
