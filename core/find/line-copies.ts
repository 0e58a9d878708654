import type { Region } from '../raster/raster.js'
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
  const taken = new TakenPixels(within)
  const kept = new Set<LinePiece>()
  for (const line of [...lines].sort((a, b) => b.weight - a.weight)) {
    const tone = line.difference > 0 ? BRIGHT : DARK
    if (taken.shareOf(line.points, tone) > SAME) continue
    taken.take(line.points, Math.max(LEAST_REACH, line.width / 2), tone)
    kept.add(line)
  }
  return lines.filter((line) => kept.has(line))
}

/** Bits of the tones of lines that run over a pixel. */
const BRIGHT = 1
const DARK = 2

/** Over which pixels lines run. */
class TakenPixels {
  private readonly tones: Uint8Array

  constructor(private readonly within: Region) {
    this.tones = new Uint8Array(within.width * within.height)
  }

  private indexOf(x: number, y: number): number {
    const { within } = this
    const [column, row] = [Math.floor(x) - within.x, Math.floor(y) - within.y]
    return column >= 0 && row >= 0 && column < within.width && row < within.height ? row * within.width + column : -1
  }

  shareOf(points: LinePiece['points'], tone: number): number {
    let on = 0
    for (const [x, y] of points) if ((this.tones[this.indexOf(x, y)] ?? 0) & tone) on++
    return on / points.length
  }

  /** The pixels whose middles are no further from a line than so much, about. */
  take(points: LinePiece['points'], reach: number, tone: number): void {
    const most = Math.ceil(reach)
    for (let k = 0; k < points.length; k++) {
      const [x, y] = points[k]!
      const [nextX, nextY] = points[Math.min(k + 1, points.length - 1)]!
      const steps = Math.max(1, Math.ceil(Math.sqrt((nextX - x) ** 2 + (nextY - y) ** 2)))
      for (let step = 0; step < steps; step++) {
        for (let dy = -most; dy <= most; dy++) {
          for (let dx = -most; dx <= most; dx++) {
            if (dx * dx + dy * dy > reach * reach) continue
            const index = this.indexOf(x + ((nextX - x) * step) / steps + dx, y + ((nextY - y) * step) / steps + dy)
            if (index >= 0) this.tones[index]! |= tone
          }
        }
      }
    }
  }
}
