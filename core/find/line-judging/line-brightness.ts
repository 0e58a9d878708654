import { ln } from '../../numbers/exact-math.js'
import { coverOf, type Line } from '../lines/line-features.js'
import type { LinesAround, Neighbourhood } from './lines-around.js'

/** Shorter ones than so many pixels say nothing of how bright lines are around. */
const LEAST_LENGTH = 12
/** What is told of those around is what this share of all their length exceeds. */
const BRIGHTEST = 0.1
/** A share that is as good as none, and a difference that is as good as any. */
const FAINT = 0.003
const MOST = 2

const bounded = (value: number) => Math.max(-MOST, Math.min(MOST, value))

/** One of two ways to say how bright a line is. */
type Brightness = (line: Line) => number

/** Light of its middle, as a logarithm, and how much of the way to white it goes. */
const BRIGHTNESSES: readonly Brightness[] = [({ ground, difference }) => ground + difference, coverOf]

/** Lines of a neighbourhood, the brightest first. */
interface Brightest {
  readonly lines: readonly number[]
  readonly length: number
}

/**
 * How bright a pale line is among those around, however short it is: joints of a wall are all about as bright, and a scratch is
 * brighter than any.
 */
export class BrightLines {
  private readonly known = BRIGHTNESSES.map(() => new Map<Neighbourhood, Brightest>())
  private readonly values: readonly Float64Array[]

  constructor(private readonly lines: readonly Line[], private readonly around: LinesAround) {
    this.values = BRIGHTNESSES.map((brightness) => Float64Array.from(lines, (line) => (line.difference > 0 ? brightness(line) : 0)))
  }

  private brightest(way: number, here: Neighbourhood): Brightest {
    let found = this.known[way]!.get(here)
    if (!found) {
      const { lines } = this
      const values = this.values[way]!
      const pale = Array.from(here.lines).filter((i) => lines[i]!.difference > 0 && lines[i]!.length >= LEAST_LENGTH).sort((a, b) => values[b]! - values[a]! || a - b)
      found = { lines: pale, length: pale.reduce((sum, i) => sum + lines[i]!.length, 0) }
      this.known[way]!.set(here, found)
    }
    return found
  }

  /**
   * Of each way to say how bright it is: by how much a pale line is brighter than the brightest around, and the logarithm of the
   * share of those around, by length, that are as bright.
   */
  of(i: number): number[] {
    return BRIGHTNESSES.flatMap((_brightness, way) => this.among(i, way))
  }

  private among(i: number, way: number): [number, number] {
    const { lines, length } = this.brightest(way, this.around.of(i))
    const values = this.values[way]!
    const others = length - (this.lines[i]!.length >= LEAST_LENGTH ? this.lines[i]!.length : 0)
    if (others <= 0) return [MOST, ln(FAINT)]
    let passed = 0
    let asBright = 0
    let usual = NaN
    for (const j of lines) {
      if (j === i) continue
      passed += this.lines[j]!.length
      if (values[j]! >= values[i]!) asBright = passed
      if (passed > BRIGHTEST * others && Number.isNaN(usual)) usual = values[j]!
      if (values[j]! < values[i]! && !Number.isNaN(usual)) break
    }
    return [bounded(values[i]! - usual), ln(FAINT + asBright / others)]
  }
}
