import { cubeRoot } from './exact-math.js'
import type { Lab } from './colour-difference.js'

/** White of the profile connection space: D50 (ICC.1:2022, 7.2.16). */
const D50 = [0.9642, 1, 0.8249] as const

/** CIELAB of a colour in XYZ relative to D50 (CIE 15:2004, 8.2.1; constants as exact fractions). */
export function labOfXyz([x, y, z]: readonly [number, number, number]): Lab {
  const f = (t: number) => (t > 216 / 24389 ? cubeRoot(t) : (24389 / 27 * t + 16) / 116)
  const [fx, fy, fz] = [f(x / D50[0]), f(y / D50[1]), f(z / D50[2])]
  return { l: 116 * fy - 16, a: 500 * (fx - fy), b: 200 * (fy - fz) }
}
