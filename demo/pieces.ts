import { makeRandom } from '@fennip/core/random.js'
import { gaussianBlur } from '@fennip/core/raster/blur.js'
import { fadedStation, PRINTED, TORN, type DemoSize } from './pictures.js'
import { between, expose, type Light, type Photograph } from './photograph.js'

/** The bed of the scanner, its lid open. */
const BED = 0.004
/** Paper under the picture layer, along a tear. */
const FIBRE = 0.74
/** The lower piece lies turned by so much, and further down by a share of the height. */
const TURN_DEGREES = 1.6
const APART = 0.06

/** The print of the station torn in two, both pieces on one scan, some paper lost along the tear. */
export async function tornInTwo(size: DemoSize = TORN, seed = 81): Promise<Photograph> {
  const print = await fadedStation({ width: Math.round(size.width * 0.9), height: Math.round(size.height * 0.82) })
  const random = makeRandom(seed)
  const line = tearLine(print.width, random)
  const scale = print.width / 2160
  const fibre = [0, 1].map(() => Array.from({ length: 5 }, () => between(random, 0, 6.28)))
  const bare = (which: 0 | 1, x: number) => Math.max(0, 3 + fibre[which]!.reduce((sum, phase, k) => sum + Math.sin(phase + (x * (k + 1)) / (31 * scale)), 0)) * 1.6 * scale
  const lost = (x: number) => (4 + 3 * Math.sin(x / (170 * scale)) + (x > 0.62 * print.width && x < 0.68 * print.width ? 9 : 0)) * scale
  const angle = (TURN_DEGREES * Math.PI) / 180
  const [c, s] = [Math.cos(angle), Math.sin(angle)]
  const [left, top] = [(size.width - print.width) / 2, (size.height - print.height * (1 + APART)) / 2]
  const middle = [print.width / 2, 0.75 * print.height] as const
  const channels = print.channels.map((plane) => {
    const data = new Float32Array(size.width * size.height)
    const toneAt = (x: number, y: number) => {
      const [px, py] = [Math.max(0, Math.min(print.width - 1.001, x - 0.5)), Math.max(0, Math.min(print.height - 1.001, y - 0.5))]
      const [column, row] = [Math.floor(px), Math.floor(py)]
      const at = (dx: number, dy: number) => plane.data[(row + dy) * print.width + column + dx]!
      return (at(0, 0) * (1 - px + column) + at(1, 0) * (px - column)) * (1 - py + row) + (at(0, 1) * (1 - px + column) + at(1, 1) * (px - column)) * (py - row)
    }
    for (let y = 0; y < size.height; y++) {
      for (let x = 0; x < size.width; x++) {
        let value = BED
        const upper = [x + 0.5 - left, y + 0.5 - top] as const
        const [mx, my] = [x + 0.5 - left - middle[0] - 12 * scale, y + 0.5 - top - APART * print.height - middle[1]]
        const lower = [middle[0] + c * mx + s * my, middle[1] - s * mx + c * my] as const
        for (const [which, [px, py]] of [[0, upper], [1, lower]] as const) {
          if (px < 0 || py < 0 || px >= print.width || py >= print.height) continue
          const edge = print.height * line[Math.min(print.width - 1, Math.floor(px))]!
          const beyond = which === 0 ? py - (edge - lost(px) / 2) : edge + lost(px) / 2 - py
          if (beyond <= 0) value = toneAt(px, py)
          else if (beyond <= bare(which, px)) value = FIBRE
        }
        data[y * size.width + x] = value
      }
    }
    return { width: size.width, height: size.height, data }
  })
  const light: Light = { ...size, channels: channels.map((plane) => gaussianBlur(plane, 0.6)) }
  return { ...expose(light, light, { ...PRINTED, seed }) }
}

/** A line that wanders by midpoint displacement: heights as shares, one a column. */
function tearLine(width: number, random: ReturnType<typeof makeRandom>): Float64Array {
  const count = 1025
  const knots = new Float64Array(count)
  knots[0] = between(random, -0.04, 0.04)
  knots[count - 1] = between(random, -0.04, 0.04)
  let reach = 0.045
  for (let step = count - 1; step > 1; step /= 2) {
    for (let i = step / 2; i < count; i += step) knots[i] = (knots[i - step / 2]! + knots[i + step / 2]!) / 2 + between(random, -reach, reach)
    reach *= 0.54
  }
  return Float64Array.from({ length: width }, (_, x) => {
    const at = (x * (count - 1)) / (width - 1)
    const i = Math.min(count - 2, Math.floor(at))
    return 0.5 + knots[i]! + (knots[i + 1]! - knots[i]!) * (at - i)
  })
}
