/**
 * Distance of every pixel from the nearest one that is set, between pixel centres.
 *
 * @param set     Row by row, not 0 where set.
 * @returns Distances in pixels, 0 on set pixels, Infinity when none is set.
 *
 * Felzenszwalb and Huttenlocher 2012, "Distance transforms of sampled functions": exact, in linear time.
 */
export function distanceFrom(set: Uint8Array, width: number, height: number): Float32Array {
  const square = Float64Array.from(set, (value) => (value ? 0 : FAR))
  const longest = Math.max(width, height)
  const line = new Float64Array(longest)
  const result = new Float64Array(longest)
  const hull = new Int32Array(longest)
  const borders = new Float64Array(longest + 1)
  for (let x = 0; x < width; x++) {
    for (let y = 0; y < height; y++) line[y] = square[y * width + x]!
    lowerEnvelope(line, height, result, hull, borders)
    for (let y = 0; y < height; y++) square[y * width + x] = result[y]!
  }
  for (let y = 0; y < height; y++) {
    for (let x = 0; x < width; x++) line[x] = square[y * width + x]!
    lowerEnvelope(line, width, result, hull, borders)
    for (let x = 0; x < width; x++) square[y * width + x] = result[x]!
  }
  return Float32Array.from(square, (value) => (value >= FAR ? Infinity : Math.sqrt(value)))
}

const FAR = 1e12

/** Least of all parabolas that stand on the values of a line. */
function lowerEnvelope(values: Float64Array, n: number, result: Float64Array, hull: Int32Array, borders: Float64Array): void {
  let k = 0
  hull[0] = 0
  borders[0] = -Infinity
  borders[1] = Infinity
  for (let q = 1; q < n; q++) {
    let cross = crossing(values, q, hull[k]!)
    while (cross <= borders[k]!) {
      k--
      cross = crossing(values, q, hull[k]!)
    }
    k++
    hull[k] = q
    borders[k] = cross
    borders[k + 1] = Infinity
  }
  k = 0
  for (let q = 0; q < n; q++) {
    while (borders[k + 1]! < q) k++
    const d = q - hull[k]!
    result[q] = Math.min(FAR, d * d + values[hull[k]!]!)
  }
}

const crossing = (values: Float64Array, q: number, p: number) => (values[q]! + q * q - values[p]! - p * p) / (2 * q - 2 * p)
