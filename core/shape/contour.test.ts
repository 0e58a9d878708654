import { describe, expect, it } from 'vitest'
import { shapeArea } from './shape.js'
import { boxRound, contourRound } from './contour.js'

const [columns, rows] = [40, 30]
/** Two hills, one with a hollow top. */
const hill = (i: number): number => {
  const [x, y] = [(i % columns) + 0.5, Math.floor(i / columns) + 0.5]
  const ring = Math.hypot(x - 12, y - 15)
  return Math.max(ring < 3 ? ring / 3 : 2 - ring / 5, 2 - Math.hypot(x - 30, y - 15) / 4)
}
const whole = { left: 0, right: columns, top: 0, bottom: rows }

describe('a contour', () => {
  it('goes round the hill that its seed lies on, hollow and all, where the level is reached', () => {
    const seed = 15 * columns + 16
    const corners = contourRound(hill, columns, whole, 1, seed)!
    for (const [x, y] of corners) expect(Math.hypot(x - 12, y - 15)).toBeCloseTo(5, 0)
    expect(shapeArea({ type: 'outline', points: corners })).toBeCloseTo(Math.PI * 25, -1)
    const other = contourRound(hill, columns, whole, 1, 15 * columns + 30)!
    for (const [x, y] of other) expect(Math.hypot(x - 30, y - 15)).toBeCloseTo(4, 0)
  })

  it('is none where the level is not reached', () => {
    expect(contourRound(hill, columns, whole, 2.5, 15 * columns + 30)).toBeNull()
  })

  it('is drawn in the cells of the picture, whichever box of them was looked at', () => {
    const seed = 15 * columns + 30
    const box = boxRound(Int32Array.of(seed, seed + 4, seed - 4 - 3 * columns), columns, rows, 5)
    expect(box).toEqual({ left: 21, right: 40, top: 7, bottom: 21 })
    const [part, all] = [box, whole].map((looked) => contourRound(hill, columns, looked, 1.4, seed)!)
    expect(part).toHaveLength(all!.length)
    part!.flat().forEach((value, k) => expect(value).toBeCloseTo(all!.flat()[k]!, 9))
  })
})
