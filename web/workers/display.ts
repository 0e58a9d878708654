import { decodeValue } from '@fennip/core/raster/transfer.js'
import type { ColourProfile } from '@fennip/core/raster/profile.js'
import type { Depth, IntegerRaster } from '@fennip/core/raster/raster.js'
import { maximumOf } from '@fennip/core/raster/raster.js'

/** Ways of looking that never touch the result. */
export const LENSES = ['plain', 'negative', 'relief', 'grain', 'change'] as const
export type Lens = (typeof LENSES)[number]

/** How wide a neighbourhood the relief lens compares with while nobody says otherwise, in pixels of the picture. */
export const RELIEF_RADIUS = 48
/** Half the side of the neighbourhood that the grain lens takes away, in pixels of the level that is shown. */
export const GRAIN_RADIUS = 2

/**
 * XYZ of the profile connection space (D50) to linear sRGB: the inverse of the sRGB profile's own columns
 * (IEC 61966-2-1 adapted by the Bradford transform).
 */
const XYZ_TO_SRGB = [3.1338561, -1.6168667, -0.4906146, -0.9787684, 1.9161415, 0.033454, 0.0719453, -0.2289914, 1.4052427]

const ENCODE_STEPS = 4095

/** Turns samples of a picture into what an sRGB screen shows. */
export class Display {
  /** Screen value of each sample, when no mixing of channels is needed. */
  private readonly direct: Uint8ClampedArray | null
  private readonly light: Float32Array
  private readonly matrix: readonly number[] | null
  private readonly encode: Uint8ClampedArray

  constructor(profile: ColourProfile, depth: Depth) {
    const maximum = maximumOf(depth)
    this.light = Float32Array.from({ length: maximum + 1 }, (_value, i) => decodeValue(profile.curve, i / maximum))
    this.encode = Uint8ClampedArray.from({ length: ENCODE_STEPS + 1 }, (_value, i) => {
      // Steps are even in the square root of light, which is fine where the eye is.
      const light = (i / ENCODE_STEPS) ** 2
      return Math.round(255 * (light <= 0.0031308 ? 12.92 * light : 1.055 * light ** (1 / 2.4) - 0.055))
    })
    const own = profile.toXyz
    this.matrix = own ? multiply(XYZ_TO_SRGB, own) : null
    const same = !this.matrix || this.matrix.every((value, i) => Math.abs(value - (i % 4 === 0 ? 1 : 0)) < 0.002)
    this.direct = same ? Uint8ClampedArray.from(this.light, (light, i) => (profile.curve.type === 'srgb' ? Math.round((255 * i) / maximum) : this.toScreen(light))) : null
  }

  /** RGBA pixels for the screen. */
  paint(raster: IntegerRaster, into: Uint8ClampedArray): void {
    const { channels, data } = raster
    const count = raster.width * raster.height
    const { direct, light, matrix } = this
    for (let i = 0; i < count; i++) {
      const from = i * channels
      const to = 4 * i
      if (direct) {
        into[to] = direct[data[from]!]!
        into[to + 1] = direct[data[from + (channels > 1 ? 1 : 0)]!]!
        into[to + 2] = direct[data[from + (channels > 1 ? 2 : 0)]!]!
      } else {
        const r = light[data[from]!]!
        const g = light[data[from + 1]!]!
        const b = light[data[from + 2]!]!
        into[to] = this.toScreen(matrix![0]! * r + matrix![1]! * g + matrix![2]! * b)
        into[to + 1] = this.toScreen(matrix![3]! * r + matrix![4]! * g + matrix![5]! * b)
        into[to + 2] = this.toScreen(matrix![6]! * r + matrix![7]! * g + matrix![8]! * b)
      }
      into[to + 3] = 255
    }
  }

  private toScreen(light: number): number {
    return this.encode[Math.round(Math.sqrt(Math.max(0, Math.min(1, light))) * ENCODE_STEPS)]!
  }
}

function multiply(a: readonly number[], b: readonly number[]): number[] {
  return Array.from({ length: 9 }, (_value, i) => {
    const row = 3 * Math.floor(i / 3)
    return a[row]! * b[i % 3]! + a[row + 1]! * b[3 + (i % 3)]! + a[row + 2]! * b[6 + (i % 3)]!
  })
}

/** Screen pixels as a negative; strength 0..1 opens the dark tones, which are the bright ones of the picture. */
export function asNegative(pixels: Uint8ClampedArray, strength: number): void {
  const power = 1 - 0.7 * strength
  const table = Uint8ClampedArray.from({ length: 256 }, (_value, i) => Math.round(255 * ((255 - i) / 255) ** power))
  for (let i = 0; i < pixels.length; i += 4) {
    for (let c = 0; c < 3; c++) pixels[i + c] = table[pixels[i + c]!]!
  }
}

/**
 * Screen pixels in monochrome with strong local contrast: what differs from the mean of its neighbourhood, raised.
 *
 * @param pixels  RGBA of a wider area than is shown.
 * @param radius  Half the side of the neighbourhood in pixels.
 */
export function asRelief(pixels: Uint8ClampedArray, width: number, height: number, radius: number, strength: number): void {
  const grey = new Float32Array(width * height)
  for (let i = 0; i < grey.length; i++) grey[i] = 0.3 * pixels[4 * i]! + 0.55 * pixels[4 * i + 1]! + 0.15 * pixels[4 * i + 2]!
  const means = localMeans(grey, width, height, radius)
  const gain = 2 + 14 * strength
  for (let i = 0; i < grey.length; i++) pixels[4 * i] = pixels[4 * i + 1] = pixels[4 * i + 2] = 128 + gain * (grey[i]! - means[i]!)
}

/** Fine detail alone, in its colours: what a flat patch lacks and what was sharpened has too much of. */
export function asGrain(pixels: Uint8ClampedArray, width: number, height: number, strength: number): void {
  const gain = 2 + 14 * strength
  const channel = new Float32Array(width * height)
  for (let c = 0; c < 3; c++) {
    for (let i = 0; i < channel.length; i++) channel[i] = pixels[4 * i + c]!
    const means = localMeans(channel, width, height, GRAIN_RADIUS)
    for (let i = 0; i < channel.length; i++) pixels[4 * i + c] = 128 + gain * (channel[i]! - means[i]!)
  }
}

/** Mean of a square around each pixel, as far as it lies inside. */
function localMeans(values: Float32Array, width: number, height: number, radius: number): Float32Array {
  const sums = new Float64Array((width + 1) * (height + 1))
  for (let y = 0; y < height; y++) {
    let row = 0
    for (let x = 0; x < width; x++) {
      row += values[y * width + x]!
      sums[(y + 1) * (width + 1) + x + 1] = sums[y * (width + 1) + x + 1]! + row
    }
  }
  const means = new Float32Array(width * height)
  for (let y = 0; y < height; y++) {
    const top = Math.max(0, y - radius)
    const bottom = Math.min(height, y + radius + 1)
    for (let x = 0; x < width; x++) {
      const left = Math.max(0, x - radius)
      const right = Math.min(width, x + radius + 1)
      const sum = sums[bottom * (width + 1) + right]! - sums[top * (width + 1) + right]! - sums[bottom * (width + 1) + left]! + sums[top * (width + 1) + left]!
      means[y * width + x] = sum / ((bottom - top) * (right - left))
    }
  }
  return means
}

/** What changed between two pictures: no change is mid grey, changes six times as large. */
export function asChange(before: Uint8ClampedArray, after: Uint8ClampedArray, into: Uint8ClampedArray, gain: number): void {
  for (let i = 0; i < into.length; i += 4) {
    for (let c = 0; c < 3; c++) into[i + c] = 128 + gain * (after[i + c]! - before[i + c]!)
    into[i + 3] = 255
  }
}
