import type { Region } from '../../raster/raster.js'

/** What a stain takes of the light: its depth at knots of a grid, enough to render the lift again without any fit. */
export interface Tint {
  /** Of the first knot, in pixels. */
  readonly x: number
  readonly y: number
  /** Between knots, in pixels. */
  readonly spacing: number
  readonly columns: number
  /** Depth as -ln of the transmission at each knot, row by row; beyond the grid it is 0. */
  readonly depth: number[]
  /** Depth of each channel over that of the knots. */
  readonly channels: number[]
}

/** Depth between the knots by linear interpolation, and the rectangle outside of which it is 0. */
export function tintField({ x: left, y: top, spacing, columns, depth }: Tint): { region: Region; depth(x: number, y: number): number } {
  const rows = Math.floor(depth.length / columns)
  const at = (column: number, row: number) => (column < 0 || row < 0 || column >= columns || row >= rows ? 0 : depth[row * columns + column]!)
  const region = { x: Math.floor(left - spacing), y: Math.floor(top - spacing), width: Math.ceil((columns + 1) * spacing) + 1, height: Math.ceil((rows + 1) * spacing) + 1 }
  return {
    region,
    depth: (x, y) => {
      const u = (x - left) / spacing
      const v = (y - top) / spacing
      const column = Math.floor(u)
      const row = Math.floor(v)
      const s = u - column
      const t = v - row
      return (at(column, row) * (1 - s) + at(column + 1, row) * s) * (1 - t) + (at(column, row + 1) * (1 - s) + at(column + 1, row + 1) * s) * t
    },
  }
}
