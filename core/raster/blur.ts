import { filterBothWays } from '../kernels/smoothing/gaussian.js'
import { exp } from '../numbers/exact-math.js'
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
