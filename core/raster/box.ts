import type { Plane } from './raster.js'

/**
 * Values are summed as whole multiples of this, so that sums are exact and a pixel does not depend on where its tile
 * begins: 2^-28, so that squares of 512 x 512 pixels of values up to 100 stay below 2^53.
 */
const QUANTUM = 2 ** -28
const PER_QUANTUM = 2 ** 28

/**
 * Mean over a square, in constant time a pixel; beyond the edge there is nothing, so the mean is over what is there.
 *
 * @param plane   Values between -100 and 100; they are rounded to multiples of 2^-28.
 * @param radius  Half side in whole pixels, at most 255: the square is 2 radius + 1 wide.
 * @returns A new plane.
 */
export function boxMean({ width, height, data }: Plane, radius: number): Plane {
  if (radius === 0) return { width, height, data: data.slice() }
  const across = new Float64Array(data.length)
  const row = new Float64Array(width)
  for (let y = 0; y < height; y++) {
    const start = y * width
    for (let x = 0; x < width; x++) row[x] = Math.floor(data[start + x]! * PER_QUANTUM + 0.5)
    let sum = 0
    for (let x = 0; x < Math.min(radius, width); x++) sum += row[x]!
    for (let x = 0; x < width; x++) {
      if (x + radius < width) sum += row[x + radius]!
      if (x - radius > 0) sum -= row[x - radius - 1]!
      across[start + x] = sum
    }
  }
  const result = new Float32Array(data.length)
  const sums = new Float64Array(width)
  const shares = Float64Array.from({ length: width }, (_, x) => QUANTUM / (Math.min(width - 1, x + radius) - Math.max(0, x - radius) + 1))
  for (let y = 0; y < Math.min(radius, height); y++) for (let x = 0, at = y * width; x < width; x++) sums[x]! += across[at + x]!
  for (let y = 0; y < height; y++) {
    if (y + radius < height) for (let x = 0, at = (y + radius) * width; x < width; x++) sums[x]! += across[at + x]!
    if (y - radius > 0) for (let x = 0, at = (y - radius - 1) * width; x < width; x++) sums[x]! -= across[at + x]!
    const rows = Math.min(height - 1, y + radius) - Math.max(0, y - radius) + 1
    for (let x = 0, at = y * width; x < width; x++) result[at + x] = (sums[x]! * shares[x]!) / rows
  }
  return { width, height, data: result }
}

/**
 * Guided filter: a plane smoothed as a linear function of a guide in each square, so that it keeps the guide's edges.
 *
 * @param plane    What is smoothed.
 * @param guide    Whose edges are kept; the plane itself for edge-preserving smoothing. Same size.
 * @param radius   Half side of the squares in whole pixels, 1 or more.
 * @param variance Variance of the guide below which it is flat; in the square of the guide's unit.
 * @returns A new plane.
 *
 * He, Sun and Tang 2013, eq. 5, 6 and 8.
 */
export function guidedFilter(plane: Plane, guide: Plane, radius: number, variance: number): Plane {
  const { width, height } = plane
  const product = (a: Plane, b: Plane): Plane => ({ width, height, data: a.data.map((value, i) => value * b.data[i]!) })
  const meanGuide = boxMean(guide, radius)
  const own = plane === guide
  const meanPlane = own ? meanGuide : boxMean(plane, radius)
  const meanSquare = boxMean(product(guide, guide), radius)
  const meanProduct = own ? meanSquare : boxMean(product(guide, plane), radius)
  const slope = new Float32Array(plane.data.length)
  const offset = new Float32Array(plane.data.length)
  for (let i = 0; i < slope.length; i++) {
    const [g, p] = [meanGuide.data[i]!, meanPlane.data[i]!]
    const spread = Math.max(0, meanSquare.data[i]! - g * g)
    slope[i] = (meanProduct.data[i]! - g * p) / (spread + variance)
    offset[i] = p - slope[i]! * g
  }
  const slopes = boxMean({ width, height, data: slope }, radius).data
  const offsets = boxMean({ width, height, data: offset }, radius).data
  return { width, height, data: guide.data.map((value, i) => slopes[i]! * value + offsets[i]!) }
}
