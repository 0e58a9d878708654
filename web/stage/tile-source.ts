import OpenSeadragon from 'openseadragon'
import { TILE_SIZE } from '@fennip/core/raster/pyramid.js'
import type { Picture } from '../shared/api.js'
import type { PixelPool } from '../workers/pool.js'
import type { View } from '../workers/pixels.worker.js'

/** Level of the pyramid (0 is full size), column and row of a tile. */
interface Place {
  readonly level: number
  readonly column: number
  readonly row: number
}

/**
 * Tiles of a picture for the viewer. Every tile is a canvas of our own, so that a mend repaints just the tiles it
 * touches, without a round through the viewer's loader.
 */
export class LivingTiles {
  private readonly canvases = new Map<string, CanvasRenderingContext2D>()

  constructor(private readonly picture: Picture, private readonly pool: PixelPool, private readonly view: () => View) {}

  /** What the viewer asks for. */
  source(): OpenSeadragon.TileSource {
    const { width, height } = this.picture.original
    const source = new OpenSeadragon.TileSource({
      width, height, tileSize: TILE_SIZE, tileOverlap: 0, minLevel: 0, maxLevel: this.picture.levels - 1,
    } as OpenSeadragon.TileSourceOptions)
    const top = this.picture.levels - 1
    const { levels } = this.picture
    Object.assign(source, {
      getTileUrl: (level: number, x: number, y: number) => `fennip:${top - level}/${x}/${y}`,
      // Smaller levels are rounded up, as the pyramid's are.
      getLevelScale: (level: number) => (level >= levels ? 1 : 1 / 2 ** (top - level)),
      getNumTiles: (level: number) => {
        const scale = 2 ** (top - level)
        return new OpenSeadragon.Point(Math.ceil(Math.ceil(width / scale) / TILE_SIZE), Math.ceil(Math.ceil(height / scale) / TILE_SIZE))
      },
      downloadTileStart: (context: { src: string; finish(data: unknown, request: unknown, type: string): void; fail(message: string, request: unknown): void }) => {
        const place = placeOf(context.src)
        this.pool.paintTile(place.level, place.column, place.row, this.view()).then(
          (bitmap) => {
            const canvas = document.createElement('canvas')
            canvas.width = bitmap.width
            canvas.height = bitmap.height
            const drawing = canvas.getContext('2d', { alpha: false })!
            drawing.drawImage(bitmap, 0, 0)
            bitmap.close()
            this.canvases.set(context.src, drawing)
            context.finish(drawing, null, 'context2d')
          },
          (error: unknown) => context.fail(String(error), null),
        )
      },
      downloadTileAbort: () => undefined,
    })
    return source
  }

  forget(url: string): void {
    this.canvases.delete(url)
  }

  /** Paint tiles anew, all or those a rectangle of the picture touches, the finest first. */
  async repaint(region: { x: number; y: number; width: number; height: number } | null, isSeen: (url: string) => boolean): Promise<void> {
    const wanted = [...this.canvases.entries()].filter(([url]) => {
      if (!region) return true
      const { level, column, row } = placeOf(url)
      const size = TILE_SIZE * 2 ** level
      return column * size < region.x + region.width && (column + 1) * size > region.x && row * size < region.y + region.height && (row + 1) * size > region.y
    })
    // What is seen goes first.
    wanted.sort(([a], [b]) => Number(isSeen(b)) - Number(isSeen(a)) || placeOf(a).level - placeOf(b).level)
    await Promise.all(
      wanted.map(async ([url, drawing]) => {
        const { level, column, row } = placeOf(url)
        const bitmap = await this.pool.paintTile(level, column, row, this.view())
        if (drawing.canvas.width > 0) drawing.drawImage(bitmap, 0, 0)
        bitmap.close()
      }),
    )
  }
}

function placeOf(url: string): Place {
  const [level, column, row] = url.slice('fennip:'.length).split('/').map(Number) as [number, number, number]
  return { level, column, row }
}
