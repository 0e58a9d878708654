/** Deviation of a normal distribution over its median absolute deviation. */
export const DEVIATION_PER_MAD = 1.4826

/**
 * The k-th smallest value (0 based), by Hoare's selection. Reorders `values` up to `count`.
 */
export function selectSmallest(values: Float32Array, count: number, k: number): number {
  let low = 0
  let high = count - 1
  while (low < high) {
    const pivot = values[(low + high) >> 1]!
    let i = low
    let j = high
    while (i <= j) {
      while (values[i]! < pivot) i++
      while (values[j]! > pivot) j--
      if (i <= j) {
        const swap = values[i]!
        values[i] = values[j]!
        values[j] = swap
        i++
        j--
      }
    }
    if (k <= j) high = j
    else if (k >= i) low = i
    else break
  }
  return values[k]!
}

/** Median; for an even count the upper of the two middle ones. Reorders `values`. 0 for none. */
export function median(values: Float32Array, count = values.length): number {
  return count === 0 ? 0 : selectSmallest(values, count, count >> 1)
}

/**
 * Robust deviation from the median absolute deviation (Donoho and Johnstone 1994). Overwrites `values`.
 */
export function robustDeviation(values: Float32Array, count = values.length): number {
  const middle = median(values, count)
  for (let i = 0; i < count; i++) values[i] = Math.abs(values[i]! - middle)
  return DEVIATION_PER_MAD * median(values, count)
}

/** The values at some places, in their order. */
export function valuesAt(values: Float32Array, places: ArrayLike<number>): Float32Array {
  const picked = new Float32Array(places.length)
  for (let n = 0; n < places.length; n++) picked[n] = values[places[n]!]!
  return picked
}

/** The mean of the values at some places, at least one. */
export function meanAt(values: Float32Array, places: ArrayLike<number>): number {
  let sum = 0
  for (let n = 0; n < places.length; n++) sum += values[places[n]!]!
  return sum / places.length
}

/** Of some places, at least one, the first where the value is greatest. */
export function placeOfGreatest(values: Float32Array, places: ArrayLike<number>): number {
  let best = places[0]!
  for (let n = 1; n < places.length; n++) if (values[places[n]!]! > values[best]!) best = places[n]!
  return best
}
