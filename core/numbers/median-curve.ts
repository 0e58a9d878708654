import { inOrder } from './order.js'
import { median, valuesAt } from './statistics.js'

/** Medians of the parts of a range, each with as many values. */
interface MedianParts {
  readonly places: Float64Array
  readonly levels: Float64Array
}

/**
 * Medians of parts of a range, with as many values in each.
 *
 * @param at      Where each value stands.
 * @param values  As many.
 * @param parts   Of the range; there must be as many values.
 * @param order   Of where they stand, for who asks of several values there.
 * @returns       Of each part, where it stands and what is there.
 */
export function medianParts(at: Float32Array, values: Float32Array, parts: number, order = inOrder(at)): MedianParts {
  const places = new Float64Array(parts)
  const levels = new Float64Array(parts)
  for (let k = 0; k < parts; k++) {
    const part = order.subarray(Math.floor((k * order.length) / parts), Math.floor(((k + 1) * order.length) / parts))
    places[k] = at[part[part.length >> 1]!]!
    levels[k] = median(valuesAt(values, part))
  }
  return { places, levels }
}

/**
 * What is usual over a range: medians of parts with as many values each, straight lines between, level beyond the ends.
 *
 * @param at      Where each value stands.
 * @param values  As many.
 * @param parts   Of the range, at least 2; there must be as many values.
 * @param order   Of where they stand, for who asks of several values there.
 */
export function medianCurve(at: Float32Array, values: Float32Array, parts: number, order?: Uint32Array): (place: number) => number {
  const { places, levels } = medianParts(at, values, parts, order)
  return (place) => {
    let k = 0
    for (let end = parts - 1; end - k > 1; ) {
      const middle = (k + end) >> 1
      if (places[middle]! < place) k = middle
      else end = middle
    }
    const t = places[k + 1]! > places[k]! ? Math.max(0, Math.min(1, (place - places[k]!) / (places[k + 1]! - places[k]!))) : 0
    return levels[k]! + t * (levels[k + 1]! - levels[k]!)
  }
}
