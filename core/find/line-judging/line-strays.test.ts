import { describe, expect, it } from 'vitest'
import { straysOf, strayFeatures } from './line-strays.js'

type Points = (readonly [number, number])[]

/** A line of 161 points, turned by so much, with how far it lies off its way at shares of it. */
function course(off: (share: number) => number, turn = 0.4): Points {
  return Array.from({ length: 161 }, (_value, k) => {
    const [along, aside] = [2 * k, off(k / 160)]
    return [500 + along * Math.cos(turn) - aside * Math.sin(turn), 400 + along * Math.sin(turn) + aside * Math.cos(turn)] as const
  })
}
const strays = (off: (share: number) => number, turn?: number) => straysOf({ points: course(off, turn) })

describe('how far a line strays', () => {
  it.each([0, 0.4, 1.6, 3])('is nothing where it runs straight, turned by %d', (turn) => {
    for (const stray of strays(() => 0, turn)) expect(stray).toBeCloseTo(0, 8)
  })
  it('of a straight way is the deviation of a bend, and of an even bend nothing', () => {
    const [straight, bend] = strays((share) => 20 * (share - 0.5) ** 2)
    // Of t squared at n places from -1/2 to 1/2, that are spaced by 1/(n - 1): the deviation is the root of (n^2 - 1)(n^2 - 4)/180, over (n - 1)^2.
    expect(straight).toBeCloseTo((20 * Math.sqrt((17 ** 2 - 1) * (17 ** 2 - 4) / 180)) / 16 ** 2, 8)
    expect(bend).toBeCloseTo(0, 8)
  })
  it('of an even bend is told where it turns back, and of one that turns back where it winds', () => {
    const [, bend, turned] = strays((share) => 40 * (share - 0.5) ** 3)
    expect(bend).toBeGreaterThan(0.1)
    // Its ends lie a little off the way that it runs on the whole.
    expect(turned).toBeLessThan(0.01 * bend)
    expect(strays((share) => Math.sin(30 * share))[2]).toBeGreaterThan(0.4)
  })
  it('is the same told from either end, and in proportion', () => {
    const points = course((share) => 3 * Math.sin(5 * share))
    const there = straysOf({ points })
    straysOf({ points: [...points].reverse() }).forEach((stray, k) => expect(stray).toBeCloseTo(there[k]!, 8))
    straysOf({ points: points.map(([x, y]) => [3 * x, 3 * y] as const) }).forEach((stray, k) => expect(stray).toBeCloseTo(3 * there[k]!, 8))
  })
  it('is told of lines of two points and of one that comes back to its beginning', () => {
    for (const points of [[[10, 10], [40, 20]], [[10, 10], [40, 20], [10, 10]]] as Points[]) {
      for (const feature of strayFeatures({ points, length: 60 })) expect(Number.isFinite(feature)).toBe(true)
    }
  })
})
