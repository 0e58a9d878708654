import { gaussianBlur } from '@fennip/core/raster/blur.js'
import { makeRandom } from '@fennip/core/random.js'
import { addBackscatter, copyLight } from './damage.js'
import type { IntegerRaster } from '@fennip/core/raster/raster.js'
import { between, expose, lightOfRender, printOf, SEPIA, type Light, type Photograph } from './photograph.js'
import { pylonLight, scene, type DemoSize } from './pictures.js'

/** Pictures whose trouble covers an area: what the stage Correct is for. */

/** 6 megapixels: what these tasks need, and no more to wait for. */
export const AREA_FRAME: DemoSize = { width: 3000, height: 2000 }

const CAMERA = { electrons: 14000, readNoise: 6, grainSize: 0, depth: 8 } as const

const smooth = (t: number): number => {
  const u = Math.max(0, Math.min(1, t))
  return u * u * (3 - 2 * u)
}

/** Change the light of each pixel. @param change  New light of the channels at a place; x and y from 0 to 1. */
function changed(light: Light, change: (rgb: number[], x: number, y: number, i: number) => readonly number[]): Light {
  const result = copyLight(light)
  const { width, height, channels } = result
  const rgb = channels.map(() => 0)
  for (let y = 0, i = 0; y < height; y++) {
    for (let x = 0; x < width; x++, i++) {
      for (let c = 0; c < channels.length; c++) rgb[c] = light.channels[c]!.data[i]!
      const next = change(rgb, (x + 0.5) / width, (y + 0.5) / height, i)
      for (let c = 0; c < channels.length; c++) channels[c]!.data[i] = next[c]!
    }
  }
  return result
}

/** Pylon 7 through a cabin window in rain: three drops near the lens, far out of focus, take the contrast away. */
export async function rainyWindow(size: DemoSize = AREA_FRAME, seed = 71): Promise<Photograph> {
  const light = await pylonLight(size)
  const blurred = light.channels.map((plane) => gaussianBlur(plane, size.width / 400))
  const drops = [{ x: 0.3, y: 0.38, r: 0.13, veil: 0.36 }, { x: 0.62, y: 0.3, r: 0.09, veil: 0.3 }, { x: 0.73, y: 0.68, r: 0.11, veil: 0.33 }]
  const ratio = size.width / size.height
  const damage = changed(light, (rgb, x, y, i) => {
    let result: readonly number[] = rgb
    for (const drop of drops) {
      const angle = Math.atan2(y - drop.y, (x - drop.x) * ratio)
      const away = Math.hypot((x - drop.x) * ratio, y - drop.y) / (drop.r * ratio * (1 + 0.06 * Math.sin(2 * angle + drop.x * 9)))
      const m = smooth(1.25 - away)
      if (m > 0) result = result.map((value, c) => (value + 0.8 * m * (blurred[c]!.data[i]! - value)) * (1 - 0.5 * m) + drop.veil * m)
    }
    return result
  })
  return expose(light, damage, { ...CAMERA, seed })
}

/** The valley in haze with the sun in the lens: two coloured streaks, and a green haul rope that has the colour of one. */
export async function hazyValley(size: DemoSize = AREA_FRAME, seed = 72): Promise<Photograph> {
  const light = await pylonLight(size)
  const rope = (x: number, y: number) => smooth(1.6 - Math.abs(y - (0.86 - 0.34 * x + 0.06 * x * x)) * size.height / (size.width / 700))
  const roped = changed(light, (rgb, x, y) => {
    const m = rope(x, y)
    return m === 0 ? rgb : rgb.map((value, c) => value + m * ([0.05, 0.17, 0.07][c]! - value))
  })
  const damage = changed(roped, (rgb, x, y) => {
    const t = Math.exp(-0.15 - 1.3 * smooth((0.85 - y) / 0.6))
    const streak = (away: number, width: number) => smooth(1.4 - Math.abs(away) / width)
    const green = streak((x - 0.3) * 0.82 + (y - 0.2) * 0.57, 0.03)
    const magenta = streak((x - 0.62) * 0.76 + (y - 0.25) * 0.65, 0.022)
    return rgb.map((value, c) => value * t + [0.62, 0.66, 0.72][c]! * (1 - t) + [0.01, 0.1, 0.035][c]! * green + [0.085, 0.012, 0.07][c]! * magenta)
  })
  return expose(roped, damage, { ...CAMERA, seed })
}

/**
 * The cloth of a cabin's seat: its threads are finer than the pixels where it leans away, so that the sensor itself makes
 * the moire, in brightness and, since its colours lie beside one another, in colour.
 */
export function seatCover(size: DemoSize = AREA_FRAME, seed = 73): Photograph {
  const { width, height } = size
  const random = makeRandom(seed)
  const waves = Array.from({ length: 5 }, () => ({ fx: between(random, 1, 4), fy: between(random, 1, 4), phase: between(random, 0, 6.28), depth: between(random, 0.004, 0.012) }))
  const threads = (u: number, v: number) => 0.5 + 0.25 * Math.cos(2 * Math.PI * u) + 0.25 * Math.cos(2 * Math.PI * v)
  const channels = [0, 1, 2].map((c) => {
    const data = new Float32Array(width * height)
    for (let y = 0, i = 0; y < height; y++) {
      for (let x = 0; x < width; x++, i++) {
        // The photosites of a colour lie half a pixel aside of the others.
        const [px, py] = [(x + [0.5, 0, -0.5][c]!) / width, (y + [0, 0.5, 0][c]!) / height]
        let fold = 0
        for (const { fx, fy, phase, depth } of waves) fold += depth * Math.sin(2 * Math.PI * (fx * px + fy * py) + phase)
        // In the middle a thread is about as wide as a pixel, and what is left of it beats with the pixels; towards the
        // edges the cloth is nearer and the sensor tells it.
        const lean = smooth(1.5 - Math.hypot((px - 0.47) / 0.3, (py - 0.5) / 0.26))
        const beat = threads(0.021 * x + 26 * fold + (c - 1) * 0.16, 0.017 * y + 31 * fold - (c - 1) * 0.12)
        const told = threads(0.24 * x + 20 * fold, 0.24 * y + 20 * fold)
        const weave = told + lean * (0.5 + 0.42 * (beat - 0.5) - told)
        const seam = smooth(1.5 - Math.abs(py - 0.5 - 0.38 * Math.sign(py - 0.5)) * height / 6)
        const light = (0.75 + 0.35 * fold * 30) * (0.55 + 0.45 * Math.cos((px - 0.4) * 2.2)) * (1 - 0.55 * seam)
        data[i] = Math.max(0.004, [0.34, 0.1, 0.08][c]! * light * (0.45 + 0.75 * weave))
      }
    }
    return { width, height, data }
  })
  const light: Light = { width, height, channels }
  return expose(light, light, { ...CAMERA, electrons: 16000, seed })
}

/** The upper station by night. A lamp was taken out by an earlier tool: two flat patches without grain are left. */
export async function nightStation(size: DemoSize = { width: 2400, height: 1600 }, seed = 74): Promise<Photograph> {
  const day = await lightOfRender(scene('station'), { ...size, channels: 3, softness: 1, detail: 0.12, seed: 15 })
  const night = changed(day, (rgb, x, y) => {
    const grey = (rgb[0]! + rgb[1]! + rgb[2]!) / 3
    const glow = Math.exp(-(((x - 0.28) / 0.2) ** 2) - ((y - 0.72) / 0.22) ** 2)
    return [0.05, 0.065, 0.11].map((tint, c) => 0.008 + tint * (0.35 * grey + 0.5 * rgb[c]!) * 1.6 + [0.5, 0.34, 0.14][c]! * glow * rgb[c]! * 0.6)
  })
  const taken = expose(night, night, { electrons: 900, readNoise: 5, grainSize: 0.6, depth: 8, seed })
  wipe(taken.damaged, [{ x: 0.79, y: 0.12, r: 0.035 }, { x: 0.12, y: 0.24, r: 0.028 }])
  return taken
}

/** A brown print of the pylon with the ring of a cup and three pale streaks where water ran down. */
export async function ringStain(size: DemoSize = { width: 2400, height: 1600 }, seed = 75): Promise<Photograph> {
  const print = printOf(await pylonLight(size), SEPIA)
  const ratio = size.width / size.height
  const damage = changed(print, (rgb, x, y) => {
    const angle = Math.atan2(y - 0.44, (x - 0.36) * ratio)
    const r = Math.hypot((x - 0.36) * ratio, y - 0.44) / (1 + 0.02 * Math.sin(3 * angle + 1))
    const rim = Math.exp(-(((r - 0.25) / 0.014) ** 2)) * (0.75 + 0.25 * Math.sin(angle * 2 + 0.6))
    const depth = 0.22 * smooth((0.262 - r) / 0.03) + 0.75 * rim
    const pale = [0.66, 0.74, 0.85].reduce((most, at, n) => Math.max(most, smooth(1.5 - Math.abs(x - at - 0.006 * Math.sin(9 * y + n)) / [0.008, 0.005, 0.011][n]!) * smooth((y - 0.05) / 0.2) * smooth((0.8 - 0.1 * n - y) / 0.25)), 0)
    return rgb.map((value, c) => value * Math.exp(-depth * [0.35, 0.75, 1.15][c]!) * (1 + 0.22 * pale) + 0.012 * pale)
  })
  return expose(print, damage, { electrons: 3000, readNoise: 4, grainSize: 0.9, depth: 16, seed })
}

/** A dive into the shaft with the lamp too near the lens: thousands of lit particles before the wheel. */
export async function denseDive(size: DemoSize = AREA_FRAME, seed = 76): Promise<Photograph> {
  const light = await lightOfRender(scene('shaft'), { ...size, channels: 3, softness: 1.1, detail: 0.12, seed: 12 })
  const damage = copyLight(light)
  addBackscatter(damage, { count: Math.round(2600 * (size.width / AREA_FRAME.width) ** 2), radius: [1.4, Math.max(3, size.width / 500)], seed })
  return expose(light, damage, { electrons: 6000, readNoise: 9, grainSize: 0, depth: 8, seed })
}

/** What an earlier tool left where it took a lamp out: the mean of the surroundings, and no grain. */
function wipe({ width, height, channels, data }: IntegerRaster, places: readonly { x: number; y: number; r: number }[]): void {
  for (let c = 0; c < channels; c++) {
    const plane = new Float32Array(width * height)
    for (let i = 0; i < plane.length; i++) plane[i] = data[i * channels + c]!
    const soft = gaussianBlur({ width, height, data: plane }, width / 240).data
    for (const { x, y, r } of places) {
      for (let py = 0; py < height; py++) {
        for (let px = 0; px < width; px++) {
          const m = smooth((1.06 - Math.hypot((px + 0.5) / width - x, ((py + 0.5) / height - y) * (height / width)) / r) * 10)
          const i = py * width + px
          if (m > 0) data[i * channels + c] = Math.round(plane[i]! + m * (soft[i]! - plane[i]!))
        }
      }
    }
  }
}
