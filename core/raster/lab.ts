import { cubeRoot } from './exact-math.js'
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
