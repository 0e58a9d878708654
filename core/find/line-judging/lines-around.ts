import { between, distanceOf, listAt } from '../lines/join-lines.js'
import type { LinePiece } from '../lines/lines.js'

/** How far around a line others are compared with it, in pixels: in its square and those beside it. */
const AROUND = 320
/** More squares than there are in a row. */
const SQUARES = 65536
const squareOf = ([x, y]: readonly [number, number]) => Math.floor(y / AROUND) * SQUARES + Math.floor(x / AROUND)

/** What the lines around a square have in common. */
export interface Neighbourhood {
  /** Which lines lie around. */
  readonly lines: Int32Array
  /** Their strengths, weakest first. */
  readonly strengths: Float32Array
}

/** How alike two lines are that have one look: most of the ratios, least cosine of the angle, least length over a line's own. */
export interface Alike {
  readonly width: number
  readonly difference: number
  readonly facing: number
  readonly length: number
}

/** Lines of a picture by where they lie. What each is compared by stands in lists, which are read faster than the lines, since all around are asked. */
export class LinesAround {
  readonly length: Float64Array
  readonly width: Float64Array
  readonly difference: Float64Array
  readonly wiggle: Float64Array
  readonly softness: Float64Array
  /** Difference by the root of the length: how much a line stands out where noise is the same everywhere. */
  readonly strength: Float32Array
  private readonly alongX: Float64Array
  private readonly alongY: Float64Array
  /** The square that a line was last noted for: long ones lie in many. */
  private readonly noted: Float64Array
  private readonly squares = new Map<number, number[]>()
  private readonly known = new Map<number, Neighbourhood>()

  constructor(private readonly lines: readonly LinePiece[]) {
    const each = (value: (line: LinePiece) => number) => Float64Array.from(lines, value)
    this.length = each(({ length }) => length)
    this.width = each(({ width }) => width)
    this.difference = each(({ difference }) => difference)
    this.wiggle = each(({ wiggle }) => wiggle)
    this.softness = each(({ softness }) => softness)
    this.strength = Float32Array.from(lines, ({ difference, length }) => Math.abs(difference) * Math.sqrt(length))
    const chords = each(({ points }) => Math.max(1e-9, distanceOf(points[0]!, points.at(-1)!)))
    this.alongX = Float64Array.from(lines, ({ points }, i) => (points.at(-1)![0] - points[0]![0]) / chords[i]!)
    this.alongY = Float64Array.from(lines, ({ points }, i) => (points.at(-1)![1] - points[0]![1]) / chords[i]!)
    this.noted = new Float64Array(lines.length).fill(-1)
    lines.forEach(({ points }, i) => {
      let before = -1
      for (const point of points) {
        const square = squareOf(point)
        if (square !== before) listAt(this.squares, square).push(i)
        before = square
      }
    })
  }

  /** What lies around the middle of a line, itself among it: the same for all with their middles in one square. */
  of(i: number): Neighbourhood {
    const { points } = this.lines[i]!
    const square = squareOf(points[points.length >> 1]!)
    let here = this.known.get(square)
    if (!here) {
      const lines = Int32Array.from(this.inAndBeside(square))
      here = { lines, strengths: Float32Array.from(lines, (j) => this.strength[j]!).sort() }
      this.known.set(square, here)
    }
    return here
  }

  private inAndBeside(square: number): number[] {
    const found: number[] = []
    for (let dy = -1; dy <= 1; dy++) {
      for (let dx = -1; dx <= 1; dx++) {
        for (const i of this.squares.get(square + dy * SQUARES + dx) ?? []) {
          if (this.noted[i] === square) continue
          this.noted[i] = square
          found.push(i)
        }
      }
    }
    return found
  }

  /** Whether another line has a line's tone and look, and runs as it does, whichever way each is told. */
  isAlike(i: number, j: number, { width, difference, facing, length }: Alike): boolean {
    return this.difference[j]! * this.difference[i]! > 0
      && between(this.width[j]! / this.width[i]!, width)
      && between(this.difference[j]! / this.difference[i]!, difference)
      && this.length[j]! > length * this.length[i]!
      && Math.abs(this.alongX[i]! * this.alongX[j]! + this.alongY[i]! * this.alongY[j]!) > facing
  }
}
