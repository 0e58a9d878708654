import { ln } from '../raster/exact-math.js'
import { selectSmallest } from '../raster/statistics.js'
import { between, distanceOf, listAt } from './join-lines.js'
import type { LinePiece } from './lines.js'

/** A line seen among the others of its picture. */
export interface Line extends LinePiece {
  /** Its strength over what the stronger of the lines around it have: a flaw stands out, mortar joints are all alike. */
  readonly standing: number
  /** How many lines around run the same way and are alike in width and tone. */
  readonly family: number
}

/** How far around a line others are compared with it, in pixels. */
const AROUND = 320

/** Each line with how it stands among those around it. */
export function amongOthers(pieces: readonly LinePiece[]): Line[] {
  const cells = new Map<number, number[]>()
  const key = (x: number, y: number) => Math.floor(y / AROUND) * 65536 + Math.floor(x / AROUND)
  const seen = pieces.map((piece, i) => {
    const middle = piece.points[piece.points.length >> 1]!
    const [first, last] = [piece.points[0]!, piece.points.at(-1)!]
    const chord = Math.max(1e-9, distanceOf(first, last))
    let before = -1
    for (const [x, y] of piece.points) {
      const at = key(x, y)
      if (at !== before) listAt(cells, at).push(i)
      before = at
    }
    return { x: middle[0], y: middle[1], dx: (last[0] - first[0]) / chord, dy: (last[1] - first[1]) / chord, strength: Math.abs(piece.difference) * Math.sqrt(piece.length) }
  })
  const strengths = new Float32Array(pieces.length)
  const asked = new Int32Array(pieces.length).fill(-1)
  return pieces.map((piece, i) => {
    const own = seen[i]!
    let count = 0
    let family = 0
    asked[i] = i
    for (let dy = -1; dy <= 1; dy++) {
      for (let dx = -1; dx <= 1; dx++) {
        for (const j of cells.get(key(own.x + dx * AROUND, own.y + dy * AROUND)) ?? []) {
          if (asked[j] === i) continue
          asked[j] = i
          const other = pieces[j]!
          strengths[count++] = seen[j]!.strength
          const alike = other.difference * piece.difference > 0 && between(other.width / piece.width, 1.6) && between(other.difference / piece.difference, 1.8) && other.length > 0.2 * piece.length
          if (alike && Math.abs(own.dx * seen[j]!.dx + own.dy * seen[j]!.dy) > 0.97) family++
        }
      }
    }
    const usual = count < 4 ? 0 : selectSmallest(strengths, count, Math.floor(0.85 * count))
    return { ...piece, standing: own.strength / Math.max(0.02, usual), family }
  })
}

/** What a line is judged by; the first is 1. */
export function lineFeatures(line: Line): number[] {
  const logOf = (value: number, most = Infinity) => ln(Math.max(1e-4, Math.min(most, value)))
  const first = line.points[0]!
  const last = line.points.at(-1)!
  return [
    1,
    logOf(line.weight, 400),
    logOf(line.length, 1500),
    logOf(line.width),
    line.steadiness,
    logOf(line.unevenness, 20),
    logOf(line.echo, 4),
    logOf(line.unrest),
    logOf(line.response),
    logOf(Math.abs(line.difference), 2),
    Math.min(1, distanceOf(first, last) / Math.max(1, line.length)),
    line.difference > 0 ? 1 : 0,
    logOf(line.standing, 200),
    ln(1 + line.family),
    line.softness,
    logOf(line.wiggle, 20),
    line.topped,
    line.likeness,
    line.through,
    ln(1 + Math.min(50, line.change)),
    line.paler,
  ]
}
