import { roundedFloats } from '../kernels/samples/tones.js'
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
  return { width, height, channels, data: roundedFloats(data, depth) }
}
