import * as fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { insideOutline, shapeArea } from '../../shape/shape.js'
import { outlineOfCells } from './area-find.js'

const [columns, rows, side] = [12, 9, 4]
const size = { width: columns * side - 2, height: rows * side - 1 }
const whole = { x: 0, y: 0, width: columns * side, height: rows * side }

describe('the outline of cells', () => {
  it('holds their pixels and no others, holes left out', () => {
    // A ring of cells around one that is none of them.
    const ring = Int32Array.from([14, 15, 16, 26, 28, 38, 39, 40])
    const outline = outlineOfCells(ring, columns, side, size)
    expect(outline.holes).toHaveLength(1)
    expect(shapeArea(outline)).toBe(8 * side * side)
    insideOutline(outline, whole).forEach((inside, i) => {
      const cell = Math.floor(Math.floor(i / whole.width) / side) * columns + Math.floor((i % whole.width) / side)
      expect(Boolean(inside)).toBe(ring.includes(cell))
    })
  })
  it('is larger by its reach, and ends where the picture does', () => {
    const corner = outlineOfCells(Int32Array.from([columns * rows - 1]), columns, side, size, 1)
    expect(Math.max(...corner.points.map(([x]) => x))).toBe(size.width)
    expect(Math.max(...corner.points.map(([, y]) => y))).toBe(size.height)
    expect(Math.min(...corner.points.map(([x]) => x))).toBe((columns - 2) * side)
    const inner = outlineOfCells(Int32Array.from([40]), columns, side, size, 2)
    expect(shapeArea(inner)).toBe((5 * side) ** 2)
  })
  it('of any rectangle of cells is that rectangle', () => {
    fc.assert(fc.property(fc.integer({ min: 0, max: 7 }), fc.integer({ min: 0, max: 5 }), fc.integer({ min: 1, max: 4 }), fc.integer({ min: 1, max: 3 }), (left, top, wide, high) => {
      const cells = Int32Array.from({ length: wide * high }, (_cell, k) => (top + Math.floor(k / wide)) * columns + left + (k % wide))
      const { points } = outlineOfCells(cells, columns, side, { width: 1000, height: 1000 })
      const [xs, ys] = [points.map(([x]) => x), points.map(([, y]) => y)]
      expect([Math.min(...xs), Math.max(...xs), Math.min(...ys), Math.max(...ys)]).toEqual([left * side, (left + wide) * side, top * side, (top + high) * side])
    }))
  })
})
