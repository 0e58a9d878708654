import { FourierSquare } from '../kernels/filters/fourier.js'
import { median } from '../numbers/statistics.js'
import type { Plane } from './raster.js'

/** Waves that stand alone in the local spectrum: moire, and the screens of printing. */

/** Side of the windows whose spectrum is looked at, in pixels. */
export const SCREEN_WINDOW = 64

/** Waves shorter than two pixels cannot be seen; longer ones than this share of a window are content. */
const FEWEST = 5
const MOST = SCREEN_WINDOW / 2 - 1
/** A wave stands alone when it has so many times the energy of others of its length. */
export const LONE = 60
/** What stands out less makes no pattern. */
const LEAST_STRENGTH = 15
/** The wave of an edge has others beside it in its direction, shorter and longer ones: so many times their energy is lone. */
const LONE_ALONG = 6
/** How much shorter and longer those are, in waves a window. */
const BESIDE = [-5, -4, -3, 3, 4, 5]

/** Fades a window to its edges, so that these are no pattern: a parabola squared, exact on every machine. */
export const FADE = Float64Array.from({ length: SCREEN_WINDOW }, (_value, k) => {
  const t = (k + 0.5) / SCREEN_WINDOW
  return (4 * t * (1 - t)) ** 2
})

/** Indices of the half spectrum by the number of waves, rounded down. */
export const RINGS: readonly Int32Array[] = Array.from({ length: MOST + 1 }, (_value, ring) => {
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

/** The strongest lone wave in one part of a square that has been transformed. */
export function strongestLone(square: FourierSquare, part: 'real' | 'imaginary'): LoneWave {
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
