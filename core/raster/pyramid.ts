import { crop, depthOf, makeRaster, type Depth, type IntegerRaster, type Region } from './raster.js'
import type { Transfer } from './transfer.js'

/** Side of a tile in pixels. */
export const TILE_SIZE = 512

/** Width and height of a level; level 0 is the picture itself, each next one half as large, rounded up. */
export function levelSize(width: number, height: number, level: number): { width: number; height: number } {
  const scale = 2 ** level
  return { width: Math.ceil(width / scale), height: Math.ceil(height / scale) }
}

/** Number of levels until the picture fits into one tile. */
export function levelCount(width: number, height: number): number {
  let count = 1
  while (Math.max(width, height) > TILE_SIZE * 2 ** (count - 1)) count++
  return count
}

/** The rectangle of a tile in pixels of its level. */
export function tileRegion(width: number, height: number, level: number, column: number, row: number): Region {
  const size = levelSize(width, height, level)
  const x = column * TILE_SIZE
  const y = row * TILE_SIZE
  return { x, y, width: Math.min(TILE_SIZE, size.width - x), height: Math.min(TILE_SIZE, size.height - y) }
}

/** Columns and rows of tiles of a level. */
export function tileGrid(width: number, height: number, level: number): { columns: number; rows: number } {
  const size = levelSize(width, height, level)
  return { columns: Math.ceil(size.width / TILE_SIZE), rows: Math.ceil(size.height / TILE_SIZE) }
}

/**
 * Halve a picture in linear light: every pixel of the result is the mean light of two by two.
 *
 * @param raster    Encoded integers.
 * @param transfer  Tables of the picture's curve at its depth.
 * @param usedUp    Write over the picture itself: a pixel is read before its place is needed. It saves a quarter of its memory.
 * @returns Half the size, rounded up; at an odd edge the mean of what there is.
 */
export function halve(raster: IntegerRaster, transfer: Transfer, usedUp = false): IntegerRaster {
  const { width, height, channels, data } = raster
  const size = { width: Math.ceil(width / 2), height: Math.ceil(height / 2), channels }
  const half = usedUp ? { ...size, data: data.subarray(0, size.width * size.height * channels) } : makeRaster(size.width, size.height, channels, depthOf(raster))
  const { light, encode } = transfer
  for (let y = 0; y < half.height; y++) {
    const upper = 2 * y * width
    const lower = Math.min(2 * y + 1, height - 1) * width
    for (let x = 0; x < half.width; x++) {
      const left = 2 * x
      const right = Math.min(2 * x + 1, width - 1)
      for (let c = 0; c < channels; c++) {
        const a = data[(upper + left) * channels + c]!
        const b = data[(upper + right) * channels + c]!
        const d = data[(lower + left) * channels + c]!
        const e = data[(lower + right) * channels + c]!
        half.data[(y * half.width + x) * channels + c] =
          a === b && a === d && a === e ? a : encode(0.25 * (light[a]! + light[b]! + light[d]! + light[e]!))
      }
    }
  }
  return half
}

/**
 * Pack a tile for storage and travel: every sample less its left neighbour (as in the TIFF and PNG predictors),
 * 16 bit samples split into a plane of high and a plane of low bytes, which a general compressor then shrinks well.
 */
export function packTile(raster: IntegerRaster): Uint8Array {
  const { width, height, channels, data } = raster
  const row = width * channels
  const length = row * height
  const wide = depthOf(raster) === 16
  const packed = new Uint8Array(wide ? 2 * length : length)
  for (let y = 0; y < height; y++) {
    for (let i = 0; i < row; i++) {
      const at = y * row + i
      const difference = data[at]! - (i >= channels ? data[at - channels]! : 0)
      if (wide) {
        packed[at] = (difference >> 8) & 255
        packed[length + at] = difference & 255
      } else {
        packed[at] = difference & 255
      }
    }
  }
  return packed
}

/** Undo `packTile`. @throws {RangeError} when the bytes do not fit the size. */
export function unpackTile(packed: Uint8Array, width: number, height: number, channels: number, depth: Depth): IntegerRaster {
  const raster = makeRaster(width, height, channels, depth)
  const { data } = raster
  const length = data.length
  if (packed.length !== length * (depth / 8)) throw new RangeError(`A tile of ${width}x${height} has ${packed.length} bytes`)
  const row = width * channels
  for (let y = 0; y < height; y++) {
    for (let i = 0; i < row; i++) {
      const at = y * row + i
      const difference = depth === 16 ? (packed[at]! << 8) | packed[length + at]! : packed[at]!
      data[at] = difference + (i >= channels ? data[at - channels]! : 0)
    }
  }
  return raster
}

/** All levels of a raster in memory, each made when it is first asked for. */
export interface RasterLevels {
  read(region: Region, level: number): IntegerRaster
  /** The largest level of at most so many pixels. */
  small(pixels: number): IntegerRaster
}

export function rasterLevels(raster: IntegerRaster, transfer: Transfer): RasterLevels {
  const levels = [raster]
  const at = (level: number) => {
    while (levels.length <= level) levels.push(halve(levels.at(-1)!, transfer))
    return levels[level]!
  }
  return {
    read: (region, level) => crop(at(level), region),
    small(pixels) {
      let level = 0
      while (at(level).width * at(level).height > pixels) level++
      return at(level)
    },
  }
}
