import type { SampleTable } from '../../kernels/samples/samples.js'
import type { Region } from '../../raster/raster.js'
import { meanAt } from '../../numbers/statistics.js'
import { judgedAreas, outlineOfCells, type AreaCandidate, type AreaFind } from '../areas/area-find.js'
import { wholePlanes } from '../areas/cells.js'
import { scaled } from './flat.js'
import { smudgeJudge } from '../judging/judge.js'
import { touching } from '../lines/touching.js'
import { shareOfUsual, type Plain } from '../areas/usual-by-tone.js'

/**
 * Smudges: small places that an earlier tool took something out of, and left smoother than noise can be. What is smooth
 * in the scene itself still has the noise of its tone; only what was made over has less.
 */

/** Side of the cells in which fine detail is measured, in pixels: that of the kernel. */
export const FINE_CELL = 4

/** Fine detail of the cells of a tile, row by row. */
export interface FineDetail {
  /** Column and row of the first cell in the picture. */
  readonly column: number
  readonly row: number
  readonly columns: number
  /** Mean size of the second differences of neighbours along a row, in samples. */
  readonly detail: Float32Array
  /** Mean sample over the largest, 0..1. */
  readonly tone: Float32Array
}

export type SmudgeFind = AreaFind<'smudge'>

/**
 * Measure the fine detail of every cell of a tile.
 *
 * @param samples       Of the tile with its surroundings.
 * @param surroundings  Where these lie in the picture.
 * @param tile          Starts on a cell; cells that it does not hold whole are left out.
 */
export function fineDetailOfTile(samples: SampleTable, surroundings: Region, tile: Region): FineDetail {
  const columns = Math.floor(tile.width / FINE_CELL)
  const rows = Math.floor(tile.height / FINE_CELL)
  const sums = samples.detailOfCells({ left: tile.x - surroundings.x, top: tile.y - surroundings.y, columns, rows })
  const count = FINE_CELL * FINE_CELL * samples.channels
  const detail = scaled(sums.detail, count)
  const tone = scaled(sums.tone, count * samples.largest)
  return { column: tile.x / FINE_CELL, row: tile.y / FINE_CELL, columns, detail, tone }
}

/**
 * Of the windows of a tone, a twenty-fifth has less detail than the plain ground of a textured picture; of noise alone
 * it has less than 0.86 of the mean. Less detail than 0.8 of a sample's step is lost in rounding.
 */
const PLAIN: Plain = { share: 0.04, ofUsual: 0.86, least: 600, rounded: 0.8 }
/** Less than this share of the detail of plain ground is too little for noise: 12 x 12 pixels of it vary by a twelfth. */
const SMOOTH = 0.5
const SPREAD = 0.085
/** Lighter ones are not shown: strong compression leaves too many. */
const LEAST_WEIGHT = 8.5
/** A smudge ends where this share is left. */
const ENDS = 0.6
/** What is larger is a flat patch, and found as one; so many cells are six of its blocks. */
const LARGEST = 96
/** Ground around a smudge has at least this share of what is usual: beside it, nothing was made smooth. */
const AROUND = 0.75
/** Nobody takes so much out of a picture, as a share of it. */
const MOST = 0.01
/**
 * Noise is hardly ever below this share of its usual, but for windows that lie half in a smudge. Where more of a picture
 * is than a share of all of it and so many times what is smooth, grain is uneven all over and says nothing: strong
 * compression.
 */
const PARTLY = 0.7
const UNEVEN = 0.0015
const UNEVEN_BESIDE = 2

/**
 * Places smoother than the noise of their tone.
 *
 * @param tiles  Cells of all tiles, from `fineDetailOfTile`.
 * @param size   Of the picture, in pixels.
 */
export function findSmudges(tiles: readonly FineDetail[], size: { readonly width: number; readonly height: number }): SmudgeFind[] {
  if (tiles.length === 0) return []
  const columns = Math.floor(size.width / FINE_CELL)
  const rows = Math.floor(size.height / FINE_CELL)
  const [detail, tone] = wholePlanes(tiles.map((tile) => ({ ...tile, planes: [tile.detail, tile.tone] })), columns, rows).map((plane) => boxMean(plane, columns, rows, 1)) as [Float32Array, Float32Array]
  const share = shareOfUsual(detail, tone, PLAIN)
  // Rough ground, however rough, is no more than that.
  const around = boxMean(share.map((value) => Math.min(2, value)), columns, rows, 5)
  let smooth = 0
  let partly = 0
  for (let i = 0; i < share.length; i++) {
    if (around[i]! < AROUND) continue
    if (share[i]! < SMOOTH) smooth++
    else if (share[i]! < PARTLY) partly++
  }
  if (smooth > MOST * share.length || partly > UNEVEN * share.length + UNEVEN_BESIDE * smooth) return []
  const isPart = (i: number) => share[i]! < ENDS
  const candidates = touching(columns, rows, (i) => share[i]! < SMOOTH && around[i]! >= AROUND, (_from, next) => isPart(next), false)
    .filter((part) => part.length <= LARGEST)
    .map((part) => smudgeOf(part, share, columns, size))
    .filter(({ weight }) => weight >= LEAST_WEIGHT)
  return judgedAreas('smudge', candidates, smudgeJudge, 0)
}

function smudgeOf(part: Int32Array, share: Float32Array, columns: number, size: { readonly width: number; readonly height: number }): AreaCandidate {
  const left = meanAt(share, part)
  // Windows of three by three cells told of their middle: they overlap by eight ninths, and the smudge reaches a cell further.
  const weight = ((1 - left) / SPREAD) * Math.sqrt((part.length + 8) / 9)
  return { shape: outlineOfCells(part, columns, FINE_CELL, size, 1), contrast: left - 1, weight, features: [1, weight] }
}

/** Mean over a box of (2 reach + 1) squared cells, fewer at the edge: sums that what comes in is added to and what falls out is taken from. */
function boxMean(values: Float32Array, columns: number, rows: number, reach: number): Float32Array {
  const across = new Float32Array(values.length)
  for (let row = 0; row < rows; row++) {
    const first = row * columns
    let sum = 0
    for (let x = 0; x < Math.min(columns, reach); x++) sum += values[first + x]!
    for (let x = 0; x < columns; x++) {
      if (x + reach < columns) sum += values[first + x + reach]!
      if (x - reach > 0) sum -= values[first + x - reach - 1]!
      across[first + x] = sum / (Math.min(columns - 1, x + reach) - Math.max(0, x - reach) + 1)
    }
  }
  const result = new Float32Array(values.length)
  const sums = new Float64Array(columns)
  for (let y = 0; y < Math.min(rows, reach); y++) for (let x = 0; x < columns; x++) sums[x]! += across[y * columns + x]!
  for (let y = 0; y < rows; y++) {
    const coming = y + reach < rows ? (y + reach) * columns : -1
    const going = y - reach > 0 ? (y - reach - 1) * columns : -1
    const count = Math.min(rows - 1, y + reach) - Math.max(0, y - reach) + 1
    for (let x = 0; x < columns; x++) {
      if (coming >= 0) sums[x]! += across[coming + x]!
      if (going >= 0) sums[x]! -= across[going + x]!
      result[y * columns + x] = sums[x]! / count
    }
  }
  return result
}
