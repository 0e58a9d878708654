import { FourierSquare } from '../../kernels/filters/fourier.js'
import { ln } from '../../numbers/exact-math.js'
import { FADE, LONE, RINGS, SCREEN_WINDOW, strongestLone, type LoneWave } from '../../raster/lone-wave.js'
import type { Plane, Region } from '../../raster/raster.js'
import { meanAt, median, valuesAt } from '../../numbers/statistics.js'
import { judgedAreas, outlineOfCells, type AreaCandidate, type AreaFind } from '../areas/area-find.js'
import { wholePlanes } from '../areas/cells.js'
import { moireJudge } from '../judging/judge.js'
import { touching } from '../lines/touching.js'

/**
 * Moire and printed screens: a fine pattern that stands alone in the local spectrum and goes on evenly over an area. What
 * is regular in the scene itself, a railing or a weave, may look the same: of that the restorer decides.
 */

/** The strongest lone wave of each window of a tile, row by row. */
export interface TileScreens {
  /** Column and row of the first window in the picture. */
  readonly column: number
  readonly row: number
  readonly columns: number
  /** Its energy over the median of all waves that are as long; 0 as well where the wave of no window beside it could go on. */
  readonly strength: Float32Array
  /** Waves in a window, across and down; of the two that are one another's mirror image the one with across >= 0. */
  readonly across: Float32Array
  readonly down: Float32Array
  /** Energy of waves twice and three times as fine over its own: things that repeat have edges, beats have none. */
  readonly overtones: Float32Array
}

export type MoireFind = AreaFind<'moire'>

/** Beside one that does, this share of it is enough for the same wave. */
const GOES_ON = 1 / 3
/** Neighbouring windows have the same wave when it differs by no more than this, in waves a window. */
const SAME = 0.9
/** Fewer windows together are chance. */
const LEAST_WINDOWS = 6
/** Confidence from which an area is shown. */
const SHOWN = 0.15
/** What people build stands upright and level; waves that lean by more than this share of their length are none of it. */
const LEANS = 0.15
/** Overtones fainter than this are as good as none. */
const FAINT = 1e-3

/**
 * The strongest lone wave of every window of a tile.
 *
 * @param light         Log light of the tile with its surroundings.
 * @param surroundings  Where this lies in the picture.
 * @param tile          Starts on a window; windows that it does not hold whole are left out.
 */
export function screensOfTile(light: Plane, surroundings: Region, tile: Region): TileScreens {
  const windows = new TileWindows(light, surroundings, tile)
  const { columns, rows } = windows
  // Of windows that touch side by side, as on a chessboard, some are white: where no white one has a wave, a black one belongs to no area.
  const white: number[] = []
  const black: number[] = []
  for (let row = 0, i = 0; row < rows; row++) for (let column = 0; column < columns; column++, i++) ((row + column) % 2 === 0 ? white : black).push(i)
  windows.lookAt(white)
  windows.lookAt(black.filter((i) => windows.mayGoOn(i)))
  const { strength, across, down, overtones } = windows
  return { column: tile.x / SCREEN_WINDOW, row: tile.y / SCREEN_WINDOW, columns, strength, across, down, overtones }
}

/** The windows of a tile, numbered row by row, and the strongest lone wave of those that were looked at. */
class TileWindows {
  readonly columns: number
  readonly rows: number
  readonly strength: Float32Array
  readonly across: Float32Array
  readonly down: Float32Array
  readonly overtones: Float32Array
  private readonly left: number
  private readonly top: number
  private readonly square = new FourierSquare(SCREEN_WINDOW, RINGS)

  constructor(private readonly light: Plane, surroundings: Region, tile: Region) {
    this.columns = Math.floor(tile.width / SCREEN_WINDOW)
    this.rows = Math.floor(tile.height / SCREEN_WINDOW)
    this.left = tile.x - surroundings.x
    this.top = tile.y - surroundings.y
    const count = this.columns * this.rows
    this.strength = new Float32Array(count)
    this.across = new Float32Array(count)
    this.down = new Float32Array(count)
    this.overtones = new Float32Array(count)
  }

  /** Two windows are transformed at once, as the real and the imaginary part of one. */
  lookAt(windows: readonly number[]): void {
    const { square } = this
    for (let n = 0; n < windows.length; n += 2) {
      const [one, other] = [windows[n]!, windows[n + 1]]
      this.fadeIn('real', one)
      if (other === undefined) square.imaginary.fill(0)
      else this.fadeIn('imaginary', other)
      square.transform()
      this.keep(one, strongestLone(square, 'real'))
      if (other !== undefined) this.keep(other, strongestLone(square, 'imaginary'))
    }
  }

  /** Whether a wave may go on in a window beside this one. */
  mayGoOn(i: number): boolean {
    const { columns, rows } = this
    const [column, row] = [i % columns, Math.floor(i / columns)]
    // At the edge of the tile another has the windows beside it.
    const atEdge = column === 0 || row === 0 || column === columns - 1 || row === rows - 1
    return atEdge || this.goesOnAt(i - 1) || this.goesOnAt(i + 1) || this.goesOnAt(i - columns) || this.goesOnAt(i + columns)
  }

  private goesOnAt(i: number): boolean {
    return this.strength[i]! >= GOES_ON * LONE
  }

  private fadeIn(part: 'real' | 'imaginary', i: number): void {
    this.square.fadeIn(part, this.light, this.left + (i % this.columns) * SCREEN_WINDOW, this.top + Math.floor(i / this.columns) * SCREEN_WINDOW, FADE)
  }

  private keep(i: number, lone: LoneWave): void {
    this.strength[i] = lone.strength
    this.across[i] = lone.across
    this.down[i] = lone.down
    this.overtones[i] = lone.overtones
  }
}

/**
 * Areas over which one fine pattern goes on.
 *
 * @param tiles  Windows of all tiles, from `screensOfTile`.
 * @param size   Of the picture, in pixels.
 */
export function findMoire(tiles: readonly TileScreens[], size: { readonly width: number; readonly height: number }): MoireFind[] {
  return judgedAreas('moire', moireCandidates(tiles, size), moireJudge, SHOWN)
}

/**
 * The same however sure, with what they are judged by: how far the waves lean from upright and level, how many windows have
 * them, and their overtones.
 */
export function moireCandidates(tiles: readonly TileScreens[], size: { readonly width: number; readonly height: number }): AreaCandidate[] {
  if (tiles.length === 0) return []
  const columns = Math.floor(size.width / SCREEN_WINDOW)
  const rows = Math.floor(size.height / SCREEN_WINDOW)
  const [strength, across, down, overtones] = wholePlanes(tiles.map((tile) => ({ ...tile, planes: [tile.strength, tile.across, tile.down, tile.overtones] })), columns, rows) as [Float32Array, Float32Array, Float32Array, Float32Array]
  const same = (a: number, b: number): boolean => {
    const apart = (sign: number) => Math.max(Math.abs(across[a]! - sign * across[b]!), Math.abs(down[a]! - sign * down[b]!))
    return apart(1) < SAME || apart(-1) < SAME
  }
  return areasOf(strength, columns, rows, same).map((windows) => {
    const middle = median(valuesAt(strength, windows))
    const lean = median(Float32Array.from(windows, (i) => Math.min(Math.abs(across[i]!), Math.abs(down[i]!)) / Math.sqrt(across[i]! ** 2 + down[i]! ** 2)))
    return {
      shape: outlineOfCells(windows, columns, SCREEN_WINDOW, size), contrast: Math.sqrt(middle), weight: Math.sqrt(middle / LONE) * windows.length,
      features: [1, Math.min(LEANS, lean), ln(windows.length), ln(FAINT + meanAt(overtones, windows))],
    }
  })
}

/** Windows with a lone wave that touch others with the same. */
function areasOf(strength: Float32Array, columns: number, rows: number, same: (a: number, b: number) => boolean): Int32Array[] {
  return touching(columns, rows, (i) => strength[i]! >= LONE, (from, next) => strength[next]! >= GOES_ON * LONE && same(from, next), false).filter(({ length }) => length >= LEAST_WINDOWS)
}
