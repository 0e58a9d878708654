import type { IntegerRaster } from '../raster/raster.js'
import type { Transfer } from '../raster/transfer.js'

/** What the colour of a place says: dirt is grey, whatever it lies on. */
export interface ColourEvidence {
  /** How far the colour inside is from that around, in deviations of the mean of what is around; 0 on grey pictures. */
  readonly change: number
  /** Share of the colour around that is lost inside, -1..1; 0 on grey pictures. */
  readonly paler: number
}

/** Says what the colour of a disc in the searched pixels is. */
export type ColourLook = (disc: { readonly x: number; readonly y: number; readonly radius: number }) => ColourEvidence

const NO_COLOUR: ColourEvidence = { change: 0, paler: 0 }
/** Light that is added before colours are compared, so that the noise of what is black has none. */
const FLOOR = 0.01
/** Colour that is as good as none, and deviations that are as good as none. */
const FAINT = 0.05
const STEADY = 0.015

/**
 * How the colour inside a disc is compared with that of a ring around it.
 *
 * @param pixels    1 or 3 channels; discs are told in its pixels.
 * @param transfer  Tables of its curve.
 */
export function colourLook(pixels: IntegerRaster, transfer: Transfer): ColourLook {
  return ({ x, y, radius }) => colourOf(pixels, transfer, x, y, radius)
}

function colourOf(pixels: IntegerRaster, transfer: Transfer, x: number, y: number, radius: number): ColourEvidence {
  if (pixels.channels !== 3) return NO_COLOUR
  const { width, height, data } = pixels
  const { light } = transfer
  const reach = 2 * radius + 3
  const [within, from, to] = [(0.7 * radius + 0.4) ** 2, (1.4 * radius + 1) ** 2, reach ** 2]
  const step = Math.max(1, Math.floor(radius / 6))
  let n = 0
  let m = 0
  let [redIn, blueIn, redAround, blueAround, squares] = [0, 0, 0, 0, 0]
  for (let row = Math.max(0, Math.floor(y - reach)); row < Math.min(height, y + reach); row += step) {
    for (let column = Math.max(0, Math.floor(x - reach)); column < Math.min(width, x + reach); column += step) {
      const distance = (column + 0.5 - x) ** 2 + (row + 0.5 - y) ** 2
      const inside = distance <= within
      if (!inside && (distance < from || distance > to)) continue
      const i = 3 * (row * width + column)
      const green = light[data[i + 1]!]!
      const sum = light[data[i]!]! + green + light[data[i + 2]!]! + FLOOR
      const red = (light[data[i]!]! - green) / sum
      const blue = (light[data[i + 2]!]! - green) / sum
      if (inside) {
        redIn += red
        blueIn += blue
        n++
      } else {
        redAround += red
        blueAround += blue
        squares += red * red + blue * blue
        m++
      }
    }
  }
  if (n === 0 || m === 0) return NO_COLOUR
  const [r, b, ringRed, ringBlue] = [redIn / n, blueIn / n, redAround / m, blueAround / m]
  const variance = Math.max(0, squares / m - ringRed * ringRed - ringBlue * ringBlue)
  const change = Math.sqrt(((r - ringRed) ** 2 + (b - ringBlue) ** 2) / (variance / n + variance / m + STEADY * STEADY))
  const around = Math.sqrt(ringRed * ringRed + ringBlue * ringBlue)
  return { change, paler: Math.max(-1, (around - Math.sqrt(r * r + b * b)) / (around + FAINT)) }
}
