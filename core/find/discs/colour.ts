import type { IntegerRaster } from '../../raster/raster.js'
import type { Transfer } from '../../raster/transfer.js'

/** What the colour of a place says: dirt is grey, and so is a scratch, whatever it lies on. */
export interface ColourEvidence {
  /** How far the colour inside is from that around, in deviations of the mean of what is around; 0 on grey pictures. */
  readonly change: number
  /** Share of the colour around that is lost inside, -1..1; 0 on grey pictures. */
  readonly paler: number
  /** How much colour there is around: 0 for grey. */
  readonly colourful: number
}

const NO_COLOUR: ColourEvidence = { change: 0, paler: 0, colourful: 0 }
/** Light that is added before colours are compared, so that the noise of what is black has none. */
const FLOOR = 0.01
/** Colour that is as good as none, and deviations that are as good as none. */
const FAINT = 0.05
const STEADY = 0.015
/** So far beyond the edge of a line its sides are asked, in pixels. */
const BESIDE = 3

/**
 * Says what the colour of a flaw in the searched pixels is: a class, since what is compiled for one tile's then serves the next.
 */
export class ColourLook {
  /**
   * @param pixels    1 or 3 channels.
   * @param transfer  Tables of its curve.
   * @param origin    Where in these pixels what flaws are told in begins.
   */
  constructor(private readonly pixels: IntegerRaster, private readonly transfer: Transfer, private readonly origin: { readonly x: number; readonly y: number } = { x: 0, y: 0 }) {}

  /** Inside a disc against a ring around it. */
  ofDisc({ x, y, radius }: { readonly x: number; readonly y: number; readonly radius: number }): ColourEvidence {
    const { pixels, transfer, origin } = this
    return pixels.channels === 3 ? colourOfDisc(pixels, transfer, x + origin.x, y + origin.y, radius) : NO_COLOUR
  }

  /**
   * In the middle of a line against both of its sides.
   *
   * @param points   x and y in turn.
   * @param normals  Unit vectors across at each of them, x and y in turn.
   * @param half     Of its width, in pixels.
   */
  ofLine(points: Float64Array, normals: Float64Array, half: number): ColourEvidence {
    const { pixels, transfer, origin } = this
    return pixels.channels === 3 ? colourOfLine(pixels, transfer, points, normals, half, origin.x, origin.y) : NO_COLOUR
  }
}

/** @param variance  Of the difference of both means. */
function compare(red: number, blue: number, redAround: number, blueAround: number, variance: number): ColourEvidence {
  const around = Math.sqrt(redAround * redAround + blueAround * blueAround)
  return {
    change: Math.sqrt(((red - redAround) ** 2 + (blue - blueAround) ** 2) / (variance + STEADY * STEADY)),
    paler: Math.max(-1, (around - Math.sqrt(red * red + blue * blue)) / (around + FAINT)),
    colourful: around,
  }
}

function colourOfDisc(pixels: IntegerRaster, transfer: Transfer, x: number, y: number, radius: number): ColourEvidence {
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
  const [ringRed, ringBlue] = [redAround / m, blueAround / m]
  const variance = Math.max(0, squares / m - ringRed * ringRed - ringBlue * ringBlue)
  return compare(redIn / n, blueIn / n, ringRed, ringBlue, variance / n + variance / m)
}

function colourOfLine({ width, height, data }: IntegerRaster, { light }: Transfer, points: Float64Array, normals: Float64Array, half: number, left: number, top: number): ColourEvidence {
  const away = half + BESIDE
  let n = 0
  let [redIn, blueIn, redAround, blueAround, squares] = [0, 0, 0, 0, 0]
  for (let k = 0; k < points.length; k += 2) {
    const dx = away * normals[k]!
    const dy = away * normals[k + 1]!
    const x = points[k]! + left
    const y = points[k + 1]! + top
    // A point counts with both of its sides or not at all.
    if (!isInside(width, height, x - dx, y - dy) || !isInside(width, height, x + dx, y + dy)) continue
    let red = 0
    let blue = 0
    let redBeside = 0
    let blueBeside = 0
    for (let side = -1; side <= 1; side++) {
      const i = 3 * (Math.floor(y + side * dy) * width + Math.floor(x + side * dx))
      const green = light[data[i + 1]!]!
      const sum = light[data[i]!]! + green + light[data[i + 2]!]! + FLOOR
      if (side === 0) {
        red = (light[data[i]!]! - green) / sum
        blue = (light[data[i + 2]!]! - green) / sum
      } else {
        redBeside += (light[data[i]!]! - green) / sum / 2
        blueBeside += (light[data[i + 2]!]! - green) / sum / 2
      }
    }
    redIn += red
    blueIn += blue
    redAround += redBeside
    blueAround += blueBeside
    squares += (red - redBeside) ** 2 + (blue - blueBeside) ** 2
    n++
  }
  if (n === 0) return NO_COLOUR
  const moved = ((redIn - redAround) / n) ** 2 + ((blueIn - blueAround) / n) ** 2
  // Neighbouring points share pixels: about half of them are independent.
  return compare(redIn / n, blueIn / n, redAround / n, blueAround / n, (2 * Math.max(0, squares / n - moved)) / n)
}

const isInside = (width: number, height: number, x: number, y: number) => x >= 0 && y >= 0 && x < width && y < height
