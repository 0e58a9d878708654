import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { levelCount, TILE_SIZE, tileRegion } from '@fennip/core/raster/pyramid.js'
import type { Region } from '@fennip/core/raster/raster.js'
import type { Picture } from '../shared/api.js'
import type { PixelPool, TilePlace } from '../workers/pool.js'

vi.mock('openseadragon', () => ({
  default: {
    TileSource: class { constructor(options: object) { Object.assign(this, options) } },
    Point: class { constructor(readonly x: number, readonly y: number) {} },
  },
}))
const { LivingTiles } = await import('./tile-source.js')

/** A pool that remembers what it was asked to paint. */
class AskedPool {
  readonly asked: { place: TilePlace; part: Region }[] = []
  paintTile(place: TilePlace, part: Region): Promise<ImageBitmap> {
    this.asked.push({ place, part })
    return Promise.resolve({ width: part.width, height: part.height, close: () => undefined } as unknown as ImageBitmap)
  }
}

const WIDTH = 1300
const HEIGHT = 900
const LEVELS = levelCount(WIDTH, HEIGHT)
const picture = { original: { width: WIDTH, height: HEIGHT }, levels: LEVELS } as unknown as Picture

interface Source {
  getTileUrl(level: number, x: number, y: number): string
  getNumTiles(level: number): { x: number; y: number }
  getLevelScale(level: number): number
  downloadTileStart(context: { src: string; finish(data: unknown): void; fail(message: string): void }): void
}

let pool: AskedPool
let tiles: InstanceType<typeof LivingTiles>
let source: Source
const drawn: { x: number; y: number }[] = []

beforeEach(async () => {
  drawn.length = 0
  vi.stubGlobal('document', {
    createElement: () => {
      const canvas = { width: 0, height: 0, getContext: () => ({ canvas, drawImage: (_image: unknown, x: number, y: number) => drawn.push({ x, y }) }) }
      return canvas
    },
  })
  pool = new AskedPool()
  tiles = new LivingTiles(picture, pool as unknown as PixelPool, () => ({ lens: 'plain', strength: 0, show: 'result' }))
  source = tiles.source() as unknown as Source
  for (let level = 0; level < LEVELS; level++) {
    const { x: columns, y: rows } = source.getNumTiles(level)
    for (let row = 0; row < rows; row++) {
      for (let column = 0; column < columns; column++) {
        await new Promise<void>((resolve, reject) => source.downloadTileStart({ src: source.getTileUrl(level, column, row), finish: () => resolve(), fail: reject }))
      }
    }
  }
})
afterEach(() => vi.unstubAllGlobals())

describe('tiles for the viewer', () => {
  it('are asked for once each, whole, on every level; the viewer counts levels from the smallest', () => {
    expect(source.getTileUrl(0, 0, 0)).toBe(`fennip:${LEVELS - 1}/0/0`)
    expect(source.getLevelScale(LEVELS - 1)).toBe(1)
    expect(source.getLevelScale(LEVELS - 2)).toBe(0.5)
    const finest = pool.asked.filter(({ place }) => place.level === 0)
    expect(finest).toHaveLength(Math.ceil(WIDTH / TILE_SIZE) * Math.ceil(HEIGHT / TILE_SIZE))
    for (const { place, part } of pool.asked) expect(part).toEqual(tileRegion(WIDTH, HEIGHT, place.level, place.column, place.row))
  })

  it('only the touched part is painted anew, and where it lies; the level that is seen first', async () => {
    pool.asked.length = 0
    drawn.length = 0
    const order: string[] = []
    await tiles.repaint({ x: 500, y: 100, width: 40, height: 20 }, 1, () => order.push(`seen after ${pool.asked.length}`))
    // On level 0 the rectangle lies across two tiles, on the others in one.
    expect(pool.asked.filter(({ place }) => place.level === 0).map(({ part }) => part)).toEqual([{ x: 500, y: 100, width: 12, height: 20 }, { x: 512, y: 100, width: 28, height: 20 }])
    expect(pool.asked[0]!.place.level).toBe(1)
    expect(pool.asked[0]!.part).toEqual({ x: 250, y: 50, width: 20, height: 10 })
    expect(order).toEqual(['seen after 1'])
    expect(drawn[0]).toEqual({ x: 250, y: 50 })
    expect(drawn).toContainEqual({ x: 0, y: 100 })
  })

  it('everything is painted anew when no rectangle is given, nothing for one beside the picture', async () => {
    const all = pool.asked.length
    pool.asked.length = 0
    await tiles.repaint(null, 0, () => undefined)
    expect(pool.asked).toHaveLength(all)
    pool.asked.length = 0
    await tiles.repaint({ x: 5000, y: 5000, width: 10, height: 10 }, 0, () => undefined)
    expect(pool.asked).toHaveLength(0)
  })

  it('left of a divider the original is painted, right of it the result', async () => {
    let divider: number | null = 300
    const views: { part: Region; show: string }[] = []
    const split = { paintTile: (_place: TilePlace, part: Region, view: { show: string }) => {
      views.push({ part, show: view.show })
      return Promise.resolve({ close: () => undefined } as unknown as ImageBitmap)
    } }
    const divided = new LivingTiles(picture, split as unknown as PixelPool, () => ({ lens: 'plain', strength: 0, show: 'result' }), () => divider)
    const load = (divided.source() as unknown as Source)
    for (const column of [0, 1]) await new Promise<void>((resolve, reject) => load.downloadTileStart({ src: `fennip:0/${column}/0`, finish: () => resolve(), fail: reject }))
    expect(views).toEqual([
      { part: { x: 0, y: 0, width: 300, height: 512 }, show: 'original' },
      { part: { x: 300, y: 0, width: 212, height: 512 }, show: 'result' },
      { part: { x: 512, y: 0, width: 512, height: 512 }, show: 'result' },
    ])
    views.length = 0
    divider = 340
    await divided.repaint({ x: 300, y: 0, width: 40, height: 900 }, 0, () => undefined)
    expect(views).toEqual([{ part: { x: 300, y: 0, width: 40, height: 512 }, show: 'original' }])
  })

  it('a tile on its way while the view changes is painted as it is looked at now', async () => {
    let show: 'original' | 'result' = 'original'
    const seen: string[] = []
    let release: () => void = () => undefined
    const slow = { paintTile: async (_place: TilePlace, _part: Region, view: { show: string }) => {
      seen.push(view.show)
      if (seen.length === 1) await new Promise<void>((resolve) => (release = resolve))
      return { close: () => undefined } as unknown as ImageBitmap
    } }
    const changing = new LivingTiles(picture, slow as unknown as PixelPool, () => ({ lens: 'plain', strength: 0, show }))
    const loaded = new Promise<void>((resolve, reject) => (changing.source() as unknown as Source).downloadTileStart({ src: 'fennip:0/0/0', finish: () => resolve(), fail: reject }))
    show = 'result'
    await changing.repaint(null, 0, () => undefined)
    release()
    await loaded
    expect(seen).toEqual(['original', 'result'])
  })

  it('a tile that the viewer dropped is not painted', async () => {
    tiles.forget('fennip:0/0/0')
    pool.asked.length = 0
    await tiles.repaint({ x: 10, y: 10, width: 5, height: 5 }, 0, () => undefined)
    expect(pool.asked.every(({ place }) => place.level > 0)).toBe(true)
  })
  it('are painted exactly where they are in view, one after the other, until something is painted anew', async () => {
    pool.asked.length = 0
    expect(await tiles.refine({ x: 0, y: 0, width: 500, height: 400 }, 0, () => undefined)).toBe(true)
    expect(pool.asked.map(({ place }) => [place.level, place.column, place.row])).toEqual([[0, 0, 0]])
    expect(await tiles.refine({ x: 0, y: 0, width: WIDTH, height: HEIGHT }, 0, () => void tiles.repaint(null, 0, () => undefined, true))).toBe(false)
  })
})
