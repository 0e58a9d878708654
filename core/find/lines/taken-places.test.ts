import { describe, expect, it } from 'vitest'
import { TakenPlaces } from './taken-places.js'

/** A straight path of so many points, a pixel apart. */
const path = (x: number, y: number, degrees: number, count = 100) => Float64Array.from({ length: 2 * count }, (_value, i) => (i % 2 === 0 ? x + (i / 2) * Math.cos((degrees * Math.PI) / 180) : y + ((i - 1) / 2) * Math.sin((degrees * Math.PI) / 180)))

describe('places that lines take', () => {
  const taken = new TakenPlaces(300, 300)
  taken.take(path(50, 150, 0, 200), 1.5)
  it('are not free for what runs the same way, to and fro', () => {
    expect(taken.shareOf(path(80, 150, 0))).toBe(1)
    expect(taken.shareOf(path(180, 150, 180))).toBe(1)
    expect(taken.shareOf(path(80, 148, 5, 30))).toBeGreaterThan(0.9)
  })
  it('are free for what crosses, and beside and beyond', () => {
    expect(taken.shareOf(path(150, 100, 90))).toBe(0)
    expect(taken.shareOf(path(100, 100, 45))).toBe(0)
    expect(taken.shareOf(path(80, 170, 0))).toBe(0)
    expect(taken.shareOf(path(200, 150, 0, 99))).toBeCloseTo(0.5, 1)
  })
  it('may lie along the edge of the plane', () => {
    taken.take(path(0, 0, 0, 300), 3)
    expect(taken.shareOf(path(0, 0.5, 0, 300))).toBe(1)
  })
})
