import type { FloatRaster } from '../../raster/raster.js'
import { WASM } from '../generated/sharpen-wasm.js'
import { Layout, lazily, reserve, Struct } from '../module.js'

interface Kernels {
  readonly memory: WebAssembly.Memory
  sharpen(of: number): void
}

const compiled = lazily<Kernels>(WASM)

const sharpening = new Struct(['red', 'green', 'blue', 'add', 'least', 'beyond'], ['pixels', 'width', 'height', 'channels', 'taps', 'radius', 'brightness', 'blurred', 'across', 'line'])

/** How brightness is sharpened; values of brightness are 0 to 1. */
export interface BrightnessSharpening {
  /** Taps of the blur that is undone, an odd number. */
  readonly taps: Float64Array
  /** Share of the difference between a pixel and its blur that is added. */
  readonly add: number
  /** Differences up to it are left. */
  readonly least: number
  /** How far a pixel may leave the range of its eight neighbours. */
  readonly beyond: number
}

/**
 * Unsharp masking of brightness; the same change is made in all channels.
 *
 * @param raster     Encoded pixels of 1 or 3 channels, 0 to 1.
 * @param luminance  Shares of the channels in brightness.
 * @returns A new raster; sums are made in double precision.
 */
export function sharpenBrightness({ width, height, channels, data }: FloatRaster, luminance: readonly number[], { taps, add, least, beyond }: BrightnessSharpening): FloatRaster {
  const { memory, sharpen } = compiled()
  const radius = (taps.length - 1) / 2
  const layout = new Layout()
  const at = layout.claim(sharpening.bytes)
  const pixels = layout.claim(data.byteLength)
  const [brightness, blurred, across] = [layout.claim(4 * width * height), layout.claim(4 * width * height), layout.claim(4 * width * height)]
  const tapsAt = layout.claim(taps.byteLength)
  const line = layout.claim(8 * (width + 2 * radius))
  reserve(memory, layout.end)
  const [red, green = 0, blue = 0] = luminance as [number, number?, number?]
  sharpening.write(memory.buffer, at, { red, green, blue, add, least, beyond, pixels, width, height, channels, taps: tapsAt, radius, brightness, blurred, across, line })
  new Float64Array(memory.buffer, tapsAt, taps.length).set(taps)
  const values = new Float32Array(memory.buffer, pixels, data.length)
  values.set(data)
  sharpen(at)
  return { width, height, channels, data: values.slice() }
}
