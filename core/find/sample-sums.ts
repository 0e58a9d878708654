import { depthOf, maximumOf, type IntegerRaster } from '../raster/raster.js'

/** What grain is measured in: of each pixel the sum of its samples over all channels, which have most of their noise to themselves. */
export interface SampleSums {
  readonly width: number
  readonly channels: number
  /** A sample at most. */
  readonly largest: number
  /** Row by row; sums of samples of 16 bit in four channels, and twice that, are whole numbers of 32 bit. */
  readonly data: Int32Array
}

export function sampleSums(pixels: IntegerRaster): SampleSums {
  const { width, height, channels, data } = pixels
  const sums = new Int32Array(width * height)
  for (let i = 0, k = 0; i < sums.length; i++) {
    let sum = data[k++]!
    for (let c = 1; c < channels; c++) sum += data[k++]!
    sums[i] = sum
  }
  return { width, channels, largest: maximumOf(depthOf(pixels)), data: sums }
}
