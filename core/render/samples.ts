import { depthOf, maximumOf, type Depth, type IntegerRaster, type FloatRaster } from '../raster/raster.js'

/** A sample as a float between 0 and 1. */
export const floatOf = (sample: number, maximum: number): number => Math.fround(sample * (1 / maximum))

/** Samples as floats between 0 and 1; floats are themselves. */
export function toFloat(raster: IntegerRaster | FloatRaster): FloatRaster {
  if (raster.data instanceof Float32Array) return raster as FloatRaster
  const scale = 1 / maximumOf(depthOf(raster))
  const data = new Float32Array(raster.data.length)
  for (let i = 0; i < data.length; i++) data[i] = raster.data[i]! * scale
  return { ...raster, data }
}

/** Floats rounded to samples of a depth; a sample that was only made a float comes back as it was. */
export function rounded({ width, height, channels, data }: FloatRaster, depth: Depth): IntegerRaster {
  const maximum = maximumOf(depth)
  const result = depth === 8 ? new Uint8Array(data.length) : new Uint16Array(data.length)
  // What is stored in whole numbers is cut off, which for values from 0 on is rounding down.
  for (let i = 0; i < result.length; i++) result[i] = data[i]! * maximum + 0.5
  return { width, height, channels, data: result }
}
