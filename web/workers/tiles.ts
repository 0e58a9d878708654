import { LRUCache } from 'lru-cache'
import { clipRegion, type IntegerRaster, type PixelSource, type Region } from '@fennip/core/raster/raster.js'
import { levelSize, TILE_SIZE, tileRegion, unpackTile } from '@fennip/core/raster/pyramid.js'
import { tiledSource } from '@fennip/core/raster/tiled-source.js'
import { picture } from './opened.js'

/** Asked for pixels of a tile that has not come yet; it is fetched and the work begun again. */
class TileWanted extends Error {
  constructor(readonly level: number, readonly column: number, readonly row: number) {
    super('tile wanted')
  }
}

/** Unpacked tiles that a worker keeps: of a picture of three channels at 16 bit some 64, enough for a large screen and what is mended. */
const TILE_BYTES = 96 * 2 ** 20
const tiles = new LRUCache<string, IntegerRaster>({ maxSize: TILE_BYTES, sizeCalculation: ({ data }) => data.byteLength })
let fetching = new Map<string, Promise<IntegerRaster>>()

export function forgetTiles(): void {
  tiles.clear()
  fetching = new Map()
}

export async function tile(level: number, column: number, row: number): Promise<IntegerRaster> {
  const key = `${level}/${column}/${row}`
  const kept = tiles.get(key)
  if (kept) return kept
  let coming = fetching.get(key)
  if (!coming) {
    coming = fetchTile(level, column, row).finally(() => fetching.delete(key))
    fetching.set(key, coming)
  }
  return coming
}

async function fetchTile(level: number, column: number, row: number): Promise<IntegerRaster> {
  const { sha256, width, height, channels, depth } = picture.original
  const response = await fetch(`/api/originals/${sha256}/tiles/${level}/${column}/${row}`).catch(() => null)
  if (!response?.ok) throw Object.assign(new Error(`The pixels at ${column}, ${row} of level ${level} cannot be fetched.`), { name: 'Unreachable' })
  const region = tileRegion(width, height, level, column, row)
  const raster = unpackTile(new Uint8Array(await response.arrayBuffer()), region.width, region.height, channels, depth)
  tiles.set(`${level}/${column}/${row}`, raster)
  return raster
}

/** Pixels of a level of the original from the tiles at hand, as kernels want them; `TileWanted` when one is missing. */
export function sourceOf(level = 0): PixelSource {
  return tiledSource(picture.original, level, (column, row) => {
    const pixels = tiles.get(`${level}/${column}/${row}`)
    if (!pixels) throw new TileWanted(level, column, row)
    return pixels
  })
}

/** Columns and rows of the tiles that a region of a level touches. */
export function tilesOf(region: Region, level: number): [number, number][] {
  const size = levelSize(picture.original.width, picture.original.height, level)
  const inside = clipRegion(region, size.width, size.height)
  const places: [number, number][] = []
  for (let row = Math.floor(inside.y / TILE_SIZE); row * TILE_SIZE < inside.y + inside.height; row++) {
    for (let column = Math.floor(inside.x / TILE_SIZE); column * TILE_SIZE < inside.x + inside.width; column++) places.push([column, row])
  }
  return places
}

/** Fetch the tiles of a level that a rectangle of the full size touches. */
export async function fetchRegion(region: Region, level: number): Promise<void> {
  const { width, height } = picture.original
  const area = clipRegion(region, width, height)
  const side = TILE_SIZE * 2 ** level
  const wanted: Promise<unknown>[] = []
  for (let row = Math.floor(area.y / side); row * side < area.y + area.height; row++) {
    for (let column = Math.floor(area.x / side); column * side < area.x + area.width; column++) wanted.push(tile(level, column, row))
  }
  await Promise.all(wanted)
}

/**
 * Run work that reads pixels, fetching what it misses until it goes through.
 *
 * @param around  So many tiles around a missing one are fetched with it: measuring reads on, and begins anew each time.
 */
export async function withTiles<T>(work: () => T, around = 0): Promise<T> {
  for (;;) {
    try {
      return work()
    } catch (error) {
      if (!(error instanceof TileWanted)) throw error
      const { level, column, row } = error
      const region = { x: (column - around) * TILE_SIZE, y: (row - around) * TILE_SIZE, width: (2 * around + 1) * TILE_SIZE, height: (2 * around + 1) * TILE_SIZE }
      await Promise.all(tilesOf(region, level).map(([c, r]) => tile(level, c, r)))
    }
  }
}

/** Tiles around a missing one that measuring fetches with it. */
export const MEASURED_AROUND = 2
