import { describe, expect, it } from 'vitest'
import { makeRandom } from '../../random.js'
import type { Plane } from '../../raster/raster.js'
import { PathReader } from './paths.js'

/** Each kernel against the slow, obvious sum. */

const [WIDTH, HEIGHT] = [41, 30]
const random = makeRandom(8)
const plane: Plane = { width: WIDTH, height: HEIGHT, data: Float32Array.from({ length: WIDTH * HEIGHT }, () => random.uniform() * 4 - 2) }
/** A bent path, partly outside the plane, in pixels twice as fine as the plane's. */
const COUNT = 37
const places = Array.from({ length: COUNT }, (_value, k) => [-1.5 + 1.17 * k, 12.3 + 6 * Math.sin(k / 7)] as const)
const SCALE = 2
const points = Float64Array.from(places.flatMap(([x, y]) => [SCALE * x, SCALE * y]))

const clamp = (value: number, last: number) => Math.max(0, Math.min(last, value))
/** Bilinear, pixel centres at .5, the edge repeated. */
function sample(x: number, y: number): number {
  const [px, py] = [clamp(x - 0.5, WIDTH - 1), clamp(y - 0.5, HEIGHT - 1)]
  const [left, top] = [Math.floor(px), Math.floor(py)]
  const at = (dx: number, dy: number) => plane.data[clamp(top + dy, HEIGHT - 1) * WIDTH + clamp(left + dx, WIDTH - 1)]!
  const [u, v] = [px - left, py - top]
  return (1 - u) * (1 - v) * at(0, 0) + u * (1 - v) * at(1, 0) + (1 - u) * v * at(0, 1) + u * v * at(1, 1)
}
/** Across the chord from four points before to four behind. */
const normals = places.map((_place, k) => {
  const [a, b] = [places[Math.max(0, k - 4)]!, places[Math.min(COUNT - 1, k + 4)]!]
  const length = Math.hypot(b[0] - a[0], b[1] - a[1])
  return [-(b[1] - a[1]) / length, (b[0] - a[0]) / length] as const
})
const beside = (k: number, away: number) => sample(places[k]![0] + away * normals[k]![0], places[k]![1] + away * normals[k]![1])
const meanOf = (values: readonly number[]) => values.reduce((sum, value) => sum + value, 0) / values.length
/** Pearson's, from differences to the means. */
function correlation(a: readonly number[], b: readonly number[]): number {
  const [p, q] = [a.map((value) => value - meanOf(a)), b.map((value) => value - meanOf(b))]
  const product = (r: readonly number[], s: readonly number[]) => r.reduce((sum, value, k) => sum + value * s[k]!, 0)
  return product(p, q) / Math.sqrt(product(p, p) * product(q, q))
}

const reader = new PathReader(plane)
reader.follow(points, SCALE)

describe('a reader of paths', () => {
  it('knows what points across a path', () => {
    reader.normals.forEach((value, i) => expect(value).toBeCloseTo(normals[i >> 1]![i % 2]!, 10))
  })
  it('gives the mean profile across it, over the edge of the plane too', () => {
    const reach = 9
    reader.profile(reach).forEach((value, j) => expect(value).toBeCloseTo(meanOf(places.map((_place, k) => beside(k, 0.5 * (j - reach)))), 2))
  })
  it.each([[0.5, 0], [2.2, 0], [1.4, -6]])('asks for the middle less both sides of a line of half width %d, %d pixels aside', (half, away) => {
    const middle = places.map((_place, k) => (half < 1 ? beside(k, away) : meanOf([away, away - 0.4 * half, away + 0.4 * half].map((d) => beside(k, d)))))
    const side = (sign: 1 | -1) => places.map((_place, k) => meanOf([half + 1, half + 2].map((d) => beside(k, away + sign * d))))
    const [left, right] = [side(1), side(-1)]
    const sides = left.map((value, k) => (value + right[k]!) / 2)
    const answer = reader.ask(half, away)
    answer.values.forEach((value, k) => expect(value, `${k}`).toBeCloseTo(middle[k]! - sides[k]!, 2))
    expect(answer.mean).toBeCloseTo(meanOf(middle.map((value, k) => value - sides[k]!)), 3)
    expect(answer.sides).toBeCloseTo(meanOf(sides), 2)
    expect(answer.unevenness).toBeCloseTo(meanOf(left.map((value, k) => Math.abs(value - right[k]!))), 3)
    expect(answer.likeness).toBeCloseTo(correlation(left, right), 2)
    expect(answer.through).toBeCloseTo(correlation(middle, sides), 2)
  })
  it('counts what stands out beside a path as much as it does', () => {
    for (const sign of [1, -1] as const) {
      const own = places.flatMap((_place, k) => (k % 2 === 0 ? Array.from({ length: 8 }, (_v, j) => 3 + 1.5 * j).flatMap((d) => [d, -d].map((away) => (sign * beside(k, away) > sign * beside(k, 0) ? 1 : 0))) : []))
      expect(reader.toppedShare(3, sign)).toBeCloseTo(meanOf(own), 1)
    }
  })
  it('follows one path after another, longer ones too', () => {
    const other = new PathReader(plane)
    other.follow(Float64Array.of(8, 8, 10, 8, 12, 8), 1)
    expect(other.ask(1, 0).values).toHaveLength(3)
    const long = Float64Array.from({ length: 200000 }, (_value, i) => (i % 2 === 0 ? 5 + (i % 60) / 2 : 14))
    other.follow(long, 1)
    expect(Number.isFinite(other.ask(1, 0).mean)).toBe(true)
    other.follow(points, SCALE)
    const fresh = new PathReader(plane)
    fresh.follow(points, SCALE)
    const expected = fresh.ask(1.3, 2).mean
    other.follow(points, SCALE)
    expect(other.ask(1.3, 2).mean).toBe(expected)
  })
  it('says that what does not vary is like nothing', () => {
    const flat = new PathReader({ width: 20, height: 20, data: new Float32Array(400).fill(3) })
    flat.follow(Float64Array.of(5, 5, 6, 5, 7, 5, 8, 5), 1)
    expect(flat.ask(1, 0)).toMatchObject({ mean: 0, likeness: 0, through: 0 })
  })
})
