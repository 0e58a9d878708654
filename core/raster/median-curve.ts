import { median } from './statistics.js'

/**
 * What is usual over a range: medians of parts with as many values each, straight lines between, level beyond the ends.
 *
 * @param at      Where each value stands.
 * @param values  As many.
 * @param parts   Of the range, at least 2; there must be as many values.
 */
export function medianCurve(at: Float32Array, values: Float32Array, parts: number): (place: number) => number {
  const order = Uint32Array.from(at.keys()).sort((a, b) => at[a]! - at[b]!)
  const knots = Array.from({ length: parts }, (_value, k) => {
    const part = order.subarray(Math.floor((k * order.length) / parts), Math.floor(((k + 1) * order.length) / parts))
    return { place: median(Float32Array.from(part, (i) => at[i]!)), value: median(Float32Array.from(part, (i) => values[i]!)) }
  })
  return (place) => {
    let k = 0
    while (k + 2 < parts && knots[k + 1]!.place < place) k++
    const [a, b] = [knots[k]!, knots[k + 1]!]
    const t = b.place > a.place ? Math.max(0, Math.min(1, (place - a.place) / (b.place - a.place))) : 0
    return a.value + t * (b.value - a.value)
  }
}
