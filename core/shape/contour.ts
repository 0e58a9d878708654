import { contours } from 'd3-contour'
import { distanceAt } from './shape.js'

/** Cells from left to right and from top to bottom, the last ones not included. */
export interface CellBox {
  readonly left: number
  readonly right: number
  readonly top: number
  readonly bottom: number
}

/** The smallest box round some cells, and so many around it as there are. */
export function boxRound(cells: Int32Array, columns: number, rows: number, margin: number): CellBox {
  const box = { left: columns, right: 0, top: rows, bottom: 0 }
  for (const i of cells) {
    const x = i % columns
    const y = (i - x) / columns
    box.left = Math.min(box.left, x)
    box.right = Math.max(box.right, x + 1)
    box.top = Math.min(box.top, y)
    box.bottom = Math.max(box.bottom, y + 1)
  }
  return { left: Math.max(0, box.left - margin), right: Math.min(columns, box.right + margin), top: Math.max(0, box.top - margin), bottom: Math.min(rows, box.bottom + margin) }
}

/** One for all: what is compiled for one is not compiled again. */
const tracer = contours()

/**
 * The outer contour of a level that goes round a cell, in cells; drawn between cells by linear interpolation.
 *
 * @param valueAt  Of the cell with this index.
 * @param columns  Of all cells.
 * @param seed     Index of a cell above the level.
 * @returns Its corners, the first not repeated; null when the level is not reached round the seed.
 */
export function contourRound(valueAt: (i: number) => number, columns: number, box: CellBox, level: number, seed: number): [number, number][] | null {
  const width = box.right - box.left
  const height = box.bottom - box.top
  const part = new Float64Array(width * height)
  for (let y = 0; y < height; y++) for (let x = 0; x < width; x++) part[y * width + x] = valueAt((y + box.top) * columns + x + box.left)
  const { coordinates } = tracer.size([width, height]).contour(part as unknown as number[], level)
  const [sx, sy] = [(seed % columns) - box.left + 0.5, Math.floor(seed / columns) - box.top + 0.5]
  for (const [ring] of coordinates as [number, number][][][]) {
    if (distanceAt({ type: 'outline', points: ring! }, sx, sy) < 0) return ring!.slice(0, -1).map(([x, y]): [number, number] => [x + box.left, y + box.top])
  }
  return null
}
