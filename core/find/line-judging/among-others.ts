import type { Line } from '../lines/line-features.js'
import type { Alike, LinesAround } from './lines-around.js'
import type { LinePiece } from '../lines/lines.js'

/** Of the lines around, the share that is weaker than what a line is held against; fewer than so many say nothing. */
const STRONGER = 0.85
const FEW = 4
/** Less than this nobody sees: what stands among nothing else is held against it. */
const FAINT = 0.02
/** Lines of one family: they run within 14 degrees of each other. */
const FAMILY: Alike = { width: 1.6, difference: 1.8, facing: 0.97, length: 0.2 }

/** Each line with how it stands among those around it. */
export function amongOthers(pieces: readonly LinePiece[], around: LinesAround): Line[] {
  const { strength } = around
  return pieces.map((piece, i) => {
    const { lines, strengths } = around.of(i)
    let family = 0
    for (let k = 0; k < lines.length; k++) {
      if (lines[k] !== i && around.isAlike(i, lines[k]!, FAMILY)) family++
    }
    const others = lines.length - 1
    const rank = Math.floor(STRONGER * others)
    // Itself it is not held against.
    const usual = others < FEW ? 0 : strengths[strengths[rank]! < strength[i]! ? rank : rank + 1]!
    return { ...piece, standing: strength[i]! / Math.max(FAINT, usual), family }
  })
}
