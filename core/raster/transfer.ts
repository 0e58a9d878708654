import { pow } from '../numbers/exact-math.js'
import { maximumOf, type Depth } from './raster.js'

/** How encoded values stand for light. */
export type TransferCurve =
  | { readonly type: 'srgb' }
  | { readonly type: 'linear' }
  | { readonly type: 'gamma'; readonly gamma: number }
  /** ICC.1:2022 10.18 parametricCurveType, function types 0 to 4, parameters g a b c d e f. */
  | { readonly type: 'parametric'; readonly function: number; readonly parameters: readonly number[] }
  /** ICC.1:2022 10.6 curveType: light at equal steps of the encoded value, 0..1. */
  | { readonly type: 'table'; readonly values: readonly number[] }

/**
 * Light of an encoded value.
 *
 * @param curve  The curve of the picture's profile.
 * @param value  Encoded value, 0..1.
 * @returns Linear light, 0..1.
 *
 * sRGB: IEC 61966-2-1. Parametric curves: ICC.1:2022 table 68.
 */
export function decodeValue(curve: TransferCurve, value: number): number {
  switch (curve.type) {
    case 'linear':
      return value
    case 'srgb':
      return value <= 0.04045 ? value / 12.92 : pow((value + 0.055) / 1.055, 2.4)
    case 'gamma':
      return pow(value, curve.gamma)
    case 'table': {
      const last = curve.values.length - 1
      const at = value * last
      const i = Math.min(last - 1, Math.floor(at))
      return curve.values[i]! + (curve.values[i + 1]! - curve.values[i]!) * (at - i)
    }
    case 'parametric': {
      const [g = 1, a = 1, b = 0, c = 0, d = 0, e = 0, f = 0] = curve.parameters
      const power = (x: number) => pow(Math.max(0, x), g)
      switch (curve.function) {
        case 0: return power(value)
        case 1: return value >= -b / a ? power(a * value + b) : 0
        case 2: return value >= -b / a ? power(a * value + b) + c : c
        case 3: return value >= d ? power(a * value + b) : c * value
        default: return value >= d ? power(a * value + b) + e : c * value + f
      }
    }
  }
}

/** Tables that turn samples of one depth into light and back; made once a picture, used per pixel. */
export interface Transfer {
  readonly depth: Depth
  /** Light of every sample value, rising. */
  readonly light: Float32Array
  /** Sample value nearest to a light. */
  encode(light: number): number
}

/** Steps of the table of first guesses: enough that a guess is off by a sample or two. */
const GUESSES: Record<Depth, number> = { 8: 4096, 16: 65536 }

/**
 * Tables for a curve at a depth.
 *
 * @param curve  Curve of the profile; it must not fall.
 * @param depth  8 or 16 bits a sample.
 * @returns Light as single floats and the exact inverse: `encode(light[i]) === i`.
 */
export function makeTransfer(curve: TransferCurve, depth: Depth): Transfer {
  const maximum = maximumOf(depth)
  const light = new Float32Array(maximum + 1)
  let highest = 0
  for (let i = 0; i <= maximum; i++) {
    highest = Math.max(highest, decodeValue(curve, i / maximum))
    light[i] = highest
  }
  // First guesses on the square root of light, which follows most encodings closely; then a short walk.
  const top = light[maximum]!
  const guesses = GUESSES[depth]
  const guess = new Uint32Array(guesses + 2)
  let at = 0
  for (let g = 0; g <= guesses + 1; g++) {
    const target = (g / guesses) * (g / guesses) * top
    while (at < maximum && light[at]! < target) at++
    guess[g] = at
  }
  const encode = (value: number): number => {
    if (!(value > light[0]!)) return 0
    if (value >= top) return maximum
    const step = Math.floor(Math.sqrt(value / top) * guesses)
    let low = guess[step]!
    if (low > 0) low--
    while (low > 0 && light[low]! > value) low--
    let high = guess[Math.min(guesses + 1, step + 1)]!
    while (high < maximum && light[high]! < value) high++
    while (high - low > 1) {
      const middle = (low + high) >> 1
      if (light[middle]! <= value) low = middle
      else high = middle
    }
    return value - light[low]! <= light[high]! - value ? low : high
  }
  return { depth, light, encode }
}
