import { pairCost, type Cells } from './cover-cells.js'

/** Edges of the rings, as distances from the outline over the depth of the shape: one outside, three inside. */
const RINGS = [0.6, 0, -1 / 3, -2 / 3, -10] as const
/** Variance of tone and roughness that is as good as none. */
const LEAST_VARIANCE = 4e-5
/** So many free places around are asked at most, and at least; they lie on a grid of so many steps to either side. */
const [MOST_PLACES, LEAST_PLACES, STEPS] = [24, 6, 4]
/** Cells that the outermost ring has at least. */
const LEAST_OUTSIDE = 6

/**
 * How unlike its surroundings a place is: mean square, in deviations, of the tone and roughness of its rings over those of the
 * same rings laid on places around. About 1 for a place like any other.
 *
 * @param log        Log light of the cells as a lift leaves them; NaN where nothing is known.
 * @param deviation  Of the differences of neighbours around.
 * @returns Null where too few places are free.
 */
export function strangenessOf(cells: Cells, log: Float32Array, deviation: number): number | null {
  const here = lookThrough(cells, log, deviation, 0, 0)
  if (!here) return null
  const step = Math.max(2, Math.round(Math.min(cells.width, cells.height) / (2 * STEPS + 1)))
  const around: number[][] = []
  for (let down = -STEPS; down <= STEPS; down++) {
    for (let right = -STEPS; right <= STEPS; right++) {
      const look = right === 0 && down === 0 ? null : lookThrough(cells, log, deviation, right * step, down * step)
      if (look) around.push(look)
    }
  }
  if (around.length < LEAST_PLACES) return null
  const every = Math.ceil(around.length / MOST_PLACES)
  const asked = around.filter((_, k) => k % every === 0)
  let [sum, count] = [0, 0]
  here.forEach((value, k) => {
    const theirs = asked.map((look) => look[k]!).filter((one) => one === one)
    if (value !== value || theirs.length < LEAST_PLACES) return
    const mean = theirs.reduce((total, one) => total + one, 0) / theirs.length
    const variance = theirs.reduce((total, one) => total + (one - mean) ** 2, 0) / (theirs.length - 1)
    sum += (value - mean) ** 2 / (variance + LEAST_VARIANCE)
    count++
  })
  return count === 0 ? null : sum / count
}

/** Tone of each inner ring over that of the outermost, and its roughness; NaN where nothing of it is known. Null where the rings leave the window or lie on the shape itself. */
function lookThrough({ width, height, distance }: Cells, log: Float32Array, deviation: number, right: number, down: number): number[] | null {
  const count = RINGS.length - 1
  const [tones, seen, rough, pairs] = [0, 1, 2, 3].map(() => new Float64Array(count)) as [Float64Array, Float64Array, Float64Array, Float64Array]
  for (let y = 0, i = 0; y < height; y++) {
    for (let x = 0; x < width; x++, i++) {
      if (distance[i]! > RINGS[0]) continue
      const [px, py] = [x + right, y + down]
      if (px < 0 || py < 0 || px >= width || py >= height) return null
      const j = py * width + px
      if ((right !== 0 || down !== 0) && distance[i]! <= 0 && distance[j]! <= 0.2) return null
      if (log[j]! !== log[j]!) continue
      let ring = 0
      while (ring < count - 1 && distance[i]! < RINGS[ring + 1]!) ring++
      tones[ring]! += log[j]!
      seen[ring]!++
      for (const k of [px + 1 < width ? j + 1 : j, py + 1 < height ? j + width : j]) {
        if (k === j || log[k]! !== log[k]!) continue
        rough[ring]! += pairCost(log[k]! - log[j]!, deviation)
        pairs[ring]!++
      }
    }
  }
  if (seen[0]! < LEAST_OUTSIDE || pairs[0] === 0) return null
  return Array.from({ length: count - 1 }, (_, k) => k + 1).flatMap((ring) => [tones[ring]! / seen[ring]! - tones[0]! / seen[0]!, rough[ring]! / pairs[ring]! - rough[0]! / pairs[0]!])
}
