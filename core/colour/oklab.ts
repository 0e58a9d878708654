import { cubeRoot } from '../numbers/exact-math.js'

/**
 * OKLab (Ottosson 2020, "A perceptual color space for image processing"): lightness and two colour axes in which equal
 * hues lie on straight lines. Constants as published there, for XYZ at D65.
 */
const LMS_OF_XYZ = [0.8189330101, 0.3618667424, -0.1288597137, 0.0329845436, 0.9293118715, 0.0361456387, 0.0482003018, 0.2643662691, 0.633851707] as const
const LAB_OF_LMS = [0.2104542553, 0.793617785, -0.0040720468, 1.9779984951, -2.428592205, 0.4505937099, 0.0259040371, 0.7827717662, -0.808675766] as const
/** From XYZ at D50 to XYZ at D65: Bradford (ICC.1:2022 annex E, inverse). */
const D65_OF_D50 = [0.9555766, -0.0230393, 0.0631636, -0.0282895, 1.0099416, 0.0210077, 0.0122982, -0.020483, 1.3299098] as const

type Matrix = readonly number[]
type Three = [number, number, number]

const times = (m: Matrix, [x, y, z]: Three): Three => [m[0]! * x + m[1]! * y + m[2]! * z, m[3]! * x + m[4]! * y + m[5]! * z, m[6]! * x + m[7]! * y + m[8]! * z]
/** Product of two matrices of three rows. */
export const product = (a: Matrix, b: Matrix): number[] => Array.from({ length: 9 }, (_, i) => [0, 1, 2].reduce((sum, k) => sum + a[3 * Math.floor(i / 3) + k]! * b[3 * k + (i % 3)]!, 0))

/** Cube root, also of colours that no light has. */
const root = (value: number) => (value < 0 ? -cubeRoot(-value) : cubeRoot(value))

/** Inverse of a matrix of three rows by its cofactors. */
export function inverse3([a, b, c, d, e, f, g, h, k]: Matrix): number[] {
  const cofactors = [e! * k! - f! * h!, c! * h! - b! * k!, b! * f! - c! * e!, f! * g! - d! * k!, a! * k! - c! * g!, c! * d! - a! * f!, d! * h! - e! * g!, b! * g! - a! * h!, a! * e! - b! * d!]
  const determinant = a! * cofactors[0]! + b! * cofactors[3]! + c! * cofactors[6]!
  return cofactors.map((value) => value / determinant)
}

/** OKLab of XYZ at D65. */
export function oklabOfXyz65(xyz: Three): Three {
  const [l, m, s] = times(LMS_OF_XYZ, xyz)
  return times(LAB_OF_LMS, [root(l), root(m), root(s)])
}

/** Conversions between the linear light of a picture's channels and OKLab. */
export interface OkSpace {
  ofLight(light: Three): Three
  toLight(lab: Three): Three
}

const known = new WeakMap<object, OkSpace>()

/** @param toXyz  Of the profile, row by row, to XYZ at D50. */
export function okSpaceOf(toXyz: readonly number[]): OkSpace {
  const kept = known.get(toXyz)
  if (kept) return kept
  const forward = product(LMS_OF_XYZ, product(D65_OF_D50, toXyz))
  const [back, unlab] = [inverse3(forward), inverse3(LAB_OF_LMS)]
  const space: OkSpace = {
    ofLight(light) {
      const [l, m, s] = times(forward, light)
      return times(LAB_OF_LMS, [root(l), root(m), root(s)])
    },
    toLight(lab) {
      const [l, m, s] = times(unlab, lab)
      return times(back, [l * l * l, m * m * m, s * s * s])
    },
  }
  known.set(toXyz, space)
  return space
}
