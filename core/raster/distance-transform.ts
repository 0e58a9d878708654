/**
 * Distance of every pixel from the nearest one that is set, between pixel centres.
 *
 * @param set     Row by row, not 0 where set.
 * @returns Distances in pixels, 0 on set pixels, Infinity when none is set.
 *
 * Felzenszwalb and Huttenlocher 2012, "Distance transforms of sampled functions": exact, in linear time.
 */
export function distanceFrom(set: Uint8Array, width: number, height: number): Float32Array {
  const square = new Float64Array(width * height)
  // Along the columns the nearest one set is the last that was passed, downwards or upwards; row by row, as memory lies.
  for (let i = 0; i < square.length; i++) square[i] = set[i] ? 0 : i < width ? FAR : square[i - width]! + 1
  for (let i = square.length - width - 1; i >= 0; i--) square[i] = Math.min(square[i]!, square[i + width]! + 1)
  for (let i = 0; i < square.length; i++) square[i] = square[i]! < height ? square[i]! ** 2 : FAR
  const line = new Float64Array(width)
  const hull = new Int32Array(width)
  const borders = new Float64Array(width + 1)
  const distances = new Float32Array(width * height)
  for (let start = 0; start < square.length; start += width) {
    for (let x = 0; x < width; x++) line[x] = square[start + x]!
    lowerEnvelope(line, width, hull, borders)
    for (let x = 0, k = 0; x < width; x++) {
      while (borders[k + 1]! < x) k++
      const least = (x - hull[k]!) ** 2 + line[hull[k]!]!
      distances[start + x] = least >= FAR ? Infinity : Math.sqrt(least)
    }
  }
  return distances
}

const FAR = 1e12

/** Parabolas that stand on the values of a line and are least somewhere, and where each begins to be. */
function lowerEnvelope(values: Float64Array, n: number, hull: Int32Array, borders: Float64Array): void {
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
}

const crossing = (values: Float64Array, q: number, p: number) => (values[q]! + q * q - values[p]! - p * p) / (2 * q - 2 * p)
