import { cubeRoot } from '../numbers/exact-math.js'
import type { Lab } from './colour-difference.js'

/** White of the profile connection space: D50 (ICC.1:2022, 7.2.16). */
const D50 = [0.9642, 1, 0.8249] as const

/**
 * CIELAB of a colour in XYZ (CIE 15:2004, 8.2.1; constants as exact fractions), relative to a white, by default D50.
 */
export function labOfXyz([x, y, z]: readonly [number, number, number], white: readonly [number, number, number] = D50): Lab {
  const f = (t: number) => (t > 216 / 24389 ? cubeRoot(t) : (24389 / 27 * t + 16) / 116)
  const [fx, fy, fz] = [f(x / white[0]), f(y / white[1]), f(z / white[2])]
  return { l: 116 * fy - 16, a: 500 * (fx - fy), b: 200 * (fy - fz) }
}

/**
 * CIELAB of encoded pixels, three values a pixel.
 *
 * @param data    Encoded values 0..1, channels interleaved.
 * @param decode  Linear light of an encoded value.
 * @param toXyz   Row by row from linear RGB to XYZ at D50; grey, and profiles without one, have no colour.
 */
export function labPixels(data: Float32Array, channels: number, decode: (encoded: number) => number, toXyz: readonly number[] | null): Float32Array {
  const count = data.length / channels
  const result = new Float32Array(3 * count)
  for (let i = 0; i < count; i++) {
    const r = decode(data[i * channels]!)
    let xyz: [number, number, number] = [D50[0] * r, r, D50[2] * r]
    if (channels === 3 && toXyz) {
      const [g, b] = [decode(data[i * 3 + 1]!), decode(data[i * 3 + 2]!)]
      xyz = [toXyz[0]! * r + toXyz[1]! * g + toXyz[2]! * b, toXyz[3]! * r + toXyz[4]! * g + toXyz[5]! * b, toXyz[6]! * r + toXyz[7]! * g + toXyz[8]! * b]
    }
    const { l, a, b } = labOfXyz(xyz)
    result[3 * i] = l
    result[3 * i + 1] = a
    result[3 * i + 2] = b
  }
  return result
}
