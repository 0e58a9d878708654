import type { Region } from '@fennip/core/raster/raster.js'

/** A round: the picture in sectors at 1:1, walked in reading order, and what of it was looked at. */

/** Side of the cells in which it is remembered what was looked at, in pixels. */
export const CELL = 128
/** Neighbouring sectors share so much of a view's width and height. */
const OVERLAP = 0.08

interface Size {
  readonly width: number
  readonly height: number
}

export const cellColumns = ({ width }: Size) => Math.ceil(width / CELL)
export const cellRows = ({ height }: Size) => Math.ceil(height / CELL)

/** Cells that lie in a region, all but a sliver of each. */
export function cellsWithin(region: Region, picture: Size): number[] {
  const columns = cellColumns(picture)
  const sliver = 0.15 * CELL
  const cells: number[] = []
  for (let row = 0; row < cellRows(picture); row++) {
    const bottom = Math.min(picture.height, (row + 1) * CELL)
    if (row * CELL < region.y - sliver || bottom > region.y + region.height + sliver) continue
    for (let column = 0; column < columns; column++) {
      const right = Math.min(picture.width, (column + 1) * CELL)
      if (column * CELL >= region.x - sliver && right <= region.x + region.width + sliver) cells.push(row * columns + column)
    }
  }
  return cells
}

/** Share of a picture's cells that were looked at, 0..1. */
export const lookedShare = (looked: ReadonlySet<number>, picture: Size) => looked.size / (cellColumns(picture) * cellRows(picture))

/** Sectors of a view's size that cover a picture, row by row, evenly apart and overlapping a little. */
export function sectorsOf(picture: Size, view: Size): Region[] {
  const along = (whole: number, part: number): number[] => {
    if (part >= whole) return [(whole - part) / 2]
    // At least a cell wide, so that each cell is whole in one of them.
    const overlap = Math.max(OVERLAP * part, CELL)
    const count = Math.ceil((whole - overlap) / (part - overlap))
    return Array.from({ length: count }, (_value, i) => Math.round((i * (whole - part)) / Math.max(1, count - 1)))
  }
  return along(picture.height, view.height).flatMap((y) => along(picture.width, view.width).map((x) => ({ x, y, width: view.width, height: view.height })))
}

/** The sector whose middle lies nearest to a place. */
export function sectorAt(sectors: readonly Region[], x: number, y: number): number {
  let best = 0
  let least = Infinity
  sectors.forEach((sector, i) => {
    const distance = Math.hypot(sector.x + sector.width / 2 - x, sector.y + sector.height / 2 - y)
    if (distance < least) {
      least = distance
      best = i
    }
  })
  return best
}

/**
 * The next sector in reading order that was not wholly looked at, going round the end once.
 *
 * @param from  Index of the sector that is in view; -1 begins at the top.
 * @returns Null when all was looked at.
 */
export function nextUnlooked(sectors: readonly Region[], from: number, looked: ReadonlySet<number>, picture: Size): number | null {
  for (let step = 1; step <= sectors.length; step++) {
    const index = (from + step + sectors.length) % sectors.length
    if (cellsWithin(sectors[index]!, picture).some((cell) => !looked.has(cell))) return index
  }
  return null
}
