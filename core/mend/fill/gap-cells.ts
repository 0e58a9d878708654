import { FILL, type FillProblem } from './fill-problem.js'

/** The gaps of a square cell. */
export interface GapCell {
  /** Of the cell's first pixel. */
  readonly left: number
  readonly top: number
  /** Indices of its pixels with role FILL, row by row; at least one. */
  readonly gaps: number[]
}

/** Cells of so many pixels a side that hold any gap, row by row. */
export function gapCells({ width, role }: FillProblem, side: number): GapCell[] {
  const columns = Math.ceil(width / side)
  const cells = new Map<number, GapCell>()
  // Gaps are few: the search of the runtime passes over all else many pixels at a time.
  for (let i = role.indexOf(FILL); i >= 0; i = role[i + 1] === FILL ? i + 1 : role.indexOf(FILL, i + 1)) {
    const x = i % width
    const column = Math.floor(x / side)
    const row = Math.floor((i - x) / width / side)
    const cell = cells.get(row * columns + column)
    if (cell) cell.gaps.push(i)
    else cells.set(row * columns + column, { left: column * side, top: row * side, gaps: [i] })
  }
  return [...cells.values()].sort((a, b) => a.top - b.top || a.left - b.left)
}
