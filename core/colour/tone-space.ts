import { LN2, ln, pow } from '../numbers/exact-math.js'
import { makeTransfer, type TransferCurve } from '../raster/transfer.js'

/** Steps of the tables; between them values are interpolated in a straight line. */
const STEPS = 65535
const LN10 = ln(10)

/** Conversions between encoded values, linear light and density, all 0..1 but density. */
export interface ToneSpace {
  /** Linear light of an encoded value. */
  decode(encoded: number): number
  /** Encoded value of a linear light. */
  encode(light: number): number
  /** Density of an encoded value: -log10 of its linear light, at most 4. */
  density(encoded: number): number
  /** Encoded value of a density; from 4 on it is black. */
  ofDensity(density: number): number
}

/** Darker than this nothing is told apart: one part in ten thousand of the light. */
export const BLACK_DENSITY = 4

const known = new Map<string, ToneSpace>()

/** Tone conversions of a profile's curve, tabulated so that they are the same bits in every engine. */
export function makeToneSpace(curve: TransferCurve): ToneSpace {
  const key = JSON.stringify(curve)
  const kept = known.get(key)
  if (kept) return kept
  const { light, encode: nearest } = makeTransfer(curve, 16)
  // On the square root of light, which follows most encodings closely.
  const inverse = new Float32Array(STEPS + 2)
  for (let i = 0; i <= STEPS; i++) {
    const wanted = (i / STEPS) * (i / STEPS)
    let at = nearest(wanted)
    if (light[at]! > wanted && at > 0) at--
    const [low, high] = [light[at]!, light[Math.min(STEPS, at + 1)]!]
    inverse[i] = (at + (high > low ? Math.max(0, Math.min(1, (wanted - low) / (high - low))) : 0)) / STEPS
  }
  inverse[STEPS + 1] = inverse[STEPS]!
  const decode = (encoded: number) => {
    if (encoded <= 0) return light[0]!
    if (encoded >= 1) return light[STEPS]!
    const at = encoded * STEPS
    const i = Math.floor(at)
    return light[i]! + (light[i + 1]! - light[i]!) * (at - i)
  }
  const encode = (value: number) => {
    if (value <= 0) return 0
    if (value >= 1) return inverse[STEPS]!
    const at = Math.sqrt(value) * STEPS
    const i = Math.floor(at)
    return inverse[i]! + (inverse[i + 1]! - inverse[i]!) * (at - i)
  }
  const space: ToneSpace = {
    decode, encode,
    density: (encoded) => Math.min(BLACK_DENSITY, -ln(Math.max(1e-4, decode(encoded))) / LN10),
    ofDensity: (density) => (density >= BLACK_DENSITY ? 0 : encode(pow(2, (-density * LN10) / LN2))),
  }
  known.set(key, space)
  return space
}
