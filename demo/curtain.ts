import { makeRandom } from '@fennip/core/random.js'
import { gaussianBlur } from '@fennip/core/raster/blur.js'
import { pylonLight, PRINTED, type DemoSize } from './pictures.js'
import { copyLight } from './damage.js'
import { expose, type Light, type Photograph } from './photograph.js'

/** The inside of a tram's saloon: a window with a curtain on either side. Shares of the picture. */
const WINDOW = { left: 0.24, right: 0.8, top: 0.12, bottom: 0.72 }
/** Paper whose picture layer is gone, and the bed of the scanner. */
const [BARE, BED] = [0.72, 0.02]
/** How many folds a curtain hangs in. */
const FOLDS = 7

const smooth = (value: number) => {
  const t = Math.max(0, Math.min(1, value))
  return t * t * (3 - 2 * t)
}

/** Light of the cloth at a place of a curtain: u across it, 0 at the wall and 1 at the window, v down the picture. */
function cloth(u: number, v: number, weave: number): number {
  // Gathered by a band at two thirds of the height, wider below it.
  const bend = u * FOLDS * (1 + 0.1 * Math.sin(5 * v + 2 * u)) + 0.35 * Math.sin(3.1 * v + 1.3 * u) + 0.5 * Math.exp(-(((v - 0.66) / 0.07) ** 2)) * Math.sin(9 * u)
  const wave = Math.cos(2 * Math.PI * bend)
  const crease = Math.max(0, -wave) ** 6
  const facing = 0.5 + 0.5 * Math.sin(2 * Math.PI * bend + 0.7)
  return (0.11 + 0.2 * (0.5 + 0.5 * wave) + 0.1 * facing - 0.09 * crease) * (0.65 + 0.5 * u) * (1 + 0.16 * weave)
}

/** A print of the saloon: the lower right corner is gone, and with it the folds of the curtain; a strip of the layer has flaked off the left one. */
export async function curtainPrint(size: DemoSize = { width: 2400, height: 1600 }, seed = 83): Promise<Photograph> {
  const { width, height } = size
  const outside = (await pylonLight({ width: Math.round(width * (WINDOW.right - WINDOW.left)) + 1, height: Math.round(height * (WINDOW.bottom - WINDOW.top)) + 1 }))
  const grey = outside.channels[0]!.data.map((_, i) => outside.channels.reduce((sum, { data }) => sum + data[i]!, 0) / outside.channels.length)
  const { uniform } = makeRandom(seed)
  const panel = gaussianBlur({ width, height, data: Float32Array.from({ length: width * height }, () => uniform() - 0.5) }, 1.2).data
  const data = new Float32Array(width * height)
  for (let y = 0, i = 0; y < height; y++) {
    for (let x = 0; x < width; x++, i++) {
      const [px, py] = [(x + 0.5) / width, (y + 0.5) / height]
      const weave = Math.sin(x * 1.9) * Math.sin(y * 1.7) * 0.35 + panel[i]!
      // The edges of the curtains swing in where they are gathered.
      const swing = 0.035 * Math.exp(-(((py - 0.66) / 0.16) ** 2))
      const [leftEdge, rightEdge] = [0.31 - swing + 0.008 * Math.sin(7 * py), 0.72 + swing + 0.008 * Math.sin(6 * py + 1)]
      let light: number
      if (px > 0.055 && px < leftEdge && py > 0.06) light = cloth((px - 0.055) / (leftEdge - 0.055), py, weave)
      else if (px > rightEdge && px < 0.965 && py > 0.06) light = cloth((0.965 - px) / (0.965 - rightEdge), py, weave)
      else if (px > WINDOW.left && px < WINDOW.right && py > WINDOW.top && py < WINDOW.bottom) {
        light = 0.25 + 0.75 * grey[Math.floor((py - WINDOW.top) * height) * outside.width + Math.floor((px - WINDOW.left) * width)]!
        // The bar between the panes.
        if (Math.abs(px - 0.515) < 0.007) light = 0.1 + 0.05 * smooth((0.522 - px) / 0.014)
      } else {
        // Wood: boards with their joints, darker below the sill.
        const joint = smooth(1 - Math.abs(((px * 22) % 1) - 0.5) * 26)
        const sill = Math.abs(py - WINDOW.bottom - 0.012) < 0.012 ? 0.16 : 0
        light = (py > WINDOW.bottom ? 0.09 : 0.15) * (1 + 0.25 * Math.sin(px * 190 + 3 * Math.sin(py * 7)) * 0.4 + 0.5 * panel[i]!) * (1 - 0.6 * joint) + sill
      }
      data[i] = 0.03 + 0.8 * Math.max(0, light)
    }
  }
  const light: Light = { width, height, channels: [gaussianBlur({ width, height, data }, 0.8)] }
  const damage = copyLight(light)
  const torn = damage.channels[0]!.data
  const [wander, wander2, flake] = [makeWander(makeRandom(seed + 1), 9), makeWander(makeRandom(seed + 2), 9), makeWander(makeRandom(seed + 3), 5)]
  for (let y = 0, i = 0; y < height; y++) {
    for (let x = 0; x < width; x++, i++) {
      const [px, py] = [(x + 0.5) / width, (y + 0.5) / height]
      // How far beyond the tear, as a share of the width: below 0 on the print.
      const straight = (px - 1) * 0.8 + (py - 1) * 0.62 + 0.22
      if (straight > -0.06) {
        const beyond = straight + 0.02 * wander(px - py)
        const fibre = 0.0035 + 0.0025 * wander2(2 * (px - py))
        if (beyond > fibre) torn[i] = BED
        else if (beyond > 0) torn[i] = BARE
      }
      const round = Math.hypot((px - 0.17) / 0.05, (py - 0.4) / 0.13)
      if (round < 1.6) torn[i] = torn[i]! + smooth((1 - round - 0.2 * flake(Math.atan2(py - 0.4, px - 0.17) / 4)) * 9) * (BARE - torn[i]!)
    }
  }
  return expose(light, damage, { ...PRINTED, seed })
}

/** A line that wanders between about -1 and 1: sums of waves of many lengths. */
function makeWander({ uniform }: ReturnType<typeof makeRandom>, count: number): (at: number) => number {
  const waves = Array.from({ length: count }, (_, k) => ({ size: 1 / (1 + k), rate: 6 * 1.7 ** k * (0.8 + 0.4 * uniform()), phase: 6.3 * uniform() }))
  const total = waves.reduce((sum, { size }) => sum + size, 0)
  return (at) => waves.reduce((sum, { size, rate, phase }) => sum + size * Math.sin(rate * at + phase), 0) / total * 1.8
}
