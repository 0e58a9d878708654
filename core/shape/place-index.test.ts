import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import type { Region } from '../raster/raster.js'
import { PlaceIndex, squareAround } from './place-index.js'

const side = fc.integer({ min: 0, max: 60 })
const region = fc.record({ x: fc.integer({ min: -50, max: 900 }), y: fc.integer({ min: -50, max: 700 }), width: side, height: side })
const touch = (a: Region, b: Region) => a.x <= b.x + b.width && b.x <= a.x + a.width && a.y <= b.y + b.height && b.y <= a.y + a.height

describe('things by place', () => {
  it('are those whose rectangles touch, in their order, as asking all of them says', () => {
    fc.assert(fc.property(fc.array(region, { maxLength: 120 }), region, (regions, asked) => {
      const index = new PlaceIndex(regions, (one) => [one])
      expect(index.near(asked)).toEqual(regions.filter((one) => touch(one, asked)))
    }))
  })
  it('are named once, whatever number of rectangles they lie in', () => {
    const index = new PlaceIndex(['line', 'disc'], (name) => (name === 'disc' ? [squareAround(500, 20, 5)] : Array.from({ length: 9 }, (_, k) => ({ x: 10 * k, y: 10 * k, width: 10, height: 10 }))))
    expect(index.near({ x: 0, y: 0, width: 600, height: 100 })).toEqual(['line', 'disc'])
    expect(index.near(squareAround(90, 5, 3))).toEqual([])
  })
  it('the nearest is the nearest of all within reach', () => {
    const point = fc.record({ x: fc.integer({ min: 0, max: 500 }), y: fc.integer({ min: 0, max: 500 }) })
    fc.assert(fc.property(fc.array(point, { minLength: 1, maxLength: 80 }), point, fc.integer({ min: 1, max: 200 }), (points, from, within) => {
      const away = ({ x, y }: { x: number; y: number }) => Math.hypot(x - from.x, y - from.y)
      const found = new PlaceIndex(points, ({ x, y }) => [{ x, y, width: 0, height: 0 }]).nearest(from.x, from.y, within)
      const least = Math.min(...points.map(away))
      if (least > within) expect(found).toBeNull()
      else if (found) expect(away(found)).toBeCloseTo(least, 9)
      else expect(least).toBe(within)
    }))
  })
  it('of nothing are none', () => {
    const index = new PlaceIndex<string>([], () => [])
    expect(index.near(squareAround(0, 0, 100))).toEqual([])
    expect(index.nearest(0, 0, 100)).toBeNull()
  })
})
