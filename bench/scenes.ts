import sharp from 'sharp'
import { fileURLToPath } from 'node:url'
import cv from '@techstark/opencv-js'
import type { IntegerRaster } from '@fennip/core/raster/raster.js'
import type { Transfer } from '@fennip/core/raster/transfer.js'
import { makeRandom } from '@fennip/core/random.js'
import { copyLight } from '@fennip/demo/damage.js'
import { addLosses, addStains, addTears } from '@fennip/demo/print-damage.js'
import { between, lightOfRender, printOf, SEPIA, type Exposure, type Light, type Toning } from '@fennip/demo/photograph.js'
import { pylonLight } from '@fennip/demo/pictures.js'

/** Side of the piece of a photograph that is measured on, in pixels. */
const SIDE = 512

/** File of a render of the demo. */
export const renderOf = (name: string) => fileURLToPath(new URL(`../demo/scenes/${name}.jpg`, import.meta.url))

/** A scene with the way in which its picture was taken. */
export interface ExposedScene {
  readonly name: string
  readonly light: Light
  readonly exposure: Omit<Exposure, 'seed'>
}

/** How a camera takes a frame of a scene. */
export const FRAME: Omit<Exposure, 'seed'> = { electrons: 14000, readNoise: 6, grainSize: 0, depth: 8 }

/** The three renders of the demo, smaller than there: a frame under the sky, one of a dive, and a print that was scanned. */
export async function demoScenes(): Promise<{ pylon: ExposedScene; shaft: ExposedScene; station: ExposedScene }> {
  return {
    pylon: { name: 'pylon', light: await pylonLight({ width: 3000, height: 2000 }), exposure: FRAME },
    shaft: { name: 'shaft', light: await lightOfRender(renderOf('shaft'), { width: 3000, height: 2000, channels: 3, softness: 1.1, detail: 0.12, seed: 12 }), exposure: { ...FRAME, electrons: 6000, readNoise: 9 } },
    station: { name: 'station', light: await lightOfRender(renderOf('station'), { width: 3600, height: 2400, channels: 1, softness: 1.2, detail: 0.12, seed: 13 }), exposure: PRINT },
  }
}

/** Wait until the computer-vision library can be called. */
export async function openCv(): Promise<void> {
  await new Promise<void>((resolve) => {
    if (cv.Mat) resolve()
    else cv.onRuntimeInitialized = () => resolve()
  })
}

/** The middle of a photograph as light; all of it when the side is infinite. */
export function sceneOf(raster: IntegerRaster, transfer: Transfer, side = SIDE): Light {
  const width = Math.min(side, raster.width)
  const height = Math.min(side, raster.height)
  const left = (raster.width - width) >> 1
  const top = (raster.height - height) >> 1
  const at = (i: number, c: number) => raster.data[((top + Math.floor(i / width)) * raster.width + left + (i % width)) * 3 + c]!
  return { width, height, channels: [0, 1, 2].map((c) => ({ width, height, data: Float32Array.from({ length: width * height }, (_value, i) => transfer.light[at(i, c)]!) })) }
}

/** Pixels that the damage changed visibly, grown by one. */
export function maskOf(scene: Light, hurt: Light, clean: IntegerRaster, damaged: IntegerRaster): Uint8Array {
  const { width, height } = scene
  const changed = Uint8Array.from({ length: width * height }, (_value, i) =>
    [0, 1, 2].some((c) => Math.abs(scene.channels[c]!.data[i]! - hurt.channels[c]!.data[i]!) > 0.004 && Math.abs(clean.data[3 * i + c]! - damaged.data[3 * i + c]!) > 2) ? 1 : 0,
  )
  return changed.map((value, i) => {
    const x = i % width
    return value || (x > 0 && changed[i - 1]) || (x + 1 < width && changed[i + 1]) || changed[i - width] || changed[i + width] ? 1 : 0
  })
}

/** How a print that was scanned is taken: with the grain of its film, at full depth. */
export const PRINT: Omit<Exposure, 'seed'> = { electrons: 1600, readNoise: 4, grainSize: 0.9, depth: 16 }

/** A scene without colour. Shares of the channels as in Recommendation ITU-R BT.709, rounded. */
export function greyOf(light: Light): Light {
  const [red, green, blue] = light.channels
  if (!green || !blue) return light
  return { ...light, channels: [{ ...green, data: green.data.map((value, i) => 0.21 * red!.data[i]! + 0.72 * value + 0.07 * blue.data[i]!) }] }
}

/** A light with so much of its colour left, as colour prints fade (common practice). */
export function paleOf(light: Light, share: number): Light {
  const grey = greyOf(light).channels[0]!.data
  return { ...light, channels: light.channels.map((plane) => ({ ...plane, data: plane.data.map((value, i) => grey[i]! + share * (value - grey[i]!)) })) }
}

/** Put things with clean sides into a scene, bright three times in four: lit walls, windows and lamps. */
export function addThings(light: Light, count: number, seed: number): void {
  const random = makeRandom(seed)
  const short = Math.min(light.width, light.height)
  for (let n = 0; n < count; n++) {
    const [x, y] = [between(random, 0, light.width), between(random, 0, light.height)]
    const [a, b] = [between(random, 0.02, 0.14) * short, between(random, 0.02, 0.14) * short]
    const turn = random.uniform() < 0.5 ? 0 : between(random, -0.3, 0.3)
    const round = random.uniform() < 0.3
    const tone = random.uniform() < 0.75 ? between(random, 0.3, 0.8) : 0.02
    const softness = between(random, 1.4, 3.4)
    for (let py = 0; py < light.height; py++) {
      for (let px = 0; px < light.width; px++) {
        const [dx, dy] = [px + 0.5 - x, py + 0.5 - y]
        const u = dx * Math.cos(turn) + dy * Math.sin(turn)
        const v = dy * Math.cos(turn) - dx * Math.sin(turn)
        const outside = round ? (Math.hypot(u / a, v / b) - 1) * Math.min(a, b) : Math.max(Math.abs(u) - a, Math.abs(v) - b)
        const share = Math.max(0, Math.min(1, 0.5 - outside / softness))
        if (share > 0) for (const plane of light.channels) plane.data[py * light.width + px] = plane.data[py * light.width + px]! * (1 - share) + tone * share
      }
    }
  }
}

/** Ground of stones as round, as sharp and as close as specks could be; grey. */
export function stones(width: number, height: number, seed: number): Light {
  const random = makeRandom(seed)
  const log = new Float32Array(width * height)
  for (let n = 0; n < (width * height) / 110; n++) {
    const [x, y, r] = [width * random.uniform(), height * random.uniform(), 2 + 1.5 * random.uniform()]
    const depth = (random.uniform() < 0.5 ? -1 : 1) * (0.2 + 0.25 * random.uniform())
    for (let row = Math.max(0, Math.floor(y - r - 2)); row < Math.min(height, y + r + 2); row++) {
      for (let column = Math.max(0, Math.floor(x - r - 2)); column < Math.min(width, x + r + 2); column++) {
        log[row * width + column]! += depth * Math.max(0, Math.min(1, (r - Math.hypot(column + 0.5 - x, row + 0.5 - y)) / 1.5 + 0.5))
      }
    }
  }
  const plane = { width, height, data: log.map((value) => 0.15 * Math.exp(value)) }
  return { width, height, channels: [plane, plane, plane] }
}

/** What a print was before it was torn, and how it was scanned. */
export interface TornScan {
  /** Things with clean sides that are put into the scene. */
  readonly things: number
  readonly tears: number
  readonly losses: number
  /**
   * The white of an old print is no lighter than its paper, and of a pale one black is grey (common practice); of a new one white
   * is as light as it gets.
   */
  readonly age: 'new' | 'faded' | 'pale'
  /** Times the light of a scan that clips nothing. */
  readonly exposure: number
  /** What the bare paper leaves of each channel, and how rough it is, of 1: coated paper is smooth. */
  readonly paper: readonly number[]
  readonly roughness: number
  /** Radius of a corner that is broken off besides, of the shorter side; 0 for none. */
  readonly corner: number
}

/** Light of black, and of white above it. */
const AGES = { new: [0, 1], faded: [0.03, 0.72], pale: [0.25, 0.5] } as const

/** Light of bare paper in the middle: as addTears and addLosses of the demo leave it. */
const BARE = 0.85

/** Paper that is neutral, and as it yellows with age (common practice). */
export const PAPERS: readonly (readonly number[])[] = [[1, 1, 1], [1, 0.97, 0.9], [1, 0.92, 0.78]]

/** A scene as a print, and the same with tears and losses, the first of them at a corner. */
export function tornPrint(light: Light, seed: number, { things, tears, losses, age, exposure, paper, roughness, corner }: TornScan): { print: Light; hurt: Light } {
  const [black, range] = AGES[age]
  const print = { ...light, channels: light.channels.map((plane) => ({ ...plane, data: plane.data.map((value) => black + range * value) })) }
  addThings(print, things, seed)
  const hurt = copyLight(print)
  const short = Math.min(light.width, light.height)
  addTears(hurt, { count: tears, width: Math.max(12, short / 60), seed })
  addLosses(hurt, { count: losses, radius: [Math.max(12, short / 60), short / 14], seed: seed + 1 })
  if (corner > 0) addLosses(hurt, { count: 1, radius: [corner * short, corner * short], seed: seed + 2 })
  hurt.channels.forEach((plane, c) => {
    const before = print.channels[c]!.data
    for (let i = 0; i < before.length; i++) if (plane.data[i] !== before[i]) plane.data[i] = (BARE + roughness * (plane.data[i]! - BARE)) * (hurt.channels.length < 3 ? 1 : paper[c]!)
  })
  for (const { data } of [...print.channels, ...hurt.channels]) for (let i = 0; i < data.length; i++) data[i]! *= exposure
  return { print, hurt }
}

/** Prints as they come: brown, neutral on cream paper, and cold. */
export const TONINGS: readonly Toning[] = [SEPIA, { black: [0.03, 0.03, 0.03], paper: [0.8, 0.77, 0.7], bend: [1, 1, 1] }, { black: [0.03, 0.032, 0.036], paper: [0.78, 0.8, 0.8], bend: [1.03, 1, 0.98] }]

/** A scene as a print of one colour, and the same with water stains and twelve times as many spots of foxing. */
export function stainedPrint(light: Light, seed: number, water: number): { print: Light; hurt: Light } {
  const print = printOf(light, TONINGS[seed % TONINGS.length]!)
  const hurt = copyLight(print)
  const short = Math.min(light.width, light.height)
  addStains(hurt, { water, foxing: 12 * water, radius: [Math.max(6, short / 150), short / 30], depth: [0.12, 0.7], seed })
  return { print, hurt }
}

/** Whether a channel lost or won light that shows; faint rims of stains do not count. */
export function changedAt(print: Light, hurt: Light, i: number): boolean {
  return print.channels.some((plane, c) => {
    const change = Math.abs(plane.data[i]! - hurt.channels[c]!.data[i]!)
    return change > 0.04 || change > 0.05 * plane.data[i]!
  })
}

/** What is left of a picture of 8 bits when it was kept as cameras keep it: colour at half the resolution, in blocks. */
export async function throughJpeg({ width, height, channels, data }: IntegerRaster): Promise<IntegerRaster> {
  const file = await sharp(data, { raw: { width, height, channels: channels as 1 | 3 } }).jpeg({ quality: 92 }).toBuffer()
  return { width, height, channels, data: new Uint8Array(await sharp(file).raw().toBuffer()) }
}
