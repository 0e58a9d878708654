import type { SampleTable } from '../../kernels/samples/samples.js'
import type { Region } from '../../raster/raster.js'
import { DEVIATION_PER_MAD, meanAt } from '../../numbers/statistics.js'
import { judgedAreas, outlineOfCells, type AreaCandidate, type AreaFind } from '../areas/area-find.js'
import { wholePlanes } from '../areas/cells.js'
import { FLAT, flatEvidence } from './flat-evidence.js'
import { flatJudge } from '../judging/judge.js'
import { touching } from '../lines/touching.js'
import { shareOf, usualAt, type Plain } from '../areas/usual-by-tone.js'

/** Flat patches: places that an earlier tool or a strong compression left without the grain of their surroundings. */

/** Side of the blocks in which grain is measured, in pixels. */
export const GRAIN_BLOCK = 16

/** Grain of the blocks of a tile, row by row. */
export interface BlockGrain {
  /** Column and row of the first block in the picture. */
  readonly column: number
  readonly row: number
  readonly columns: number
  /** Deviation of what is finer than two pixels in one channel, in samples, as it is where channels scatter each by itself. */
  readonly deviation: Float32Array
  /** Mean sample over the largest, 0..1. */
  readonly tone: Float32Array
}

/** Whole numbers, each over the same. */
export function scaled(values: Int32Array, over: number): Float32Array {
  const result = new Float32Array(values.length)
  for (let i = 0; i < values.length; i++) result[i] = values[i]! / over
  return result
}

/**
 * Measure the grain of every block of a tile: the second difference of neighbours, which no slope and no edge of more
 * than a few pixels' width touches, robustly over the block.
 *
 * @param samples       Of the tile with its surroundings.
 * @param surroundings  Where these lie in the picture.
 */
export function grainBlocks(samples: SampleTable, surroundings: Region, tile: Region): BlockGrain {
  const columns = Math.floor(tile.width / GRAIN_BLOCK)
  const rows = Math.floor(tile.height / GRAIN_BLOCK)
  const { middle, total } = samples.grainOfBlocks({ left: tile.x - surroundings.x, top: tile.y - surroundings.y, columns, rows }, GRAIN_BLOCK)
  // The second difference of independent samples has the root of six of their deviation; the sum of channels that scatter each by
  // itself has the root of their number.
  const deviation = scaled(middle, Math.sqrt(6 * samples.channels) / DEVIATION_PER_MAD)
  const tone = scaled(total, GRAIN_BLOCK * GRAIN_BLOCK * samples.channels * samples.largest)
  return { column: Math.floor(tile.x / GRAIN_BLOCK), row: Math.floor(tile.y / GRAIN_BLOCK), columns, deviation, tone }
}

export type FlatFind = AreaFind<'flat'>

/** Of the blocks of a tone, those with less grain than three in ten are taken for plain ground; below 0.7 of a sample's step grain is lost. */
const PLAIN: Plain = { share: 0.3, ofUsual: 1, least: 40, rounded: 0.7 }
/** Fewer blocks together are chance. */
const LEAST_PATCH = 6
/** Confidence from which a patch is shown. */
const SHOWN = 0.6

/**
 * Patches with less than half of the grain that their tone has elsewhere in the picture.
 *
 * @param tiles  Blocks of all tiles, from `grainBlocks`.
 * @param size   Of the picture, in pixels.
 */
export function flatPatches(tiles: readonly BlockGrain[], size: { readonly width: number; readonly height: number }): FlatFind[] {
  return judgedAreas('flat', flatCandidates(tiles, size), flatJudge, SHOWN)
}

/** The same however sure, with what they are judged by. */
export function flatCandidates(tiles: readonly BlockGrain[], size: { readonly width: number; readonly height: number }): AreaCandidate[] {
  if (tiles.length === 0) return []
  const columns = Math.ceil(size.width / GRAIN_BLOCK)
  const rows = Math.ceil(size.height / GRAIN_BLOCK)
  const [deviation, tone] = wholePlanes(tiles.map((tile) => ({ ...tile, planes: [tile.deviation, tile.tone] })), columns, rows) as [Float32Array, Float32Array]
  const usual = usualAt(deviation, tone, PLAIN)
  const share = shareOf(deviation, usual)
  const patches = patchesOf(share, columns, rows)
  const evidence = flatEvidence(patches, { columns, rows, deviation, tone, usual, share })
  return patches.map((blocks, k) => {
    const left = meanAt(share, blocks)
    return {
      // How many deviations of a block's estimate (about a tenth of it) the patch lies below what is usual, over all blocks.
      contrast: left - 1, weight: ((1 - left) / 0.1) * Math.sqrt(blocks.length), features: evidence[k]!,
      shape: outlineOfCells(blocks, columns, GRAIN_BLOCK, size),
    }
  })
}

/** Blocks that are flat and touch, most of whose neighbours are flat too: a thin row of them is an edge. */
function patchesOf(share: Float32Array, columns: number, rows: number): Int32Array[] {
  const flat = (column: number, row: number) => column >= 0 && row >= 0 && column < columns && row < rows && share[row * columns + column]! < FLAT
  const solid = new Uint8Array(share.length)
  for (let row = 0; row < rows; row++) {
    for (let column = 0; column < columns; column++) {
      if (!flat(column, row)) continue
      let around = 0
      for (let dy = -1; dy <= 1; dy++) for (let dx = -1; dx <= 1; dx++) if (flat(column + dx, row + dy)) around++
      if (around >= 4) solid[row * columns + column] = 1
    }
  }
  return touching(columns, rows, (i) => solid[i] === 1, (_from, next) => solid[next] === 1, false).filter(({ length }) => length >= LEAST_PATCH)
}
