import type { Region } from '../../raster/raster.js'
import { cos, sin } from '../../numbers/exact-math.js'

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
    const s = u - column
    const t = v - row
    const first = row * columns + column
    const north = row >= 0 ? 1 - t : 0
    const south = row + 1 < rows ? t : 0
    const west = column >= 0 ? 1 - s : 0
    const east = column + 1 < columns ? s : 0
    let sum = 0
    for (const { across, down, real, imaginary } of waves) {
      const a = between(real, first, columns, west, east, north, south)
      const b = between(imaginary, first, columns, west, east, north, south)
      if (a === 0 && b === 0) continue
      const phase = across * x + down * y
      sum += a * cos(phase) - b * sin(phase)
    }
    return -sum
  }
  return { region, depth }
}

/** A value among four knots, by how much each has to say; those beyond the grid say nothing. */
function between(values: readonly number[], first: number, columns: number, west: number, east: number, north: number, south: number): number {
  let sum = 0
  if (north > 0) sum += north * ((west > 0 ? west * values[first]! : 0) + (east > 0 ? east * values[first + 1]! : 0))
  if (south > 0) sum += south * ((west > 0 ? west * values[first + columns]! : 0) + (east > 0 ? east * values[first + columns + 1]! : 0))
  return sum
}
