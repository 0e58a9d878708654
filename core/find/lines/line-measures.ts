import { DEVIATION_PER_MAD, median } from '../../numbers/statistics.js'
import type { Plane } from '../../raster/raster.js'
import { distanceOf } from './join-lines.js'

/** A stretch of so many points stands out with its line when it has this share of the line's difference. */
export const STRETCH = 8

export const STANDS_OUT = 0.4

/** Half a profile in half pixels of the plane it is read from. */
export const PROFILE = 20

/** A profile in shares of a height over its sides. */
export function sharesOf(profile: Float64Array, sides: number, height: number): Float32Array {
  const shares = new Float32Array(profile.length)
  for (let j = 0; j < profile.length; j++) shares[j] = (profile[j]! - sides) / height
  return shares
}

/** Steps between where a profile falls, on either side of its peak, to so much over its sides. */
export function widthAt(profile: Float64Array, peak: number, sign: -1 | 1, sides: number, level: number): number {
  let right = peak
  while (right > 0 && right < 2 * PROFILE && sign * (profile[right]! - sides) > level) right++
  let left = peak
  while (left > 0 && left < 2 * PROFILE && sign * (profile[left]! - sides) > level) left--
  return right - left
}

/** Share of the stretches of a line that stand out as it does. */
export function steadyShare(values: Float32Array, sign: -1 | 1, difference: number): number {
  let steady = 0
  let stretches = 0
  for (let k = 0; k < values.length; k += STRETCH) {
    let sum = 0
    const end = Math.min(values.length, k + STRETCH)
    for (let j = k; j < end; j++) sum += values[j]!
    if ((sign * sum) / (end - k) > STANDS_OUT * Math.abs(difference)) steady++
    stretches++
  }
  return steady / stretches
}

/** Mean third difference of the points of a path, five steps apart: 0 on a straight line and on an even bend. */
export function wiggleOf(points: Float64Array): number {
  const count = points.length / 2
  const lag = Math.max(1, Math.min(5, Math.floor((count - 1) / 3)))
  let sum = 0
  for (let k = 3 * lag; k < count; k++) {
    const [a, b, c, d] = [2 * k, 2 * (k - lag), 2 * (k - 2 * lag), 2 * (k - 3 * lag)]
    const x = points[a]! - 3 * points[b]! + 3 * points[c]! - points[d]!
    const y = points[a + 1]! - 3 * points[b + 1]! + 3 * points[c + 1]! - points[d + 1]!
    sum += Math.sqrt(x * x + y * y)
  }
  return sum / Math.max(1, count - 3 * lag)
}

/** Deviation of a pixel beside a line, from neighbours along it. */
export function noiseOf({ width, height, data }: Plane, points: Float64Array, normals: Float64Array, scale: number, away: number): number {
  const count = points.length / 2
  const differences = new Float32Array(count)
  for (let k = 0; k < count; k++) {
    const x = Math.floor(points[2 * k]! / scale + away * normals[2 * k]!)
    const y = Math.floor(points[2 * k + 1]! / scale + away * normals[2 * k + 1]!)
    if (x < 0 || y < 0 || x + 1 >= width || y >= height) continue
    differences[k] = Math.abs(data[y * width + x]! - data[y * width + x + 1]!)
  }
  return (DEVIATION_PER_MAD * median(differences)) / Math.sqrt(2)
}

export function mean(values: Float64Array, from: number, to: number): number {
  let sum = 0
  for (let i = from; i < to; i++) sum += values[i]!
  return sum / (to - from)
}

/** Pixels along a path. */
export function lengthOf(points: Float64Array): number {
  let length = 0
  for (let k = 2; k < points.length; k += 2) length += Math.sqrt((points[k]! - points[k - 2]!) ** 2 + (points[k + 1]! - points[k - 1]!) ** 2)
  return length
}

/** Fewer points, about `apart` pixels from each other; both ends stay. */
export function spread(points: Float64Array, apart: number): (readonly [number, number])[] {
  const kept: (readonly [number, number])[] = [[points[0]!, points[1]!]]
  for (let k = 2; k < points.length; k += 2) {
    const point = [points[k]!, points[k + 1]!] as const
    if (k + 2 >= points.length || distanceOf(point, kept.at(-1)!) >= apart) kept.push(point)
  }
  return kept
}
