import { filterBothWays } from '../kernels/gaussian.js'
import { exp } from './exact-math.js'
import type { Plane } from './raster.js'

/** Weights of a Gaussian cut off at 3 deviations, summing to 1; the middle is at index `radius`. */
export function gaussianWeights(deviation: number): Float64Array {
  const radius = Math.max(1, Math.ceil(3 * deviation))
  const weights = new Float64Array(2 * radius + 1)
  let sum = 0
  for (let i = -radius; i <= radius; i++) sum += weights[i + radius] = exp((-i * i) / (2 * deviation * deviation))
  for (let i = 0; i < weights.length; i++) weights[i]! /= sum
  return weights
}

/**
 * Gaussian blur, separable; beyond the edge the edge pixel is repeated.
 *
 * @param plane      Any values.
 * @param deviation  Deviation of the Gaussian in pixels, above 0.
 * @returns A new plane of the same size.
 */
export function gaussianBlur(plane: Plane, deviation: number): Plane {
  const { width, height, data } = plane
  return { width, height, data: filterBothWays(data, width, height, gaussianWeights(deviation)) }
}

/** Half the size, mean of two by two; a last odd row or column is dropped. */
export function halvePlane(plane: Plane): Plane {
  const width = plane.width >> 1
  const height = plane.height >> 1
  const data = new Float32Array(width * height)
  for (let y = 0; y < height; y++) {
    const upper = 2 * y * plane.width
    const lower = upper + plane.width
    for (let x = 0; x < width; x++) {
      data[y * width + x] = 0.25 * (plane.data[upper + 2 * x]! + plane.data[upper + 2 * x + 1]! + plane.data[lower + 2 * x]! + plane.data[lower + 2 * x + 1]!)
    }
  }
  return { width, height, data }
}
