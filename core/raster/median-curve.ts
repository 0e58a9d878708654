import { median, valuesAt } from './statistics.js'

/**
 * What is usual over a range: medians of parts with as many values each, straight lines between, level beyond the ends.
 *
 * @param at      Where each value stands.
 * @param values  As many.
 * @param parts   Of the range, at least 2; there must be as many values.
 */
export function medianCurve(at: Float32Array, values: Float32Array, parts: number): (place: number) => number {
  const places = new Float64Array(parts)
  const levels = new Float64Array(parts)
  for (const [k, part] of inParts(at, parts).entries()) {
    places[k] = median(valuesAt(at, part))
    levels[k] = median(valuesAt(values, part))
  }
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

/** Indices of values from the least to the greatest in parts with as many each; of equal ones at a bound, the first come first. */
function inParts(values: Float32Array, parts: number): Uint32Array[] {
  const sorted = values.slice().sort()
  const begins = Array.from({ length: parts + 1 }, (_value, k) => Math.floor((k * values.length) / parts))
  const bounds = Float32Array.from({ length: parts }, (_value, k) => sorted[begins[k]!]!)
  const order = begins.slice(1).map((end, k) => new Uint32Array(end - begins[k]!))
  const taken = new Uint32Array(parts)
  // How many of a part equal its lowest bound belong to parts before it.
  const left = Uint32Array.from({ length: parts }, (_value, k) => {
    let same = 0
    for (let i = begins[k]! - 1; i >= 0 && sorted[i] === bounds[k]; i--) same++
    return same
  })
  for (let i = 0; i < values.length; i++) {
    let k = 0
    for (let end = parts; end - k > 1; ) {
      const middle = (k + end) >> 1
      if (bounds[middle]! <= values[i]!) k = middle
      else end = middle
    }
    while (values[i] === bounds[k] && left[k]! > 0) left[k--]!--
    order[k]![taken[k]!++] = i
  }
  return order
}
