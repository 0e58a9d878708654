import { levelSize, TILE_SIZE, tileRegion } from './pyramid.js'
import { makeRaster, paste, type Depth, type IntegerRaster, type PixelSource, type Region } from './raster.js'

/** Size and samples of a picture that is kept in tiles. */
export interface TiledPicture {
  readonly width: number
  readonly height: number
  readonly channels: number
  readonly depth: Depth
}

/**
 * One level of a tiled picture as a pixel source.
 *
 * @param picture  Size and samples of level 0.
 * @param level    0 is full size.
 * @param tileAt   The tile of a column and row of that level; may throw when it is not at hand.
 */
export function tiledSource(picture: TiledPicture, level: number, tileAt: (column: number, row: number) => IntegerRaster): PixelSource {
  const { channels, depth } = picture
  const { width, height } = levelSize(picture.width, picture.height, level)
  return {
    width, height, channels, depth,
    read(region: Region) {
      const result = makeRaster(region.width, region.height, channels, depth)
      for (let row = Math.floor(region.y / TILE_SIZE); row * TILE_SIZE < region.y + region.height; row++) {
        for (let column = Math.floor(region.x / TILE_SIZE); column * TILE_SIZE < region.x + region.width; column++) {
          const place = tileRegion(picture.width, picture.height, level, column, row)
          paste(result, tileAt(column, row), place.x - region.x, place.y - region.y)
        }
      }
      return result
    },
  }
}
