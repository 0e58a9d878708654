import type { TableConverter } from '@fennip/core/colour/colour-library.js'
import { decodeValue } from '@fennip/core/raster/transfer.js'
import type { ColourProfile } from '@fennip/core/colour/profile.js'
import type { Depth, IntegerRaster } from '@fennip/core/raster/raster.js'
import { maximumOf } from '@fennip/core/raster/raster.js'
import type { ScreenGamut } from '../shared/screen.js'

/**
 * XYZ of the profile connection space (D50) to linear sRGB: the inverse of the sRGB profile's own columns
 * (IEC 61966-2-1 adapted by the Bradford transform).
 */
const XYZ_TO_SRGB = [3.1338561, -1.6168667, -0.4906146, -0.9787684, 1.9161415, 0.033454, 0.0719453, -0.2289914, 1.4052427]

/**
 * XYZ of the connection space to linear Display P3: the inverse of the columns (.51512, .2412, -.00105), (.29198, .69225,
 * .04189) and (.1571, .06657, .78407) of its profile adapted to D50 (SMPTE RP 431-2 primaries; values from memory, their
 * sum is the white of D50).
 */
const XYZ_TO_P3 = [2.403999, -0.9899067, -0.3976305, -0.84226, 1.7988465, 0.0160315, 0.0482182, -0.0974315, 1.2740073]

const ENCODE_STEPS = 4095

/** Turns samples of a picture into what the screen shows; both kinds of screen encode light by the curve of sRGB. */
export class Display {
  /** Screen value of each sample, when no mixing of channels is needed. */
  private readonly direct: Uint8ClampedArray | null
  private readonly light: Float32Array
  private readonly matrix: readonly number[] | null
  private readonly encode: Uint8ClampedArray
  private readonly fromXyz: readonly number[]
  private readonly depth: Depth

  /** @param tables  Of a profile that has no single curve and matrix. */
  constructor(profile: ColourProfile, depth: Depth, gamut: ScreenGamut = 'srgb', private readonly tables: TableConverter | null = null) {
    const maximum = maximumOf(depth)
    this.light = Float32Array.from({ length: maximum + 1 }, (_value, i) => decodeValue(profile.curve, i / maximum))
    this.encode = Uint8ClampedArray.from({ length: ENCODE_STEPS + 1 }, (_value, i) => {
      // Steps are even in the square root of light, which is fine where the eye is.
      const light = (i / ENCODE_STEPS) ** 2
      return Math.round(255 * (light <= 0.0031308 ? 12.92 * light : 1.055 * light ** (1 / 2.4) - 0.055))
    })
    const own = profile.toXyz
    this.fromXyz = gamut === 'srgb' ? XYZ_TO_SRGB : XYZ_TO_P3
    this.depth = depth
    this.matrix = own ? multiply(this.fromXyz, own) : null
    const same = !tables && (!this.matrix || this.matrix.every((value, i) => Math.abs(value - (i % 4 === 0 ? 1 : 0)) < 0.002))
    this.direct = same ? Uint8ClampedArray.from(this.light, (light, i) => (profile.curve.type === 'srgb' ? Math.round((255 * i) / maximum) : this.toScreen(light))) : null
  }

  /** RGBA pixels for the screen. */
  paint(raster: IntegerRaster, into: Uint8ClampedArray): void {
    const { channels, data } = raster
    const count = raster.width * raster.height
    const { direct, light, matrix } = this
    if (this.tables) {
      this.paintLight(this.tables.toXyz(this.depth === 16 ? (data as Uint16Array) : Uint16Array.from(data, (value) => value * 257)), this.fromXyz, into)
      return
    }
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

  /** Linear values of three channels through a matrix to the screen. */
  private paintLight(values: Float32Array, matrix: readonly number[], into: Uint8ClampedArray): void {
    for (let from = 0, to = 0; from < values.length; from += 3, to += 4) {
      const [a, b, c] = [values[from]!, values[from + 1]!, values[from + 2]!]
      for (let row = 0; row < 3; row++) into[to + row] = this.toScreen(matrix[3 * row]! * a + matrix[3 * row + 1]! * b + matrix[3 * row + 2]! * c)
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
