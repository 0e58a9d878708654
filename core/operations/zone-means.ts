/** Whether a pixel counts to a zone or to its surroundings. */
export type Side = 'inside' | 'outside'

/** Share of the cover from which a pixel counts to the zone, and up to which it counts to its surroundings. */
const INSIDE = 0.9
const OUTSIDE = 0.02

export const isOn = (side: Side, cover: number): boolean => (side === 'inside' ? cover >= INSIDE : cover <= OUTSIDE)

/**
 * Mean of the values on one side of a zone's edge; null where there is none.
 *
 * @param step  Values of a pixel; the first one is `offset`.
 */
export function meanWhere(values: Float32Array, cover: Float32Array, side: Side, step = 1, offset = 0): number | null {
  let [sum, count] = [0, 0]
  for (let i = 0; i < cover.length; i++) {
    if (!isOn(side, cover[i]!)) continue
    sum += values[i * step + offset]!
    count++
  }
  return count === 0 ? null : sum / count
}
