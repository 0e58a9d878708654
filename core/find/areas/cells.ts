import type { SampleTable } from '../../kernels/samples/samples.js'
import type { Region } from '../../raster/raster.js'

/** A picture in cells of a few pixels: what is looked for by its extent, over many tiles, is looked for in these. */

/** Side of a cell in pixels. */
export const CELL_SIDE = 4

/** What was measured in the cells of a tile. */
export interface TilePlanes {
  /** Column and row of the first cell in the picture. */
  readonly column: number
  readonly row: number
  readonly columns: number
  /** Row by row. */
  readonly planes: readonly Float32Array[]
}

/** Cells of a tile: the mean sample of each, 0..255; one plane a channel. */
export type TileCells = TilePlanes

/** Cells of a picture. */
export interface PictureCells {
  readonly columns: number
  readonly rows: number
  /** Of a cell, in pixels. */
  readonly side: number
  readonly planes: readonly Float32Array[]
}

/**
 * Mean samples of every cell of a tile.
 *
 * @param samples       Of the tile with its surroundings.
 * @param surroundings  Where these lie in the picture.
 * @param tile          Starts on a cell.
 */
export function cellsOfTile(samples: SampleTable, surroundings: Region, tile: Region): TileCells {
  const columns = Math.ceil(tile.width / CELL_SIDE)
  const sums = samples.sumCells(tile.x - surroundings.x, tile.y - surroundings.y, tile.width, tile.height, CELL_SIDE)
  return { column: tile.x / CELL_SIDE, row: tile.y / CELL_SIDE, columns, planes: sums.map((plane) => meansOf(plane, columns, tile, samples.largest)) }
}

const pixelsOf = (cell: number, pixels: number) => Math.min(pixels, (cell + 1) * CELL_SIDE) - cell * CELL_SIDE

function meansOf(sums: ArrayLike<number>, columns: number, { width, height }: Region, largest: number): Float32Array {
  const means = new Float32Array(sums.length)
  for (let row = 0, i = 0; i < sums.length; row++) {
    const rowOfPixels = (largest * pixelsOf(row, height)) / 255
    for (let column = 0; column < columns; column++, i++) means[i] = sums[i]! / (rowOfPixels * pixelsOf(column, width))
  }
  return means
}

/** Planes of all tiles laid side by side, at least one; 0 where no tile has a cell. */
export function wholePlanes(tiles: readonly TilePlanes[], columns: number, rows: number): Float32Array[] {
  const planes = tiles[0]!.planes.map(() => new Float32Array(columns * rows))
  for (const tile of tiles) {
    for (let c = 0; c < planes.length; c++) {
      const plane = tile.planes[c]!
      for (let i = 0; i < plane.length; i += tile.columns) planes[c]!.set(plane.subarray(i, i + tile.columns), (tile.row + i / tile.columns) * columns + tile.column)
    }
  }
  return planes
}

/**
 * Cells of all tiles together.
 *
 * @param tiles  Of the whole picture, at least one.
 * @param size   Of the picture, in pixels.
 * @param most   With more cells than this they are put together by fours: what is lost in a large scan is large.
 */
export function cellsOfPicture(tiles: readonly TileCells[], size: { readonly width: number; readonly height: number }, most: number): PictureCells {
  const columns = Math.ceil(size.width / CELL_SIDE)
  const rows = Math.ceil(size.height / CELL_SIDE)
  const planes = wholePlanes(tiles, columns, rows)
  let cells: PictureCells = { columns, rows, side: CELL_SIDE, planes }
  while (cells.columns * cells.rows > most) cells = halved(cells)
  return cells
}

/** Means of two by two; along the right and the lower edge of what there is. */
function halved({ columns, rows, side, planes }: PictureCells): PictureCells {
  const [width, height] = [(columns + 1) >> 1, (rows + 1) >> 1]
  return { columns: width, rows: height, side: 2 * side, planes: planes.map((plane) => halfOf(plane, columns, rows, width, height)) }
}

function halfOf(plane: Float32Array, columns: number, rows: number, width: number, height: number): Float32Array {
  const mean = new Float32Array(width * height)
  for (let y = 0; y < height; y++) {
    const upper = 2 * y * columns
    const lower = Math.min(rows - 1, 2 * y + 1) * columns
    for (let x = 0; x < width; x++) {
      const left = 2 * x
      const right = left + 1 < columns ? left + 1 : left
      mean[y * width + x] = (plane[upper + left]! + plane[upper + right]! + plane[lower + left]! + plane[lower + right]!) / 4
    }
  }
  return mean
}
