import { distanceOf } from './join-lines.js'
import type { LinePiece } from './lines.js'

/** Half pixels to either side of the middle of a made-up line. */
const REACH = 20

/**
 * For tests: a piece of a line as a strong scratch shows itself, unless other things are said of it.
 *
 * @param said  Where it runs, and what else is to be so.
 */
export function madeUpLine(said: Partial<LinePiece> & Pick<LinePiece, 'points'>): LinePiece {
  const { width = 3 } = said
  const length = said.points.reduce((sum, [x, y], k) => (k === 0 ? 0 : sum + distanceOf([x, y], said.points[k - 1]!)), 0)
  // Two thirds of its height are left where it is half as wide as it is told, a fifth at its edges.
  const profile = Float32Array.from({ length: 2 * REACH + 1 }, (_value, k) => Math.max(0, Math.min(1, 1.15 - (0.95 * Math.abs(k - REACH)) / width)))
  return {
    width, length, profile, difference: 0.5, ground: -1.2, contrast: 12, weight: 90, steadiness: 1, unevenness: 0.1, echo: 0.05, response: 8, unrest: 1.2,
    softness: 0.35, wiggle: 0.1, topped: 0, likeness: 0.6, through: 0.7, change: 0, paler: 0, ...said,
  }
}
