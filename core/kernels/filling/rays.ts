import type { FloatRaster } from '../../raster/raster.js'
import { WASM } from '../generated/rays-wasm.js'
import { Layout, lazily, reserve, Struct } from '../module.js'

interface Kernels {
  readonly memory: WebAssembly.Memory
  tonesOfRow(of: number, y: number, left: number, right: number, into: number): void
}

const compiled = lazily<Kernels>(WASM)
const how = new Struct(['red', 'green', 'blue', 'otherTone'], ['pixels', 'masked', 'width', 'height', 'channels', 'mostSteps', 'room'])

/** Doubles that stand for a pixel, whatever its channels. */
export const TONE_PLACES = 3

/** How rays are weighed. */
export interface RayWeighing {
  /** Shares of the channels in brightness. */
  readonly luminance: readonly number[]
  /** Encoded brightness by which a ray is off the middle of all and has half a say. */
  readonly otherTone: number
  /** So far a ray goes through masked pixels. */
  readonly mostSteps: number
}

/**
 * Tones of the surroundings of masked pixels: eight rays from each go to the nearest pixels that are not masked; the nearer,
 * the more they say, and a ray that meets another tone than most (the weighted median) says little.
 *
 * @param raster  Encoded, 0 to 1, of 1 or 3 channels.
 * @param masked  By pixel, not 0 where masked.
 * @returns       What tells the tones of the masked pixels of a row from `left` to before `right`: `TONE_PLACES` numbers for
 *                each, one pixel after the other; the first is below 0 where nothing is met. They hold until the next row is
 *                asked for, and rows are told until it is called for another raster.
 */
export function raysThrough({ width, height, channels, data }: FloatRaster, masked: Uint8Array, { luminance, otherTone, mostSteps }: RayWeighing): (y: number, left: number, right: number) => Float64Array {
  const { memory, tonesOfRow } = compiled()
  const layout = new Layout()
  const [at, pixels, mask, room, into] = [how.bytes, data.byteLength, masked.length, 8 * 5 * 8, 8 * TONE_PLACES * width].map((bytes) => layout.claim(bytes)) as [number, number, number, number, number]
  reserve(memory, layout.end)
  const [red, green = 0, blue = 0] = luminance as [number, number?, number?]
  how.write(memory.buffer, at, { red, green, blue, otherTone, pixels, masked: mask, width, height, channels, mostSteps, room })
  new Float32Array(memory.buffer, pixels, data.length).set(data)
  new Uint8Array(memory.buffer, mask, masked.length).set(masked)
  const tones = new Float64Array(memory.buffer, into, TONE_PLACES * width)
  return (y, left, right) => {
    tonesOfRow(at, y, left, right, into)
    return tones
  }
}
