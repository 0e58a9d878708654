import { cos, PI, sin } from '../numbers/exact-math.js'

/** Fewer lines say nothing. */
const LEAST_LINES = 3

/**
 * Periodograms of short level lines of pixels, overlapping by half, sloping ground taken off, averaged (Welch 1967).
 *
 * @param length    Pixels of a line, even.
 * @param isWanted  Whether a pixel may be in a line, by its index.
 * @returns Power at 1, 2 ... length / 2 cycles a line; null where there are fewer than 3 lines.
 */
export function lineSpectrum(tone: Float32Array, width: number, height: number, length: number, isWanted: (index: number) => boolean): number[] | null {
  const sums = new Array<number>(length / 2).fill(0)
  let lines = 0
  for (let y = 0; y < height; y++) {
    for (let x = 0; x + length <= width; x += length / 2) {
      const start = y * width + x
      let all = true
      for (let k = 0; k < length && all; k++) all = isWanted(start + k)
      if (!all) continue
      lines++
      const line = flattened(tone.subarray(start, start + length))
      for (let f = 1; f <= length / 2; f++) {
        let re = 0
        let im = 0
        for (let k = 0; k < length; k++) {
          re += line[k]! * cos((2 * PI * f * k) / length)
          im += line[k]! * sin((2 * PI * f * k) / length)
        }
        sums[f - 1]! += re * re + im * im
      }
    }
  }
  return lines < LEAST_LINES ? null : sums.map((sum) => sum / lines)
}

function flattened(line: Float32Array): number[] {
  const n = line.length
  const mean = line.reduce((sum, value) => sum + value, 0) / n
  let slope = 0
  let norm = 0
  line.forEach((value, k) => {
    slope += (k - (n - 1) / 2) * value
    norm += (k - (n - 1) / 2) * (k - (n - 1) / 2)
  })
  return Array.from(line, (value, k) => value - mean - (slope / norm) * (k - (n - 1) / 2))
}
