import type { Region } from '../../raster/raster.js'
import type { LinePiece } from './lines.js'

/** Two lines are the same where this share of one lies on the other. */
const SAME = 0.5
/** How far to either side a thin line takes places, in pixels. */
const LEAST_REACH = 1.5

/**
 * Lines without those that run where a heavier one does: pieces of one joint that were each followed on to both of its ends.
 * What is told of the lines around another would otherwise be told of one of them many times.
 *
 * @param within  The region in which they are compared; what lies outside is no copy.
 * @returns Those that are left, in the order given.
 */
export function withoutCopies(lines: readonly LinePiece[], within: Region): LinePiece[] {
  const bright = new TakenPixels(within)
  const dark = new TakenPixels(within)
  const kept = new Set<LinePiece>()
  for (const line of [...lines].sort((a, b) => b.weight - a.weight)) {
    const taken = line.difference > 0 ? bright : dark
    if (taken.shareOf(line.points) > SAME) continue
    taken.take(line.points, Math.max(LEAST_REACH, line.width / 2))
    kept.add(line)
  }
  return lines.filter((line) => kept.has(line))
}

/** Over which pixels lines run. */
class TakenPixels {
  private readonly taken: Uint8Array

  constructor(private readonly within: Region) {
    this.taken = new Uint8Array(within.width * within.height)
  }

  shareOf(points: LinePiece['points']): number {
    const { within, taken } = this
    let on = 0
    for (const [x, y] of points) {
      const [column, row] = [Math.floor(x) - within.x, Math.floor(y) - within.y]
      if (column >= 0 && row >= 0 && column < within.width && row < within.height && taken[row * within.width + column]) on++
    }
    return on / points.length
  }

  /** The pixels whose middles are no further from a line than so much, about. */
  take(points: LinePiece['points'], reach: number): void {
    const { within } = this
    const most = Math.floor(reach)
    // How far a disc of that reach goes to either side in each of its rows.
    const halves = Array.from({ length: 2 * most + 1 }, (_value, k) => Math.floor(Math.sqrt(reach * reach - (k - most) * (k - most))))
    let [lastColumn, lastRow] = [-1, -1]
    for (let k = 0; k < points.length; k++) {
      const [x, y] = points[k]!
      const [nextX, nextY] = points[Math.min(k + 1, points.length - 1)]!
      const steps = Math.max(1, Math.ceil(Math.sqrt((nextX - x) ** 2 + (nextY - y) ** 2)))
      for (let step = 0; step < steps; step++) {
        const column = Math.floor(x + ((nextX - x) * step) / steps) - within.x
        const row = Math.floor(y + ((nextY - y) * step) / steps) - within.y
        if (column === lastColumn && row === lastRow) continue
        ;[lastColumn, lastRow] = [column, row]
        this.takeDisc(column, row, halves)
      }
    }
  }

  private takeDisc(column: number, row: number, halves: readonly number[]): void {
    const { width, height } = this.within
    const most = (halves.length - 1) / 2
    for (let k = 0; k < halves.length; k++) {
      const y = row - most + k
      if (y < 0 || y >= height) continue
      const [from, to] = [Math.max(0, column - halves[k]!), Math.min(width, column + halves[k]! + 1)]
      if (from < to) this.taken.fill(1, y * width + from, y * width + to)
    }
  }
}
