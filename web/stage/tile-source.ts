import OpenSeadragon from 'openseadragon'
import { screenContext } from '../shared/screen.js'
import { TILE_SIZE, tileRegion } from '@fennip/core/raster/pyramid.js'
import { overlaps, type Region } from '@fennip/core/raster/raster.js'
import type { Picture } from '../shared/api.js'
import type { PixelPool, TilePlace } from '../workers/pool.js'
import type { View } from '../workers/view.js'

/**
 * Tiles of a picture for the viewer. Every tile is a canvas of our own, so that a mend repaints just the tiles it
 * touches, without a round through the viewer's loader.
 */
export class LivingTiles {
  /** Counts tiles that were painted, so that an exact picture is given up for them. */
  private paints = 0
  private readonly canvases = new Map<string, CanvasRenderingContext2D>()
  /** Counts repaints: a tile that was on its way meanwhile is painted once more. */
  private repaints = 0

  /**
   * @param view     How the picture is looked at.
   * @param divider  Where the original ends and the result begins, in picture pixels from the left; null for no divider.
   * @param before   What lies left of the divider.
   * @param size     Of what is shown, when it is not the picture itself but the delivered one.
   */
  constructor(picture: Picture, private readonly pool: PixelPool, private readonly view: () => View, private readonly divider: () => number | null = () => null, private readonly before: () => Pick<View, 'show' | 'without' | 'upTo'> = () => ({ show: 'original' }), private readonly size: { readonly width: number; readonly height: number; readonly levels: number } = { ...picture.original, levels: picture.levels }) {}

  /** What the viewer asks for. */
  source(): OpenSeadragon.TileSource {
    const { width, height } = this.size
    const source = new OpenSeadragon.TileSource({
      width, height, tileSize: TILE_SIZE, tileOverlap: 0, minLevel: 0, maxLevel: this.size.levels - 1,
    } as OpenSeadragon.TileSourceOptions)
    const top = this.size.levels - 1
    const { levels } = this.size
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
        const tile = this.regionOf(place)
        const canvas = document.createElement('canvas')
        canvas.width = tile.width
        canvas.height = tile.height
        const drawing = screenContext(canvas)!
        this.paintWhole(drawing, place, tile).then(
          () => {
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

  /** Paint a tile that comes into view, until it is as the others are. */
  private async paintWhole(drawing: CanvasRenderingContext2D, place: TilePlace, tile: Region): Promise<void> {
    for (let before = -1; before !== this.repaints; ) {
      before = this.repaints
      await this.paint(drawing, place, tile)
    }
  }

  forget(url: string): void {
    this.canvases.delete(url)
  }

  /**
   * Paint anew what a rectangle of the picture touches, or all.
   *
   * @param level   The level that is seen; its tiles are painted first.
   * @param onSeen  Called when these are done.
   * @param onlySeen  Whether other levels are left as they are: the next frame follows at once.
   */
  async repaint(region: Region | null, level: number, onSeen: () => void, onlySeen = false): Promise<void> {
    this.repaints++
    const parts = [...this.canvases.entries()].flatMap(([url, drawing]) => {
      const place = placeOf(url)
      const part = partOf(this.regionOf(place), region, place.level)
      return part ? [{ place, part, drawing }] : []
    })
    const paint = ({ place, part, drawing }: (typeof parts)[number]) => this.paint(drawing, place, part)
    await Promise.all(parts.filter(({ place }) => place.level === level).map(paint))
    onSeen()
    if (onlySeen) return
    // The finest first: coarse ones are seen only while the view moves.
    for (const one of parts.filter(({ place }) => place.level !== level).sort((a, b) => a.place.level - b.place.level)) await paint(one)
  }

  /**
   * Paint what is in view from the full size, tile after tile, until something is painted anew.
   *
   * @param seen  Rectangle of the picture that is in view.
   * @returns Whether all of it was painted.
   */
  async refine(seen: Region, level: number, onTile: () => void): Promise<boolean> {
    const before = this.repaints
    const paints = this.paints
    for (const [url, drawing] of this.canvases) {
      const place = placeOf(url)
      if (place.level !== level || !partOf(this.regionOf(place), seen, level)) continue
      await this.paint(drawing, place, this.regionOf(place), () => this.repaints === before && this.paints === paints, { exact: true })
      if (this.repaints !== before || this.paints !== paints) return false
      onTile()
    }
    return true
  }

  /** Paint a part of a tile: what lies left of the divider from the original, the rest as it is looked at. */
  private async paint(drawing: CanvasRenderingContext2D, place: TilePlace, part: Region, isWanted = () => true, how: Partial<View> = {}): Promise<void> {
    if (!how.exact) this.paints++
    const tile = this.regionOf(place)
    const view = this.view()
    const divider = this.divider()
    const at = divider === null ? part.x : Math.max(part.x, Math.min(part.x + part.width, Math.round(divider / 2 ** place.level)))
    const halves: { part: Region; view: View }[] = [
      { part: { ...part, width: at - part.x }, view: { ...view, ...this.before() } },
      { part: { ...part, x: at, width: part.x + part.width - at }, view: { ...view, ...how } },
    ]
    await Promise.all(
      halves.filter((half) => half.part.width > 0).map(async (half) => {
        const bitmap = await this.pool.paintTile(place, half.part, half.view)
        if (drawing.canvas.width > 0 && isWanted()) drawing.drawImage(bitmap, half.part.x - tile.x, half.part.y - tile.y)
        bitmap.close()
      }),
    )
  }

  private regionOf({ level, column, row }: TilePlace): Region {
    return tileRegion(this.size.width, this.size.height, level, column, row)
  }
}

/** The part of a tile that a rectangle of the picture touches, both in pixels of the tile's level; null when none. */
function partOf(tile: Region, region: Region | null, level: number): Region | null {
  if (!region) return tile
  const scale = 2 ** level
  const x = Math.max(tile.x, Math.floor(region.x / scale))
  const y = Math.max(tile.y, Math.floor(region.y / scale))
  const part = {
    x, y,
    width: Math.min(tile.x + tile.width, Math.ceil((region.x + region.width) / scale)) - x,
    height: Math.min(tile.y + tile.height, Math.ceil((region.y + region.height) / scale)) - y,
  }
  return part.width > 0 && part.height > 0 && overlaps(tile, part) ? part : null
}

function placeOf(url: string): TilePlace {
  const [level, column, row] = url.slice('fennip:'.length).split('/').map(Number) as [number, number, number]
  return { level, column, row }
}
