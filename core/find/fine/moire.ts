import { FourierSquare } from '../../kernels/fourier.js'
import { ln } from '../../numbers/exact-math.js'
import type { Plane, Region } from '../../raster/raster.js'
import { meanAt, median, valuesAt } from '../../numbers/statistics.js'
import { judgedAreas, outlineOfCells, type AreaCandidate, type AreaFind } from '../areas/area-find.js'
import { wholePlanes } from '../areas/cells.js'
import { moireJudge } from '../judge.js'
import { touching } from '../lines/touching.js'

/**
 * Moire and printed screens: a fine pattern that stands alone in the local spectrum and goes on evenly over an area. What
 * is regular in the scene itself, a railing or a weave, may look the same: of that the restorer decides.
 */

/** Side of the windows whose spectrum is looked at, in pixels. */
export const SCREEN_WINDOW = 64

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

/** Waves shorter than two pixels cannot be seen; longer ones than this share of a window are content. */
const FEWEST = 5
const MOST = SCREEN_WINDOW / 2 - 1
/** A wave stands alone when it has so many times the energy of others of its length. */
const LONE = 60
/** Beside one that does, this share of it is enough for the same wave. */
const GOES_ON = 1 / 3
/** What stands out less makes no pattern. */
const LEAST_STRENGTH = 15
/** The wave of an edge has others beside it in its direction, shorter and longer ones: so many times their energy is lone. */
const LONE_ALONG = 6
/** How much shorter and longer those are, in waves a window. */
const BESIDE = [-5, -4, -3, 3, 4, 5]
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

/** Fades a window to its edges, so that these are no pattern: a parabola squared, exact on every machine. */
const FADE = Float64Array.from({ length: SCREEN_WINDOW }, (_value, k) => {
  const t = (k + 0.5) / SCREEN_WINDOW
  return (4 * t * (1 - t)) ** 2
})

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

/** Indices of the half spectrum by the number of waves, rounded down. */
const RINGS: readonly Int32Array[] = Array.from({ length: MOST + 1 }, (_value, ring) => {
  const places: number[] = []
  for (let row = 0; row < SCREEN_WINDOW; row++) {
    const v = row < SCREEN_WINDOW / 2 ? row : row - SCREEN_WINDOW
    for (let u = 0; u <= SCREEN_WINDOW / 2; u++) if (Math.floor(Math.sqrt(u * u + v * v)) === ring && (u > 0 || v > 0)) places.push(row * SCREEN_WINDOW + u)
  }
  return Int32Array.from(places)
})

const ringEnergy = new Float32Array(Math.max(...RINGS.map(({ length }) => length)))

/** The strongest lone wave of a window: energy over the median of waves as long; waves a window, across and down; and its overtones' energy over its own. */
export interface LoneWave {
  readonly strength: number
  readonly across: number
  readonly down: number
  readonly overtones: number
}

/**
 * The strongest lone wave of one window.
 *
 * @param light  Log light.
 * @param left   First column of the window; it lies whole within the plane.
 * @param top    Its first row.
 * @returns Strength 0 when none stands out enough to be a pattern anywhere.
 */
export function loneWaveOf(light: Plane, left: number, top: number): LoneWave {
  const square = new FourierSquare(SCREEN_WINDOW, RINGS)
  square.fadeIn('real', light, left, top, FADE)
  square.imaginary.fill(0)
  square.transform()
  return strongestLone(square, 'real')
}

function strongestLone(square: FourierSquare, part: 'real' | 'imaginary'): LoneWave {
  const energy = square.energiesOf(part)
  const standing = square.standOut(LEAST_STRENGTH)
  let strength = 0
  let at = 0
  for (let ring = FEWEST; ring <= MOST; ring++) {
    if (!standing[ring]) continue
    const places = RINGS[ring]!
    for (let n = 0; n < places.length; n++) ringEnergy[n] = energy[places[n]!]!
    const usual = median(ringEnergy, places.length) + 1e-9
    for (let n = 0; n < places.length; n++) {
      const i = places[n]!
      if (energy[i]! <= Math.max(strength, LEAST_STRENGTH) * usual) continue
      const alone = Math.min(energy[i]! / usual, (LONE * energy[i]!) / (LONE_ALONG * alongside(energy, i)))
      if (alone <= strength) continue
      strength = alone
      at = i
    }
  }
  if (strength === 0) return { strength, across: 0, down: 0, overtones: 0 }
  // Its place between the bins: the middle of the amplitudes of it and its neighbours.
  const [column, row] = [at % SCREEN_WINDOW, Math.floor(at / SCREEN_WINDOW)]
  let [sum, across, down] = [0, 0, 0]
  for (let dy = -1; dy <= 1; dy++) {
    for (let dx = -1; dx <= 1; dx++) {
      const amplitude = Math.sqrt(energy[((row + dy) & (SCREEN_WINDOW - 1)) * SCREEN_WINDOW + ((column + dx) & (SCREEN_WINDOW - 1))]!)
      sum += amplitude
      across += amplitude * dx
      down += amplitude * dy
    }
  }
  const wave = { across: column + across / sum, down: (row < SCREEN_WINDOW / 2 ? row : row - SCREEN_WINDOW) + down / sum }
  return { strength, ...wave, overtones: (overtone(energy, wave, 2) + overtone(energy, wave, 3)) / energy[at]! }
}

/** The most energy at so many times a wave and beside it; finer than two pixels it cannot be seen. */
function overtone(energy: Float32Array, { across, down }: { across: number; down: number }, times: number): number {
  const [u, v] = [Math.round(times * across), Math.round(times * down)]
  let most = 0
  for (let dy = -1; dy <= 1; dy++) {
    for (let dx = -1; dx <= 1; dx++) {
      const [x, y] = [u + dx, v + dy]
      if (Math.max(Math.abs(x), Math.abs(y)) >= SCREEN_WINDOW / 2) continue
      // Of a wave and its mirror image the one with across >= 0 is kept.
      const [column, row] = x < 0 ? [-x, -y] : [x, y]
      most = Math.max(most, energy[(row & (SCREEN_WINDOW - 1)) * SCREEN_WINDOW + column]!)
    }
  }
  return most
}

/** The most energy among waves of the same direction that are somewhat shorter or longer. */
function alongside(energy: Float32Array, at: number): number {
  const u = at % SCREEN_WINDOW
  const row = Math.floor(at / SCREEN_WINDOW)
  const v = row < SCREEN_WINDOW / 2 ? row : row - SCREEN_WINDOW
  const waves = Math.sqrt(u * u + v * v)
  let most = 1e-9
  for (const beside of BESIDE) {
    const x = Math.round((u * (waves + beside)) / waves) & (SCREEN_WINDOW - 1)
    const y = Math.round((v * (waves + beside)) / waves) & (SCREEN_WINDOW - 1)
    most = Math.max(most, energy[y * SCREEN_WINDOW + x]!)
  }
  return most
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
