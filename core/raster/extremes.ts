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
  // Columns lie far apart in memory: turned over, they are rows.
  const turned = transposed(across, width, height)
  for (let x = 0; x < width; x++) line.run(turned, x * height, 1, height, across)
  return { width, height, data: transposed(across, height, width) }
}

/** Side of the squares that are turned over at once: they fit the cache. */
const TURNED = 32

/** Rows as columns. */
function transposed(data: Float32Array, width: number, height: number): Float32Array {
  const result = new Float32Array(data.length)
  for (let top = 0; top < height; top += TURNED) {
    const bottom = Math.min(height, top + TURNED)
    for (let left = 0; left < width; left += TURNED) {
      const right = Math.min(width, left + TURNED)
      for (let y = top; y < bottom; y++) for (let x = left; x < right; x++) result[x * height + y] = data[y * width + x]!
    }
  }
  return result
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
      if (isLeast) leastOfRun(padded, first, first + window - 1, ahead, behind)
      else greatestOfRun(padded, first, first + window - 1, ahead, behind)
    }
    for (let i = 0, at = start; i < length; i++, at += step) {
      const a = behind[i]!
      const b = ahead[i + window - 1]!
      into[at] = isLeast ? (a < b ? a : b) : a > b ? a : b
    }
  }
}

/** Least value of a run up to each place, and from each place on. */
function leastOfRun(values: Float32Array, first: number, last: number, ahead: Float32Array, behind: Float32Array): void {
  let least = values[first]!
  for (let i = first; i <= last; i++) {
    const value = values[i]!
    if (value < least) least = value
    ahead[i] = least
  }
  least = values[last]!
  for (let i = last; i >= first; i--) {
    const value = values[i]!
    if (value < least) least = value
    behind[i] = least
  }
}

/** Greatest value of a run up to each place, and from each place on. */
function greatestOfRun(values: Float32Array, first: number, last: number, ahead: Float32Array, behind: Float32Array): void {
  let greatest = values[first]!
  for (let i = first; i <= last; i++) {
    const value = values[i]!
    if (value > greatest) greatest = value
    ahead[i] = greatest
  }
  greatest = values[last]!
  for (let i = last; i >= first; i--) {
    const value = values[i]!
    if (value > greatest) greatest = value
    behind[i] = greatest
  }
}
