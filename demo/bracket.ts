import { expose, lightOfRender, type Light, type Photograph } from './photograph.js'
import { scene, type DemoSize } from './pictures.js'

/** Light of the three exposures, their times in seconds, and how the hand moved between them: degrees, and shares of the width. */
export const DUSK = [
  { name: 'dusk-dark.jpg', gain: 0.24, time: [1, 250], turn: 0.5, dx: 0.006, dy: -0.004, step: 0 },
  { name: 'dusk-middle.jpg', gain: 1, time: [1, 60], turn: 0, dx: 0, dy: 0, step: 1 },
  { name: 'dusk-light.jpg', gain: 4, time: [1, 15], turn: -0.4, dx: -0.005, dy: 0.005, step: 2 },
] as const
export type DuskFrame = (typeof DUSK)[number]

const smooth = (t: number) => {
  const u = Math.max(0, Math.min(1, t))
  return u * u * (3 - 2 * u)
}

/** The valley at dusk, without what moves. */
export async function duskLight(size: DemoSize): Promise<Light> {
  const day = await lightOfRender(scene('pylon'), { ...size, channels: 3, softness: 1, detail: 0.12, seed: 17 })
  const { width, height } = size
  const channels = day.channels.map((plane, c) => {
    const data = new Float32Array(plane.data.length)
    for (let i = 0; i < data.length; i++) {
      const [x, y] = [(i % width) / width, Math.floor(i / width) / height]
      // The sky still glows where the sun went down; the ground lies in the dark.
      const glow = Math.exp(-(((x - 0.22) / 0.3) ** 2) - ((y - 0.55) / 0.26) ** 2)
      const sky = smooth((0.78 - y) / 0.1)
      const tint = [0.42, 0.46, 0.62][c]!
      data[i] = plane.data[i]! * (tint * (0.1 + 0.25 * sky) + glow * sky * [3.4, 2.1, 1.1][c]!)
    }
    return { width, height, data }
  })
  return { width, height, channels }
}

/** One exposure: the cabin and two people have gone on, the hand has moved. */
export function duskFrame(light: Light, { gain, turn, dx, dy, step }: DuskFrame, seed: number): Photograph {
  const { width, height } = light
  const [c, s] = [Math.cos((turn * Math.PI) / 180), Math.sin((turn * Math.PI) / 180)]
  const figures = [{ x: 0.3 + 0.035 * step, y: 0.875, size: 0.062 }, { x: 0.35 + 0.034 * step, y: 0.885, size: 0.056 }]
  const cabin = { x: 0.47 + 0.032 * step, y: 0.42 - 0.012 * step }
  const channels = light.channels.map((plane, channel) => {
    const data = new Float32Array(plane.data.length)
    for (let y = 0, i = 0; y < height; y++) {
      for (let x = 0; x < width; x++, i++) {
        const [px, py] = [x + 0.5 - width / 2 - dx * width, y + 0.5 - height / 2 - dy * width]
        const [sx, sy] = [Math.max(0, Math.min(width - 1.001, c * px + s * py + width / 2 - 0.5)), Math.max(0, Math.min(height - 1.001, -s * px + c * py + height / 2 - 0.5))]
        const [column, row] = [Math.floor(sx), Math.floor(sy)]
        const at = (ox: number, oy: number) => plane.data[Math.min(height - 1, row + oy) * width + Math.min(width - 1, column + ox)]!
        let value = (at(0, 0) * (1 - sx + column) + at(1, 0) * (sx - column)) * (1 - sy + row) + (at(0, 1) * (1 - sx + column) + at(1, 1) * (sx - column)) * (sy - row)
        const [u, v] = [sx / width, sy / height]
        for (const { x: fx, y: fy, size } of figures) value += (figureCover(u - fx, ((v - fy) * height) / width, size, step) * ([0.0012, 0.0014, 0.002][channel]! - value))
        const inside = cabinCover(u - cabin.x, ((v - cabin.y) * height) / width)
        value += inside.body * ([0.05, 0.018, 0.014][channel]! - value)
        value += inside.window * ([0.9, 0.62, 0.28][channel]! - value)
        data[i] = value * gain
      }
    }
    return { width, height, data }
  })
  const taken: Light = { width, height, channels }
  return expose(taken, taken, { electrons: 6000, readNoise: 4, grainSize: 0, depth: 8, seed })
}

/** A walking figure as a shape against the ground: head, body, two legs; 0 to 1. */
function figureCover(x: number, y: number, size: number, step: number): number {
  // Nothing of a figure reaches farther than its height.
  if (Math.abs(x) > size || Math.abs(y) > size) return 0
  const soft = 0.0006
  const disc = (cx: number, cy: number, r: number) => smooth((r - Math.hypot(x - cx, y - cy)) / soft + 0.5)
  const limb = (x0: number, y0: number, x1: number, y1: number, r: number) => {
    const t = Math.max(0, Math.min(1, ((x - x0) * (x1 - x0) + (y - y0) * (y1 - y0)) / ((x1 - x0) ** 2 + (y1 - y0) ** 2)))
    return smooth((r - Math.hypot(x - x0 - t * (x1 - x0), y - y0 - t * (y1 - y0))) / soft + 0.5)
  }
  const stride = (step === 1 ? 0.06 : 0.16) * size
  return Math.max(disc(0, -0.44 * size, 0.075 * size), limb(0, -0.32 * size, 0, 0, 0.11 * size), limb(0, 0, stride, 0.45 * size, 0.05 * size), limb(0, 0, -stride, 0.45 * size, 0.05 * size))
}

/** The cabin of the tramway: a body with a row of lit windows. */
function cabinCover(x: number, y: number): { body: number; window: number } {
  if (Math.abs(x) > 0.04 || Math.abs(y) > 0.06) return { body: 0, window: 0 }
  const soft = 0.0007
  const box = (cx: number, cy: number, w: number, h: number) => smooth((w - Math.abs(x - cx)) / soft + 0.5) * smooth((h - Math.abs(y - cy)) / soft + 0.5)
  const window = Math.max(...[-0.018, 0, 0.018].map((cx) => box(cx, -0.006, 0.007, 0.008)))
  return { body: Math.max(box(0, 0, 0.03, 0.02), box(0, -0.032, 0.002, 0.014)), window }
}
