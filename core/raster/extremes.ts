import type { Plane } from './raster.js'

/** Least or greatest value of a neighbourhood. */
export type Extreme = 'least' | 'greatest'

/**
 * Running minimum or maximum over a square, in constant time a pixel.
 *
 * @param plane   Any values; beyond the edge there is nothing.
 * @param radius  Half side of the square in whole pixels, 0 or more: the square is 2 radius + 1 wide.
 * @returns A new plane of the same size.
 *
 * van Herk 1992; Gil and Werman 1993: a row is cut into runs as long as the window, the extreme of any window is that of
 * the end of one run and the beginning of the next.
 */
export function squareExtreme({ width, height, data }: Plane, radius: number, which: Extreme): Plane {
  if (radius === 0) return { width, height, data: data.slice() }
  const across = new Float32Array(data.length)
  const line = new ExtremeLine(Math.max(width, height), radius, which)
  for (let y = 0; y < height; y++) line.run(data, y * width, 1, width, across)
  const result = new Float32Array(data.length)
  // Columns are taken in groups, so that a line of memory is read once for all of them.
  for (let x = 0; x < width; x++) line.run(across, x, width, height, result)
  return { width, height, data: result }
}

/**
 * Minimum or maximum over a disc, chord by chord: time grows with the radius.
 *
 * @param radius  In pixels, may be a fraction.
 */
export function discExtreme(plane: Plane, radius: number, which: Extreme): Plane {
  const { width, height } = plane
  const whole = Math.floor(radius)
  const result = new Float32Array(plane.data.length).fill(which === 'least' ? Infinity : -Infinity)
  const row = new Float32Array(plane.data.length)
  let known = -1
  for (let dy = whole; dy >= 0; dy--) {
    const chord = Math.floor(Math.sqrt(Math.max(0, radius * radius - dy * dy)))
    if (chord !== known) {
      const line = new ExtremeLine(width, chord, which)
      for (let y = 0; y < height; y++) line.run(plane.data, y * width, 1, width, row)
      known = chord
    }
    for (const shift of dy === 0 ? [0] : [-dy, dy]) {
      for (let y = Math.max(0, -shift); y < Math.min(height, height - shift); y++) {
        const [into, from] = [y * width, (y + shift) * width]
        for (let x = 0; x < width; x++) {
          const value = row[from + x]!
          if (which === 'least' ? value < result[into + x]! : value > result[into + x]!) result[into + x] = value
        }
      }
    }
  }
  return { width, height, data: result }
}

/** The running extreme of one line, with its working memory. */
class ExtremeLine {
  private readonly ahead: Float32Array
  private readonly behind: Float32Array
  private readonly padded: Float32Array
  private readonly window: number

  constructor(length: number, private readonly radius: number, private readonly which: Extreme) {
    this.window = 2 * radius + 1
    const runs = Math.ceil((length + 2 * radius) / this.window) * this.window
    this.padded = new Float32Array(runs)
    this.ahead = new Float32Array(runs)
    this.behind = new Float32Array(runs)
  }

  run(from: Float32Array, start: number, step: number, length: number, into: Float32Array): void {
    const { radius, window, padded, ahead, behind } = this
    const isLeast = this.which === 'least'
    const runs = Math.ceil((length + 2 * radius) / window) * window
    padded.fill(isLeast ? Infinity : -Infinity, 0, runs)
    for (let i = 0, at = start; i < length; i++, at += step) padded[i + radius] = from[at]!
    for (let first = 0; first < runs; first += window) {
      const last = first + window - 1
      let extreme = (ahead[first] = padded[first]!)
      for (let i = first + 1; i <= last; i++) {
        const value = padded[i]!
        if (isLeast ? value < extreme : value > extreme) extreme = value
        ahead[i] = extreme
      }
      extreme = behind[last] = padded[last]!
      for (let i = last - 1; i >= first; i--) {
        const value = padded[i]!
        if (isLeast ? value < extreme : value > extreme) extreme = value
        behind[i] = extreme
      }
    }
    for (let i = 0, at = start; i < length; i++, at += step) {
      const [a, b] = [behind[i]!, ahead[i + window - 1]!]
      into[at] = isLeast ? (a < b ? a : b) : a > b ? a : b
    }
  }
}
