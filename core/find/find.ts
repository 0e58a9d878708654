import { logLight } from '../raster/log-light.js'
import { clipRegion, crop, growRegion, type IntegerRaster, type PixelSource, type Region } from '../raster/raster.js'
import type { Transfer } from '../raster/transfer.js'
import { ColourLook } from './discs/colour.js'
import { findDiscs, rateOf, type TilePlane } from './discs/search-discs.js'
import type { Find, FindOptions, ScoredDisc, Size, TileFinds } from './finds.js'
import { joinFinds } from './join-finds.js'
import { judgedLines, type LineFind } from './line-judging/line-kinds.js'
import { linePieces } from './lines/lines.js'
import { findsOfPopulation } from './judging/population.js'
import { findInWhole, measureTile, splitKinds } from './whole-kinds.js'

/** False finds in a picture when nobody says otherwise. */
export const DEFAULT_FALSE_FINDS = 3

const TILE = 2048
/** Surroundings that a tile needs to judge a flaw on its edge. */
const APRON = 192

/** Surroundings that all but dust need, which may be three times as large as a speck. */
const CLOSE_APRON = 96

/** Of what was read for a tile, what lies close to it. */
function closeTo(tile: Region, pixels: IntegerRaster, { plane, at: around }: TilePlane, transfer: Transfer): TilePlane {
  const within = clipRegion({ x: tile.x - CLOSE_APRON - around.x, y: tile.y - CLOSE_APRON - around.y, width: tile.width + 2 * CLOSE_APRON, height: tile.height + 2 * CLOSE_APRON }, around.width, around.height)
  return {
    plane: crop({ ...plane, channels: 1 }, within),
    colour: new ColourLook(pixels, transfer, within),
    at: { ...within, x: within.x + around.x, y: within.y + around.y },
  }
}

/** The tiles a search is split into. How it is split is fixed, so that any number of workers finds the same. */
export function searchTiles(width: number, height: number): Region[] {
  const tiles: Region[] = []
  for (let y = 0; y < height; y += TILE) {
    for (let x = 0; x < width; x += TILE) tiles.push({ x, y, width: Math.min(TILE, width - x), height: Math.min(TILE, height - y) })
  }
  return tiles
}

/** The pixels that the search of a tile reads. */
export function tileSurroundings(tile: Region, width: number, height: number): Region {
  return clipRegion(growRegion(tile, APRON), width, height)
}

/**
 * Search one tile.
 *
 * @param pixels    The tile with its surroundings, as `tileSurroundings` gives them.
 * @param surroundings  Where these pixels lie in the picture.
 * @param tile      Finds whose centre lies outside are another tile's.
 * @param transfer  Tables of the picture's curve.
 * @param size      Of the picture.
 */
export function findInTile(pixels: IntegerRaster, surroundings: Region, tile: Region, transfer: Transfer, options: FindOptions, size: Size): TileFinds {
  const { placed, whole } = splitKinds(options.kinds)
  const plane = placed.length > 0 || whole.includes('moire') ? logLight(pixels, transfer) : null
  return {
    ...(plane && placed.length > 0 ? findPlaced({ plane, colour: new ColourLook(pixels, transfer), at: surroundings }, pixels, tile, transfer, options, size) : { discs: [], pieces: [] }),
    ...(whole.length > 0 ? measureTile(pixels, plane, surroundings, tile, whole) : {}),
  }
}

/** What is found where it lies: round flaws, and lines in pieces. */
function findPlaced(around: TilePlane, pixels: IntegerRaster, tile: Region, transfer: Transfer, options: FindOptions, size: Size): Pick<TileFinds, 'discs' | 'pieces'> {
  const close = closeTo(tile, pixels, around, transfer)
  return { discs: findDiscs(around, close, tile, options, size), pieces: options.kinds.includes('line') ? linePieces(close.plane, close.colour, close.at, tile) : [] }
}

/** Lines that the pieces of all tiles make. */
export function findLines(tiles: readonly Pick<TileFinds, 'pieces'>[], options: FindOptions, size: Size): LineFind[] {
  return judgedLines(tiles.flatMap(({ pieces }) => pieces), rateOf(options, size), size)
}

/** Put the finds of all tiles together, heaviest first. */
export function gatherFinds(tiles: readonly TileFinds[], options: FindOptions, size: Size): Find[] {
  const whole = splitKinds(options.kinds).whole.flatMap((kind) => findInWhole(kind, tiles, size))
  return settleFinds(joinFinds(tiles, findLines(tiles, options, size), whole), size)
}

/** What of the places that were put together is found, by what else is in the picture. */
export function settleFinds(places: readonly (Find | ScoredDisc)[], { width, height }: Size): Find[] {
  return findsOfPopulation(places, (width * height) / 1e6)
}

/** Search a whole picture in this thread, tile by tile. */
export function findFlaws(picture: PixelSource, transfer: Transfer, options: FindOptions, onProgress?: (share: number) => void): Find[] {
  const tiles = searchTiles(picture.width, picture.height)
  const found = tiles.map((tile, i) => {
    const surroundings = tileSurroundings(tile, picture.width, picture.height)
    const finds = findInTile(picture.read(surroundings), surroundings, tile, transfer, options, picture)
    onProgress?.((i + 1) / tiles.length)
    return finds
  })
  return gatherFinds(found, options, picture)
}
