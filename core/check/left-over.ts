import { PI, cos, sin } from '../numbers/exact-math.js'
import { DEVIATION_PER_MAD, median } from '../numbers/statistics.js'
import type { Plane, Region } from '../raster/raster.js'
import type { Disc } from '../shape/shape.js'
import type { Measure } from '../treatment/schema.js'

/** Above what half in a hundred good mends reach, in a sky and in a dive (bench/mending/telltales.ts, seeds 74 and 75). */
const LEFT_OVER = 6.3

/** Would a detector still see a disc here? Its answer against the same question asked all around. */
export function measureLeftoverDisc(light: Plane, region: Region, centre: Disc): Measure {
  const answer = (x: number, y: number) => discAnswer(light, x - region.x, y - region.y, Math.max(1.5, 0.7 * centre.r))
  const here = answer(centre.x, centre.y) ?? 0
  const around: number[] = []
  for (let k = 0; k < 16; k++) {
    const angle = (2 * PI * k) / 16
    const distance = (k % 2 === 0 ? 1.7 : 2.3) * centre.r + 2
    const value = answer(centre.x + distance * cos(angle), centre.y + distance * sin(angle))
    if (value !== null) around.push(Math.abs(value))
  }
  const usual = Math.max(2e-4, DEVIATION_PER_MAD * median(Float32Array.from(around)))
  return { value: Math.abs(here) / usual, limit: LEFT_OVER }
}

/** The same for a shape that is no disc: its inside against the band along it, asked again with the shape moved aside. */
export function measureLeftoverPath(light: Plane, distance: Plane, thickness: number): Measure {
  const { width, height } = light
  const inside: number[] = []
  const beside: number[] = []
  const band = Math.max(2.5, 0.4 * thickness)
  for (let i = 0; i < distance.data.length; i++) {
    const d = distance.data[i]!
    if (d < -0.3 * thickness) inside.push(i)
    else if (d > 0.5 && d < 0.5 + band) beside.push(i)
  }
  if (inside.length < 3 || beside.length < 6) return { value: 0, limit: LEFT_OVER }
  const answer = (dx: number, dy: number): number | null => {
    const meanOf = (list: readonly number[]): number => {
      let sum = 0
      let n = 0
      for (const i of list) {
        const x = (i % width) + dx
        const y = Math.floor(i / width) + dy
        if (x < 0 || y < 0 || x >= width || y >= height) continue
        // Moved along itself, a path lies on the mend again: only what is untouched is asked.
        if ((dx !== 0 || dy !== 0) && distance.data[y * width + x]! < 0.5) continue
        sum += light.data[y * width + x]!
        n++
      }
      return n < 0.4 * list.length ? NaN : sum / n
    }
    const value = meanOf(inside) - meanOf(beside)
    return value === value ? value : null
  }
  const around: number[] = []
  for (let k = 0; k < 16; k++) {
    const angle = (2 * PI * k) / 16
    const away = (k % 2 === 0 ? 1.7 : 2.3) * thickness + 2
    const value = answer(Math.round(away * cos(angle)), Math.round(away * sin(angle)))
    if (value !== null) around.push(Math.abs(value))
  }
  const usual = Math.max(2e-4, DEVIATION_PER_MAD * median(Float32Array.from(around)))
  return { value: Math.abs(answer(0, 0) ?? 0) / usual, limit: LEFT_OVER }
}

/** Mean inside a disc less the mean of a ring round it; null when it leaves the plane. */
function discAnswer(plane: Plane, x: number, y: number, r: number): number | null {
  const reach = Math.ceil(1.7 * r)
  const left = Math.floor(x) - reach
  const top = Math.floor(y) - reach
  if (left < 0 || top < 0 || left + 2 * reach >= plane.width || top + 2 * reach >= plane.height) return null
  let disc = 0
  let discCount = 0
  let ring = 0
  let ringCount = 0
  for (let row = top; row <= top + 2 * reach; row++) {
    for (let column = left; column <= left + 2 * reach; column++) {
      const dx = column + 0.5 - x
      const dy = row + 0.5 - y
      const d = dx * dx + dy * dy
      if (d < r * r) {
        disc += plane.data[row * plane.width + column]!
        discCount++
      } else if (d > 1.21 * r * r && d < 2.89 * r * r) {
        ring += plane.data[row * plane.width + column]!
        ringCount++
      }
    }
  }
  return discCount === 0 || ringCount === 0 ? null : disc / discCount - ring / ringCount
}
