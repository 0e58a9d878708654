import { atan2, cos, exp, PI, sin } from '../numbers/exact-math.js'

/** A colour of CIELAB. */
export interface Lab {
  readonly l: number
  readonly a: number
  readonly b: number
}

const DEGREE = PI / 180

/** Half a turn, with room for rounding: of two exactly opposite hues the formula takes the first branch. */
const OPPOSITE = 180 + 1e-9

/**
 * Colour difference CIEDE2000 with all weights 1.
 *
 * Sharma, Wu and Dalal 2005, "The CIEDE2000 color-difference formula: implementation notes, supplementary test data,
 * and mathematical observations", equations 2 to 22.
 */
export function differenceCiede2000(first: Lab, second: Lab): number {
  const c1 = Math.sqrt(first.a * first.a + first.b * first.b)
  const c2 = Math.sqrt(second.a * second.a + second.b * second.b)
  const g = 0.5 * (1 - Math.sqrt(seventhShare((c1 + c2) / 2)))
  const a1 = (1 + g) * first.a
  const a2 = (1 + g) * second.a
  const chroma1 = Math.sqrt(a1 * a1 + first.b * first.b)
  const chroma2 = Math.sqrt(a2 * a2 + second.b * second.b)
  const hue1 = hueOf(a1, first.b)
  const hue2 = hueOf(a2, second.b)
  const grey = chroma1 * chroma2 === 0

  const deltaL = second.l - first.l
  const deltaC = chroma2 - chroma1
  let turn = grey ? 0 : hue2 - hue1
  if (turn > OPPOSITE) turn -= 360
  else if (turn < -OPPOSITE) turn += 360
  const deltaH = 2 * Math.sqrt(chroma1 * chroma2) * sin((turn / 2) * DEGREE)

  const meanL = (first.l + second.l) / 2
  const meanC = (chroma1 + chroma2) / 2
  let meanH = hue1 + hue2
  if (!grey) {
    if (Math.abs(hue1 - hue2) <= OPPOSITE) meanH /= 2
    else meanH = meanH < 360 ? (meanH + 360) / 2 : (meanH - 360) / 2
  }
  const t =
    1 - 0.17 * cos((meanH - 30) * DEGREE) + 0.24 * cos(2 * meanH * DEGREE) + 0.32 * cos((3 * meanH + 6) * DEGREE) - 0.2 * cos((4 * meanH - 63) * DEGREE)
  const bell = (meanH - 275) / 25
  const rotation = -sin(60 * exp(-bell * bell) * DEGREE) * 2 * Math.sqrt(seventhShare(meanC))
  const off = (meanL - 50) * (meanL - 50)
  const weightL = 1 + (0.015 * off) / Math.sqrt(20 + off)
  const weightC = 1 + 0.045 * meanC
  const weightH = 1 + 0.015 * meanC * t
  const l = deltaL / weightL
  const c = deltaC / weightC
  const h = deltaH / weightH
  return Math.sqrt(Math.max(0, l * l + c * c + h * h + rotation * c * h))
}

function seventhShare(chroma: number): number {
  const c7 = chroma * chroma * chroma * chroma * chroma * chroma * chroma
  return c7 / (c7 + 6103515625) // 25^7
}

function hueOf(a: number, b: number): number {
  const hue = atan2(b, a) / DEGREE
  return hue < 0 ? hue + 360 : hue
}
