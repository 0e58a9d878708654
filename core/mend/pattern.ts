import type { Region } from '../raster/raster.js'
import { cos, sin } from '../raster/exact-math.js'

/** One wave of a pattern, its strength and its phase slowly changing from place to place. */
export interface PatternWave {
  /** Radians a pixel, across and down. */
  readonly across: number
  readonly down: number
  /** Complex amplitude of the log of the light at the knots, row by row; the phase is counted from the picture's origin. */
  readonly real: number[]
  readonly imaginary: number[]
}

/** A fine pattern that lies over a picture, moire or a printed screen: enough to take it away again without any fit. */
export interface Pattern {
  /** Of the first knot, in pixels. */
  readonly x: number
  readonly y: number
  /** Between knots, in pixels. */
  readonly spacing: number
  readonly columns: number
  readonly waves: PatternWave[]
  /** Strength in each channel over that of the waves. */
  readonly channels: number[]
}

/** What a pattern takes of the light, -ln of it: negative where it is brighter; nothing beyond a knot's distance from the grid. */
export function patternField({ x: left, y: top, spacing, columns, waves }: Pattern): { region: Region; depth(x: number, y: number): number } {
  const rows = waves.length === 0 ? 0 : Math.floor(waves[0]!.real.length / columns)
  const region = { x: Math.floor(left - spacing), y: Math.floor(top - spacing), width: Math.ceil((columns + 1) * spacing) + 1, height: Math.ceil((rows + 1) * spacing) + 1 }
  const depth = (x: number, y: number): number => {
    const u = (x - left) / spacing
    const v = (y - top) / spacing
    const column = Math.floor(u)
    const row = Math.floor(v)
    if (column < -1 || row < -1 || column >= columns || row >= rows) return 0
    let sum = 0
    for (const { across, down, real, imaginary } of waves) {
      let a = 0
      let b = 0
      for (let k = 0; k < 4; k++) {
        const [c, r] = [column + (k & 1), row + (k >> 1)]
        if (c < 0 || r < 0 || c >= columns || r >= rows) continue
        const share = (k & 1 ? u - column : 1 - u + column) * (k >> 1 ? v - row : 1 - v + row)
        a += share * real[r * columns + c]!
        b += share * imaginary[r * columns + c]!
      }
      if (a === 0 && b === 0) continue
      const phase = across * x + down * y
      sum += a * cos(phase) - b * sin(phase)
    }
    return -sum
  }
  return { region, depth }
}
