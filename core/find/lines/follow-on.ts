import type { PathReader } from '../../kernels/finding/paths.js'
import type { Region } from '../../raster/raster.js'
import type { MeasuredPath } from './lines.js'
import { smoothed, type RidgePath } from './ridges.js'

/** Furthest that a line is looked for beyond an end at once, in points, and at least; between them as far as it is long. */
const FURTHEST = 128
const LEAST = 32
/** So many pixels of the plane aside of the way expected it may run. */
const ASIDE = 6
/** Points that are asked together: alone they tell less than texture hides. */
const STRETCH = 8
/** A line goes on where this share of its difference is left. */
const LEFT = 0.5
/** A stretch counts for so many times the line's difference at most: what shines does not stand for what does not show. */
const MOST = 2
/** Where the sum has fallen by so much since it was greatest, nothing is looked for beyond: what comes then is another line. */
const MOST_LOST = 2
/** What a step aside from one stretch to the next costs, in differences of the line. */
const STEP = 0.25
/** Points to either side that the course of a path is taken from. */
const COURSE = 8
/** Least points over which it is told which way an end runs. */
const LEAST_ARM = 16
/** Places beside each other that are asked. */
const SIDES = 2 * ASIDE + 1

/**
 * A line with what goes on at its ends through texture that hides it pixel by pixel.
 *
 * The best way along the line and straight on from it, by dynamic programming over stretches of it, each a step aside from
 * the one before at most; of it the part with the greatest sum of what stands out over half of the line's difference
 * (Bellman 1957, "Dynamic programming"; for the part Kadane's way as in Bentley 1984, "Programming pearls: algorithm design
 * techniques"; both from memory).
 *
 * @param reader  Of the plane that it was measured in.
 * @param scale   Pixels of the path in one of that plane's.
 * @param within  In pixels of the path: nothing is looked for outside.
 * @returns       The path of the line with what goes on; the same where it is too short to be asked.
 */
export function followedOn(reader: PathReader, scale: number, { path, width, difference }: MeasuredPath, within: Region): RidgePath {
  const { rail, before, after } = withBeyond(path, within)
  const count = Math.floor(rail.length / 2 / STRETCH)
  if (count < 2) return path
  reader.follow(rail, scale)
  const normals = reader.normals.slice()
  const strip = stripOf(reader, path.sign, Math.abs(difference), Math.max(0.5, width / 2 / scale), count)
  const way = bestWay(strip, count)
  const [first, last] = richest(strip, way, [Math.min(count - 1, Math.floor(before / STRETCH)), Math.min(count, Math.ceil((rail.length / 2 - after) / STRETCH))])
  const points = new Float64Array(2 * STRETCH * (last - first))
  for (let i = 0; i < points.length; i += 2) {
    const k = first * STRETCH + i / 2
    // From the middle of one stretch to that of the next.
    const at = (k + 0.5) / STRETCH - 0.5
    const s = Math.max(0, Math.min(count - 2, Math.floor(at)))
    const share = Math.max(0, Math.min(1, at - s))
    const aside = ((1 - share) * way[s]! + share * way[s + 1]! - ASIDE) * scale
    points[i] = rail[2 * k]! + aside * normals[2 * k]!
    points[i + 1] = rail[2 * k + 1]! + aside * normals[2 * k + 1]!
  }
  return { ...path, points }
}

/** What each stretch of the path that is followed shows at all places aside: in differences of the line, less what is left of one. */
function stripOf(reader: PathReader, sign: -1 | 1, own: number, half: number, count: number): Float32Array {
  const strip = new Float32Array(SIDES * count)
  for (let aside = 0; aside < SIDES; aside++) {
    const { values } = reader.ask(half, aside - ASIDE)
    for (let s = 0; s < count; s++) {
      let sum = 0
      for (let k = s * STRETCH; k < (s + 1) * STRETCH; k++) sum += values[k]!
      strip[s * SIDES + aside] = Math.max(-MOST, Math.min(MOST, (sign * sum) / STRETCH / own)) - LEFT
    }
  }
  return strip
}

/** The course of a path with as much again straight on from both of its ends as lies within, and how many points of it lie before and after the path. */
function withBeyond({ points, octave }: RidgePath, within: Region): { rail: Float64Array; before: number; after: number } {
  const course = smoothed(points, COURSE)
  const count = course.length / 2
  const arm = Math.min(count - 1, Math.max(LEAST_ARM, count >> 1))
  const most = Math.max(LEAST, Math.min(FURTHEST, count))
  const before = straightOn(course, 0, arm, 2 ** octave, most, within)
  const after = straightOn(course, count - 1, count - 1 - arm, 2 ** octave, most, within)
  const rail = new Float64Array(before.length + course.length + after.length)
  for (let k = 0; k < before.length; k += 2) {
    rail[before.length - 2 - k] = before[k]!
    rail[before.length - 1 - k] = before[k + 1]!
  }
  rail.set(course, before.length)
  rail.set(after, before.length + course.length)
  return { rail, before: before.length / 2, after: after.length / 2 }
}

/** Points that go on from the tip of a course in the direction in which it runs there from an inner point, `step` pixels apart. */
function straightOn(course: Float64Array, tip: number, inner: number, step: number, most: number, { x: left, y: top, width, height }: Region): number[] {
  const [x, y] = [course[2 * tip]!, course[2 * tip + 1]!]
  const [dx, dy] = [x - course[2 * inner]!, y - course[2 * inner + 1]!]
  const length = Math.max(1e-9, Math.sqrt(dx * dx + dy * dy))
  const points: number[] = []
  for (let k = 1; k <= most; k++) {
    const px = x + (k * step * dx) / length
    const py = y + (k * step * dy) / length
    if (px < left || py < top || px >= left + width || py >= top + height) break
    points.push(px, py)
  }
  return points
}

/** How far aside the way of the greatest sum runs at each stretch. */
function bestWay(strip: Float32Array, count: number): Int32Array {
  const sums = new Float32Array(strip.length)
  const from = new Int8Array(strip.length)
  for (let aside = 0; aside < SIDES; aside++) sums[aside] = strip[aside]!
  for (let s = 1; s < count; s++) {
    for (let aside = 0; aside < SIDES; aside++) {
      const before = (s - 1) * SIDES + aside
      let best = sums[before]!
      let step = 0
      if (aside > 0 && sums[before - 1]! - STEP > best) {
        best = sums[before - 1]! - STEP
        step = -1
      }
      if (aside + 1 < SIDES && sums[before + 1]! - STEP > best) {
        best = sums[before + 1]! - STEP
        step = 1
      }
      sums[s * SIDES + aside] = best + strip[s * SIDES + aside]!
      from[s * SIDES + aside] = step
    }
  }
  const way = new Int32Array(count)
  let last = 0
  for (let aside = 1; aside < SIDES; aside++) if (sums[(count - 1) * SIDES + aside]! > sums[(count - 1) * SIDES + last]!) last = aside
  for (let s = count - 1; s >= 0; s--) {
    way[s] = last
    last += from[s * SIDES + last]!
  }
  return way
}

/** First stretch and the one after the last of the part of a way with the greatest sum that holds the richest part of the core. */
function richest(strip: Float32Array, way: Int32Array, core: readonly [number, number]): [number, number] {
  const at = (s: number) => strip[s * SIDES + way[s]!]!
  let [first, last] = core
  for (let s = core[0], start = core[0], sum = 0, most = -Infinity; s < core[1]; s++) {
    if (sum <= 0) {
      sum = 0
      start = s
    }
    sum += at(s)
    if (sum > most) {
      most = sum
      first = start
      last = s + 1
    }
  }
  const [inner, outer] = [first, last]
  for (let s = inner - 1, sum = 0, most = 0; s >= 0 && sum > most - MOST_LOST; s--) {
    sum += at(s)
    if (sum > most) {
      most = sum
      first = s
    }
  }
  for (let s = outer, sum = 0, most = 0; s < way.length && sum > most - MOST_LOST; s++) {
    sum += at(s)
    if (sum > most) {
      most = sum
      last = s + 1
    }
  }
  return [first, last]
}
