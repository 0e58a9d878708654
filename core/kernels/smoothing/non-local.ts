import type { FloatRaster } from '../../raster/raster.js'
import { WASM } from '../generated/non-local-wasm.js'
import { Layout, lazily, reserve, Struct } from '../module.js'

interface Kernels {
  readonly memory: WebAssembly.Memory
  nonLocalMeans(of: number): void
}

const compiled = lazily<Kernels>(WASM)
const fields = new Struct(['scale', 'bias'], ['width', 'height', 'channels', 'search', 'stride', 'count', 'source', 'sums', 'weights', 'greatest', 'room'])

/** Pixels of a patch: three by three. */
const PATCH = 9
/** Four pixels are read at once; a row ends in room for them. */
const LANES = 4

/**
 * Non-local means: each pixel becomes the mean of those around it whose neighbourhoods look like its own, so that noise goes
 * and structure that repeats stays.
 *
 * Patches of 3 x 3 pixels, all channels together; what noise alone makes them differ by counts for nothing, and the pixel
 * itself weighs as much as the most alike of the others (Buades, Coll and Morel 2011, "Non-local means denoising"). Weights
 * fall as (1 - u)^8, the modified bisquare of Goossens, Luong, Pizurica and Philips 2008, "An improved non-local denoising
 * algorithm". Both from memory.
 *
 * @param picture Encoded values.
 * @param noise   Deviation of the noise of a channel, in units of the picture.
 * @param apart   Patches that differ by so many deviations (root of the mean square) have nothing to do with each other; over 1.5.
 * @param search  How far around a pixel is looked, in whole pixels from 1 on.
 * @returns New pixels; beyond the edge the last ones are repeated.
 */
export function nonLocalMeans(picture: FloatRaster, noise: number, apart: number, search: number): FloatRaster {
  const { width, height, channels, data } = picture
  const kernels = compiled()
  const margin = search + 1
  const stride = width + 2 * margin + 2 * LANES
  const count = stride * (height + 2 * margin) + 2 * LANES
  const layout = new Layout()
  const of = layout.claim(fields.bytes)
  const variance = Math.max(1e-12, noise * noise)
  const beyond = variance * (apart * apart - 2)
  const at = {
    scale: 1 / (PATCH * channels * beyond), bias: (2 * variance) / beyond, width, height, channels, search, stride, count,
    // What is read before the first pixel of a row belongs to the planes too.
    source: layout.claim(4 * channels * count), sums: layout.claim(4 * channels * count), weights: layout.claim(4 * count), greatest: layout.claim(4 * count), room: layout.claim(4 * 5 * stride),
  }
  reserve(kernels.memory, layout.end)
  fields.write(kernels.memory.buffer, of, at)
  const source = new Float32Array(kernels.memory.buffer, at.source, channels * count)
  for (let c = 0; c < channels; c++) {
    for (let y = 0, k = c * count; y < height + 2 * margin; y++, k += 2 * LANES) {
      const row = Math.max(0, Math.min(height - 1, y - margin)) * width
      for (let x = 0; x < width + 2 * margin; x++, k++) source[k] = data[(row + Math.max(0, Math.min(width - 1, x - margin))) * channels + c]!
    }
  }
  new Uint8Array(kernels.memory.buffer, at.sums, at.room - at.sums).fill(0)
  kernels.nonLocalMeans(of)
  const sums = new Float32Array(kernels.memory.buffer, at.sums, channels * count)
  const [weights, greatest] = [at.weights, at.greatest].map((address) => new Float32Array(kernels.memory.buffer, address, count)) as [Float32Array, Float32Array]
  const result = new Float32Array(data.length)
  for (let y = 0; y < height; y++) {
    for (let x = 0; x < width; x++) {
      const [i, k] = [y * width + x, (y + margin) * stride + x + margin]
      // A pixel that nothing is like stays as it is.
      const own = Math.max(LEAST_WEIGHT, greatest[k]!)
      for (let c = 0; c < channels; c++) result[i * channels + c] = (sums[c * count + k]! + own * data[i * channels + c]!) / (weights[k]! + own)
    }
  }
  return { width, height, channels, data: result }
}

const LEAST_WEIGHT = 1e-6
