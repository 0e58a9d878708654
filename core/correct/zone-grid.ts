import type { Region, FloatRaster } from '../raster/raster.js'
import { median } from '../numbers/statistics.js'
import { roundTo } from '../round.js'
import { isOn } from '../operations/zone-means.js'
import type { ZoneView } from '../operations/zone-view.js'

/** Values that change slowly over a zone, at the knots of a grid. */
export interface ZoneGrid {
  /** Of the first knot, in pixels of the picture. */
  readonly x: number
  readonly y: number
  /** Between knots, in pixels of the picture. */
  readonly spacing: number
  readonly columns: number
  readonly rows: number
}

/** Most knots of a grid: a treatment stays readable. */
const MOST_KNOTS = 4000
/** A cell counts for a side when so many of its pixels lie there. */
const LEAST_PIXELS = 6

/** A grid over a view, its knots in the middle of its cells. @param spacingPx  In pixels of the picture; widened where there would be too many knots. */
export function gridOver({ region, level }: ZoneView, spacingPx: number): ZoneGrid {
  const step = 2 ** level
  const [width, height] = [region.width * step, region.height * step]
  const spacing = roundTo(Math.max(spacingPx, 2 * step, Math.sqrt((width * height) / MOST_KNOTS)), 3)
  return { x: region.x * step + spacing / 2, y: region.y * step + spacing / 2, spacing, columns: Math.max(1, Math.ceil(width / spacing)), rows: Math.max(1, Math.ceil(height / spacing)) }
}

/** Pixels of the view in each cell of a grid that lie on one side of the zone's edge. */
export function cellsOf(view: ZoneView, grid: ZoneGrid, side: 'inside' | 'outside'): Int32Array[] {
  const cells: number[][] = Array.from({ length: grid.columns * grid.rows }, () => [])
  const step = 2 ** view.level
  const { width, height } = view.region
  for (let y = 0, i = 0; y < height; y++) {
    const row = Math.min(grid.rows - 1, Math.floor((y * step) / grid.spacing))
    for (let x = 0; x < width; x++, i++) {
      if (isOn(side, view.cover[i]!)) cells[row * grid.columns + Math.min(grid.columns - 1, Math.floor((x * step) / grid.spacing))]!.push(i)
    }
  }
  return cells.map((pixels) => (pixels.length >= LEAST_PIXELS ? Int32Array.from(pixels) : new Int32Array()))
}

/** Median of a channel in each cell; NaN where a cell has no pixels. @param value  Of a sample. */
export function cellMedians({ channels, data }: FloatRaster, cells: readonly Int32Array[], c: number, value: (sample: number) => number = (sample) => sample): Float64Array {
  return Float64Array.from(cells, (pixels) => (pixels.length === 0 ? NaN : median(Float32Array.from(pixels, (i) => value(data[i * channels + c]!)))))
}

const ROUNDS = 400
/** Factor of successive over-relaxation, for grids of some sixty cells a side. */
const OVER = 1.9

/**
 * The smoothest values where there are none: Laplace's equation between the known ones, by successive over-relaxation.
 *
 * @param values  NaN where unknown; at least one is known, or all become 0.
 */
export function fillSmoothly(values: Float64Array, { columns, rows }: Pick<ZoneGrid, 'columns' | 'rows'>): Float64Array {
  const known = values.filter((value) => !Number.isNaN(value))
  const mean = known.length === 0 ? 0 : known.reduce((sum, value) => sum + value, 0) / known.length
  const filled = values.map((value) => (Number.isNaN(value) ? mean : value))
  if (known.length === 0 || known.length === values.length) return filled
  for (let round = 0; round < ROUNDS; round++) {
    for (let y = 0, i = 0; y < rows; y++) {
      for (let x = 0; x < columns; x++, i++) {
        if (!Number.isNaN(values[i]!)) continue
        let [sum, count] = [0, 0]
        if (x > 0) { sum += filled[i - 1]!; count++ }
        if (x + 1 < columns) { sum += filled[i + 1]!; count++ }
        if (y > 0) { sum += filled[i - columns]!; count++ }
        if (y + 1 < rows) { sum += filled[i + columns]!; count++ }
        if (count > 0) filled[i]! += OVER * (sum / count - filled[i]!)
      }
    }
  }
  return filled
}

/** Values at the knots, each the mean of itself and its neighbours: takes the chance out of single cells. */
export function smoothedOnce(values: Float64Array, { columns, rows }: Pick<ZoneGrid, 'columns' | 'rows'>): Float64Array {
  return values.map((value, i) => {
    const [x, y] = [i % columns, Math.floor(i / columns)]
    let [sum, weight] = [4 * value, 4]
    for (const [dx, dy] of [[-1, 0], [1, 0], [0, -1], [0, 1]] as const) {
      if (x + dx < 0 || y + dy < 0 || x + dx >= columns || y + dy >= rows) continue
      sum += 2 * values[i + dy * columns + dx]!
      weight += 2
    }
    return sum / weight
  })
}

/** As stored in a treatment. */
export const storedValues = (values: Float64Array): number[] => Array.from(values, (value) => roundTo(value, 5))

/** Values of a grid at the pixels of a region of a level, straight lines between knots, the nearest knot beyond them. */
export function gridField(grid: ZoneGrid, values: readonly number[], region: Region, level: number): Float32Array {
  const result = new Float32Array(region.width * region.height)
  const step = 2 ** level
  const place = (at: number, first: number, count: number): [number, number] => {
    const u = Math.max(0, Math.min(count - 1, (at - first) / grid.spacing))
    const whole = Math.min(Math.max(0, count - 2), Math.floor(u))
    return [whole, count > 1 ? u - whole : 0]
  }
  const across = Array.from({ length: region.width }, (_, x) => place((region.x + x + 0.5) * step, grid.x, grid.columns))
  const right = grid.columns > 1 ? 1 : 0
  for (let y = 0, i = 0; y < region.height; y++) {
    const [row, t] = place((region.y + y + 0.5) * step, grid.y, grid.rows)
    const upper = row * grid.columns
    const lower = grid.rows > 1 ? upper + grid.columns : upper
    for (let x = 0; x < region.width; x++, i++) {
      const [column, s] = across[x]!
      const above = values[upper + column]! * (1 - s) + values[upper + column + right]! * s
      const beneath = values[lower + column]! * (1 - s) + values[lower + column + right]! * s
      result[i] = above * (1 - t) + beneath * t
    }
  }
  return result
}
