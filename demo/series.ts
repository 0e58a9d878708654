import { makeRandom } from '@fennip/core/random.js'
import { castShadow, copyLight, type TrueFlaw } from './damage.js'
import { between, betweenLogarithmically, expose, type Light, type Photograph } from './photograph.js'

/** A grain of dust on the made-up sensor, in pixels of an upright frame. */
export interface SensorDust {
  readonly x: number
  readonly y: number
  readonly core: number
  /** Share of the light that is lost in the middle at f/22. */
  readonly lost: number
  readonly seed: number
}

/** How one frame of the series was taken. */
export interface SeriesFrame {
  readonly name: string
  readonly aperture: number
  readonly taken: string
  /** Where the scene is cut from the wider one, as shares of the room there is. */
  readonly from: readonly [number, number]
  /** Radial shift that the lens makes, about 1. */
  readonly scale: number
  readonly bright: number
  /** Held upright: the frame is turned a quarter clockwise after it was taken. */
  readonly upright?: boolean
}

/** Room around a frame of the series, so that every frame shows another part of the scene. */
export const SERIES_ROOM = 1.35

/** Distance from the dust to the sensor over twice the pixel pitch, for a frame 6000 pixels wide. */
const SPREAD = 260

export const SERIES_FRAMES: readonly SeriesFrame[] = [
  { name: 'pylon-4-noon', aperture: 22, taken: '2026:05:12 12:03:40', from: [0.1, 0.05], scale: 1, bright: 1 },
  { name: 'pylon-4-cable', aperture: 16, taken: '2026:05:12 12:09:11', from: [0.85, 0.1], scale: 1.0022, bright: 0.9 },
  { name: 'pylon-5-north', aperture: 11, taken: '2026:05:13 09:31:26', from: [0.4, 0.6], scale: 0.9981, bright: 1.1 },
  { name: 'pylon-5-sky', aperture: 18, taken: '2026:05:13 09:44:58', from: [0.6, 0], scale: 1.0012, bright: 0.8 },
  { name: 'pylon-6-path', aperture: 8, taken: '2026:05:13 17:20:05', from: [0, 0.5], scale: 0.9969, bright: 0.95 },
  { name: 'pylon-6-evening', aperture: 14, taken: '2026:05:13 18:02:33', from: [0.95, 0.45], scale: 1.0008, bright: 0.7 },
  { name: 'pylon-8-ridge', aperture: 20, taken: '2026:05:20 10:15:47', from: [0.25, 0.25], scale: 0.999, bright: 1.05 },
  { name: 'pylon-8-close', aperture: 5.6, taken: '2026:05:20 10:40:19', from: [0.7, 0.3], scale: 1.0035, bright: 1 },
]

/** Dust all over a sensor, none on another. */
export function dustOfSensor(width: number, height: number, count: number, seed: number): SensorDust[] {
  const random = makeRandom(seed)
  const scale = width / 6000
  const dust: SensorDust[] = []
  for (let attempt = 0; dust.length < count && attempt < 50 * count; attempt++) {
    const grain = { x: between(random, 0.02, 0.98) * width, y: between(random, 0.02, 0.98) * height, core: betweenLogarithmically(random, 4, 24) * scale, lost: betweenLogarithmically(random, 0.05, 0.6), seed: 1000 + attempt }
    if (dust.every((other) => Math.hypot(other.x - grain.x, other.y - grain.y) > 110 * scale)) dust.push(grain)
  }
  return dust
}

const radiusAt = (core: number, width: number, aperture: number) => Math.sqrt(core ** 2 + ((SPREAD * width) / 6000 / aperture) ** 2)

/** A frame with its truth: the dust in it, and the light with and without its shadows, before any turn. */
export interface SeriesPhotograph extends Photograph {
  readonly flaws: readonly (TrueFlaw & { readonly lost: number; readonly grain: number })[]
  readonly light: Light
  readonly shaded: Light
}

/**
 * One frame of the series, with the dust of its sensor as its aperture shows it.
 *
 * @param room  Light of the whole scene, SERIES_ROOM times as wide and high as a frame.
 */
export function seriesFrame(room: Light, dust: readonly SensorDust[], frame: SeriesFrame, seed: number): SeriesPhotograph {
  const [width, height] = [Math.floor(room.width / SERIES_ROOM), Math.floor(room.height / SERIES_ROOM)]
  const left = Math.floor(frame.from[0] * (room.width - width))
  const top = Math.floor(frame.from[1] * (room.height - height))
  const light: Light = {
    width, height,
    channels: room.channels.map(({ data }) => {
      const plane = new Float32Array(width * height)
      for (let y = 0; y < height; y++) for (let x = 0; x < width; x++) plane[y * width + x] = frame.bright * data[(y + top) * room.width + x + left]!
      return { width, height, data: plane }
    }),
  }
  const damage = copyLight(light)
  const flaws = dust.map((grain, i) => {
    const r = radiusAt(grain.core, width, frame.aperture)
    const lost = Math.min(0.95, grain.lost * (radiusAt(grain.core, width, 22) / r) ** 2)
    const x = width / 2 + frame.scale * (grain.x - width / 2)
    const y = height / 2 + frame.scale * (grain.y - height / 2)
    // The same grain has the same outline in every frame.
    castShadow(damage, x, y, r, lost, makeRandom(grain.seed))
    return { kind: 'dust' as const, x, y, r, lost, grain: i }
  })
  const taken = expose(light, damage, { electrons: 14000, readNoise: 6, grainSize: 0, depth: 8, seed })
  if (!frame.upright) return { ...taken, flaws, light, shaded: damage }
  return { clean: turned(taken.clean), damaged: turned(taken.damaged), light, shaded: damage, flaws: flaws.map((flaw) => ({ ...flaw, x: height - flaw.y, y: flaw.x })) }
}

/** A quarter turn clockwise. */
function turned(raster: Photograph['clean']): Photograph['clean'] {
  const { width, height, channels, data } = raster
  const result = data.slice()
  for (let y = 0; y < height; y++) for (let x = 0; x < width; x++) for (let c = 0; c < channels; c++) result[(x * height + height - 1 - y) * channels + c] = data[(y * width + x) * channels + c]!
  return { ...raster, width: height, height: width, data: result }
}
