import { fileURLToPath } from 'node:url'
import { gaussianBlur } from '@fennip/core/raster/blur.js'
import type { Depth } from '@fennip/core/raster/raster.js'
import { addBackscatter, addDust, addScratches, addSpecks, copyLight, type TrueFlaw } from './damage.js'
import { addFolds, addLosses, addMould, addStains, addTears } from './print-damage.js'
import { expose, lightOfRender, printOf, SEPIA, type Exposure, type Light, type Photograph } from './photograph.js'

/** A made-up picture with the truth about its damage. */
export interface DemoPicture extends Photograph {
  readonly flaws: readonly TrueFlaw[]
}

export interface DemoSize {
  readonly width: number
  readonly height: number
}

/** 24 megapixels, the size of the camera frames of the demo. */
export const FRAME: DemoSize = { width: 6000, height: 4000 }
/** A print of 8 x 5.3 inches scanned at 600 per inch. */
export const PRINT: DemoSize = { width: 4800, height: 3200 }
/** A smaller one, scanned at 300. */
export const TORN: DemoSize = { width: 2400, height: 1600 }

export const scene = (name: string) => fileURLToPath(new URL(`./scenes/${name}.jpg`, import.meta.url))

/** Lengths of the damage follow the size of the picture, so that small versions look like the large ones. */
const scaleOf = (size: DemoSize, full: DemoSize) => size.width / full.width

export function pylonLight(size: DemoSize = FRAME): Promise<Light> {
  return lightOfRender(scene('pylon'), { ...size, channels: 3, softness: 0.7, detail: 0.16, seed: 11 })
}

const SENSOR: Omit<Exposure, 'depth' | 'seed'> = { electrons: 14000, readNoise: 6, grainSize: 0 }

/**
 * Pylon 7 from the west: a camera frame at f/16, about 60 shadows of dust from strong to barely visible.
 *
 * @param light  From `pylonLight`; not changed.
 */
export function dustyPylon(light: Light, seed: number, depth: Depth = 8): DemoPicture {
  const scale = light.width / FRAME.width
  const damage = copyLight(light)
  const skyward = (random: { uniform(): number }) => ({
    x: random.uniform() * light.width,
    // Dust lies all over the sensor; three in four where a large sky shows it.
    y: (random.uniform() < 0.75 ? 0.72 * random.uniform() : random.uniform()) * light.height,
  })
  const flaws = addDust(damage, { count: Math.max(14, Math.round(60 * Math.min(1, scale * 2))), radius: [Math.max(5, 9 * scale), Math.max(10, 46 * scale)], depth: [0.008, 0.42], seed, area: skyward })
  return { ...expose(light, damage, { ...SENSOR, depth, seed }), flaws }
}

/** The same place without dust, for counting false finds. */
export function cleanPylon(light: Light, seed: number): Photograph {
  return expose(light, light, { ...SENSOR, depth: 8, seed })
}

/** The lit valve wheel in the flooded counterweight shaft, with backscatter. */
export async function shaftValve(size: DemoSize = FRAME, seed = 3): Promise<DemoPicture> {
  const scale = scaleOf(size, FRAME)
  const light = await lightOfRender(scene('shaft'), { ...size, channels: 3, softness: 1.1, detail: 0.12, seed: 12 })
  const damage = copyLight(light)
  const flaws = addBackscatter(damage, { count: Math.round(340 * Math.min(1, scale * 2)), radius: [1.6, Math.max(6, 30 * scale)], seed })
  return { ...expose(light, damage, { electrons: 6000, readNoise: 9, grainSize: 0, depth: 8, seed }), flaws }
}

/** A print of the lower station scanned at 600 per inch: grain, lint and scratches. */
export async function stationPrint(size: DemoSize = PRINT, seed = 5): Promise<DemoPicture> {
  const scale = scaleOf(size, PRINT)
  const faded = await fadedStation(size)
  const damage = copyLight(faded)
  const flaws = [
    ...addSpecks(damage, { count: Math.round(220 * scale), radius: [1.2, Math.max(4, 9 * scale)], seed }),
    ...addScratches(damage, { count: Math.max(4, Math.round(26 * scale)), seed: seed + 1 }),
  ]
  return { ...expose(faded, damage, { ...PRINTED, seed }), flaws }
}

export const PRINTED: Omit<Exposure, 'seed'> = { electrons: 1600, readNoise: 4, grainSize: 0.9, depth: 16 }

/** A brown print of the pylon, kept damp: dried water with tide lines, foxing, three colonies of mould. */
export async function stainedPrint(size: DemoSize = TORN, seed = 30): Promise<DemoPicture> {
  const scale = scaleOf(size, TORN)
  const print = printOf(await pylonLight(size), SEPIA)
  const damage = copyLight(print)
  addStains(damage, { water: 3, foxing: 40, radius: [Math.max(4, 7 * scale), Math.max(6, 34 * scale)], depth: [0.12, 0.7], seed })
  const flaws = addMould(damage, { colonies: 3, spots: 12, radius: [Math.max(1.5, 2 * scale), Math.max(4, 7 * scale)], depth: [0.3, 1.6], seed: seed + 17 })
  return { ...expose(print, damage, { ...PRINTED, electrons: 4000, seed }), flaws }
}

/** Size of the colour print's image on its paper, and how far the print lies askew in the scan. */
const MARGIN = 0.055
const ASKEW_DEGREES = 1.4
/** Density that each dye has kept, and what the paper has gained: a colour print of some decades, kept light (common practice). */
const KEPT = [0.62, 0.78, 0.7]
const YELLOWED = [0.04, 0.1, 0.2]
/** Steps of the grey scale along the lower edge of the print, in density. */
const SCALE_STEPS = 11
const SCALE_TOP = 2

/** A colour print of the cable workshop: faded and gone brown, with a grey scale along its edge, askew on the scanner. */
export async function fadedPrint(size: DemoSize = TORN, seed = 60): Promise<DemoPicture> {
  const { width, height } = size
  const image = await lightOfRender(scene('workshop'), { ...size, channels: 3, softness: 0.9, detail: 0.14, seed: 14 })
  const angle = (ASKEW_DEGREES * Math.PI) / 180
  const [c, s] = [Math.cos(angle), Math.sin(angle)]
  const channels = [0, 1, 2].map((channel) => {
    const data = new Float32Array(width * height)
    for (let y = 0; y < height; y++) {
      for (let x = 0; x < width; x++) {
        // The place on the paper, 0 to 1 over the print, which is a little smaller than the scan.
        const [dx, dy] = [x + 0.5 - width / 2, y + 0.5 - height / 2]
        const u = (c * dx + s * dy) / (0.95 * width) + 0.5
        const v = (c * dy - s * dx) / (0.95 * height) + 0.5
        data[y * width + x] = u < 0 || v < 0 || u > 1 || v > 1 ? 0.028 : fadedLight(image.channels[channel]!, u, v, channel)
      }
    }
    return { width, height, data }
  })
  const light: Light = { width, height, channels: channels.map((plane) => gaussianBlur(plane, 0.6)) }
  const damage = copyLight(light)
  const flaws = addSpecks(damage, { count: Math.round(60 * scaleOf(size, TORN)), radius: [1.2, Math.max(3, 5 * scaleOf(size, TORN))], seed })
  return { ...expose(light, damage, { ...PRINTED, electrons: 5000, seed }), flaws }
}

/** Light that a place of the faded paper gives back. */
function fadedLight({ width, height, data }: Light['channels'][number], u: number, v: number, channel: number): number {
  const inImage = u > MARGIN && u < 1 - MARGIN && v > MARGIN && v < 1 - 2.2 * MARGIN
  let density = 0
  if (inImage) {
    const x = Math.min(width - 1, Math.floor(((u - MARGIN) / (1 - 2 * MARGIN)) * width))
    const y = Math.min(height - 1, Math.floor(((v - MARGIN) / (1 - 3.2 * MARGIN)) * height))
    density = Math.min(2.1, -Math.log10(Math.max(0.004, 0.92 * data[y * width + x]!)))
  } else if (v > 1 - 1.7 * MARGIN && v < 1 - 0.6 * MARGIN && u > 0.12 && u < 0.88) density = (Math.floor(((u - 0.12) / 0.76) * SCALE_STEPS) / (SCALE_STEPS - 1)) * SCALE_TOP
  return 10 ** -(density * KEPT[channel]! + YELLOWED[channel]! + 0.03)
}

/** Another print of the station, from an album: torn in two places, a corner gone, creased. */
export async function tornPrint(size: DemoSize = TORN, seed = 20): Promise<DemoPicture> {
  const scale = scaleOf(size, TORN)
  const faded = await fadedStation(size)
  const damage = copyLight(faded)
  const flaws = addFolds(damage, { count: 1, width: 5, seed })
  addTears(damage, { count: 2, width: Math.max(8, 22 * scale), seed })
  addLosses(damage, { count: 2, radius: [60 * scale, 170 * scale], seed: seed + 1 })
  return { ...expose(faded, damage, { ...PRINTED, seed }), flaws }
}

export async function fadedStation(size: DemoSize): Promise<Light> {
  const light = await lightOfRender(scene('station'), { ...size, channels: 1, softness: 1.2, detail: 0.12, seed: 13 })
  // Paper is never black nor quite white.
  return { ...light, channels: light.channels.map((plane) => ({ ...plane, data: plane.data.map((value) => 0.03 + 0.78 * value) })) }
}
