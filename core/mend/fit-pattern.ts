import { logLight, logTable } from '../find/log-light.js'
import { loneWaveOf, SCREEN_WINDOW } from '../find/moire.js'
import { gaussianBlur } from '../raster/blur.js'
import { cos, PI, sin } from '../raster/exact-math.js'
import { clipRegion, growRegion, type PixelSource, type Plane, type Region } from '../raster/raster.js'
import { median } from '../raster/statistics.js'
import type { Transfer } from '../raster/transfer.js'
import { distanceOutside, shapeBounds, type Shape } from '../shape/shape.js'
import type { Pattern, PatternWave } from './pattern.js'

/** A screen has two directions, and each an overtone. */
const MOST_WAVES = 4
/** Strength below which a wave is not told from the picture any more: as in the search, where it goes on beside a strong one. */
const LEAST_STRENGTH = 20
/** Least distance of knots in pixels, and most knots of an area: over a large one they lie further apart. */
const LEAST_SPACING = 12
const MOST_KNOTS = 9000
/** Strength and phase are taken for even over a Gaussian of this share of their distance. */
const EVEN = 0.8
/** So far around an area it is asked what the picture has of such waves by itself, in pixels. */
const AROUND = 40

/**
 * The waves of a pattern over an area, with strength and phase at every place: each is turned to a standstill, and what
 * then stays over some pixels is the pattern; the picture's own content turns away (complex demodulation).
 *
 * @param picture   As mended so far.
 * @param transfer  Tables of its curve.
 * @param shape     Of the area.
 * @returns The pattern, or null where no wave stands alone or the area is smaller than a window.
 *
 * Bingham, Godfrey and Tukey 1967, "Modern techniques of power spectrum estimation", for the demodulation (from memory).
 */
export function fitPattern(picture: PixelSource, transfer: Transfer, shape: Shape): Pattern | null {
  const region = clipRegion(growRegion(shapeBounds(shape), AROUND), picture.width, picture.height)
  if (region.width < SCREEN_WINDOW || region.height < SCREEN_WINDOW) return null
  const pixels = picture.read(region)
  const light = logLight(pixels, transfer)
  const distance = distanceOutside(shape, region, AROUND).data
  const spacing = 2 * Math.ceil(Math.max(LEAST_SPACING, Math.sqrt((region.width * region.height) / MOST_KNOTS)) / 2)
  const knots = knotsOf(region, spacing)
  const even = EVEN * spacing
  const left = withoutTone(light, even)
  const inside = knots.at.map((i) => distance[i]! < spacing / 2)
  const table = logTable(transfer)
  const planes = Array.from({ length: picture.channels }, (_value, c) => withoutTone({ ...light, data: Float32Array.from({ length: light.data.length }, (_one, i) => table[pixels.data[i * picture.channels + c]!]!) }, even))
  const waves: PatternWave[] = []
  const strengths = planes.map(() => 0)
  let energy = 0
  while (waves.length < MOST_WAVES) {
    const wave = strongestWave(left, distance)
    if (!wave) break
    const refined = withoutDrift(demodulated(left, region, wave, even), left.width, distance, wave)
    const { real, imaginary } = demodulated(left, region, refined, even)
    // What the picture has of such a wave by itself, beside the area, is left to it.
    const beside: number[] = []
    real.forEach((a, i) => (distance[i]! > even ? beside.push(Math.sqrt(a * a + imaginary[i]! * imaginary[i]!)) : 0))
    const own = beside.length === 0 ? 0 : median(Float32Array.from(beside))
    const amplitude = { real: [] as number[], imaginary: [] as number[] }
    knots.at.forEach((i, k) => {
      const square = real[i]! * real[i]! + imaginary[i]! * imaginary[i]!
      const share = inside[k] && square > 0 ? square / (square + own * own) : 0
      amplitude.real.push(fine(real[i]! * share))
      amplitude.imaginary.push(fine(imaginary[i]! * share))
    })
    planes.forEach((plane, c) => {
      const channel = demodulated(plane, region, refined, even)
      knots.at.forEach((i, k) => (strengths[c]! += channel.real[i]! * amplitude.real[k]! + channel.imaginary[i]! * amplitude.imaginary[k]!))
    })
    knots.at.forEach((i, k) => (energy += real[i]! * amplitude.real[k]! + imaginary[i]! * amplitude.imaginary[k]!))
    waves.push({ ...refined, ...amplitude })
    takeAway(left, region, refined, real, imaginary)
  }
  if (waves.length === 0 || !(energy > 0)) return null
  return { x: region.x + spacing / 2 + 0.5, y: region.y + spacing / 2 + 0.5, spacing, columns: knots.columns, waves, channels: strengths.map((sum) => fine(Math.max(0, Math.min(4, sum / energy)))) }
}

const fine = (value: number) => Math.round(value * 1e5) / 1e5

function knotsOf({ width, height }: Region, spacing: number): { columns: number; at: number[] } {
  const columns = Math.floor(width / spacing)
  const rows = Math.floor(height / spacing)
  return { columns, at: Array.from({ length: columns * rows }, (_value, k) => (Math.floor(k / columns) * spacing + spacing / 2) * width + (k % columns) * spacing + spacing / 2) }
}

/** The lone wave that most windows of the area share, in radians a pixel; null when none stands out. */
function strongestWave(light: Plane, distance: Float32Array): { across: number; down: number } | null {
  const found: { strength: number; across: number; down: number }[] = []
  for (let y = 0; y + SCREEN_WINDOW <= light.height; y += SCREEN_WINDOW / 2) {
    for (let x = 0; x + SCREEN_WINDOW <= light.width; x += SCREEN_WINDOW / 2) {
      if (distance[(y + SCREEN_WINDOW / 2) * light.width + x + SCREEN_WINDOW / 2]! > 0) continue
      const wave = loneWaveOf(light, x, y)
      if (wave.strength >= LEAST_STRENGTH) found.push(wave)
    }
  }
  if (found.length === 0) return null
  const strongest = found.reduce((a, b) => (b.strength > a.strength ? b : a))
  const same = found.filter(({ across, down }) => Math.abs(across - strongest.across) < 1 && Math.abs(down - strongest.down) < 1)
  const middle = (values: number[]) => (2 * PI * median(Float32Array.from(values))) / SCREEN_WINDOW
  return { across: middle(same.map(({ across }) => across)), down: middle(same.map(({ down }) => down)) }
}

interface Amplitude { readonly real: Float32Array; readonly imaginary: Float32Array }
interface Wave { readonly across: number; readonly down: number }

/** Detail alone: waves so fine lose nothing, and the tone of large things does not leak into them. */
function withoutTone(plane: Plane, even: number): Plane {
  const tone = gaussianBlur(plane, even).data
  return { ...plane, data: plane.data.map((value, i) => value - tone[i]!) }
}

/** Complex amplitude of a wave at every pixel. */
function demodulated({ width, height, data }: Plane, region: Region, wave: Wave, even: number): Amplitude {
  const [real, imaginary] = [new Float32Array(data.length), new Float32Array(data.length)]
  alongWave(width, height, region, wave, (i, c, s) => {
    real[i] = 2 * data[i]! * c
    imaginary[i] = -2 * data[i]! * s
  })
  const [a, b] = [real, imaginary].map((plane) => gaussianBlur({ width, height, data: plane }, even).data) as [Float32Array, Float32Array]
  return { real: a, imaginary: b }
}

/** The wave at which the phase no longer drifts inside the area; a small angle is its tangent. */
function withoutDrift({ real, imaginary }: Amplitude, width: number, distance: Float32Array, { across, down }: Wave): Wave {
  const drift = (step: number): number => {
    let [along, turned] = [0, 0]
    for (let i = 0; i + step < real.length; i++) {
      if (distance[i]! > 0) continue
      along += real[i + step]! * real[i]! + imaginary[i + step]! * imaginary[i]!
      turned += imaginary[i + step]! * real[i]! - real[i + step]! * imaginary[i]!
    }
    return along > 0 ? turned / along : 0
  }
  return { across: across + drift(1), down: down + drift(width) }
}

function takeAway({ width, height, data }: Plane, region: Region, wave: Wave, real: Float32Array, imaginary: Float32Array): void {
  alongWave(width, height, region, wave, (i, c, s) => (data[i]! -= real[i]! * c - imaginary[i]! * s))
}

/** Cosine and sine of a wave's phase at the middle of every pixel, turned on from pixel to pixel along a row. */
function alongWave(width: number, height: number, region: Region, { across, down }: Wave, visit: (i: number, cosine: number, sine: number) => void): void {
  const [turnCosine, turnSine] = [cos(across), sin(across)]
  for (let y = 0; y < height; y++) {
    const phase = across * (region.x + 0.5) + down * (region.y + y + 0.5)
    let [c, s] = [cos(phase), sin(phase)]
    for (let x = 0; x < width; x++) {
      visit(y * width + x, c, s)
      const next = c * turnCosine - s * turnSine
      s = s * turnCosine + c * turnSine
      c = next
    }
  }
}
