import { describe, expect, it } from 'vitest'
import { addToShape, joinStrokes, splitStroke, strokeFromSpot, takeFromShape, widenShape } from './edit-shape.js'
import { distanceOutside, type Shape, type Stroke } from './shape.js'

const region = { x: 0, y: 0, width: 120, height: 90 }
const covered = (shapes: readonly Shape[]) => {
  const mask = new Uint8Array(region.width * region.height)
  for (const shape of shapes) distanceOutside(shape, region, 1).data.forEach((d, i) => (d < 0 ? (mask[i] = 1) : 0))
  return mask
}
const differ = (a: Uint8Array, b: Uint8Array) => a.reduce((sum, value, i) => sum + (value === b[i] ? 0 : 1), 0)
const spot: Shape = { type: 'disc', x: 50, y: 45, r: 20 }
const stroke: Stroke = { type: 'stroke', points: [[10, 45], [60, 45], [100, 20]], width: 12 }

describe('shapes changed afterwards', () => {
  it('added: covers what either covered, to a few pixels of the polygon that stands for a circle', () => {
    const both = addToShape(spot, stroke)
    expect(both).toHaveLength(1)
    const truth = covered([spot, stroke])
    expect(differ(covered(both), truth)).toBeLessThan(0.015 * truth.reduce((sum, value) => sum + value, 0))
  })
  it('taken away: covers what the first covered and the second did not, holes and pieces included', () => {
    const ring = takeFromShape(spot, { type: 'disc', x: 50, y: 45, r: 8 })
    expect(ring).toHaveLength(1)
    expect(ring[0]!.holes).toHaveLength(1)
    const halves = takeFromShape(spot, { type: 'stroke', points: [[50, 0], [50, 90]], width: 6 })
    expect(halves).toHaveLength(2)
    const truth = covered([spot]).map((value, i) => (value && !covered([{ type: 'stroke', points: [[50, 0], [50, 90]], width: 6 }])[i] ? 1 : 0))
    expect(differ(covered(halves), truth)).toBeLessThan(20)
    expect(takeFromShape(spot, { type: 'disc', x: 50, y: 45, r: 40 })).toEqual([])
  })
  it('pieces that do not touch stay apart, the larger first', () => {
    const pieces = addToShape({ type: 'disc', x: 15, y: 15, r: 5 }, { type: 'disc', x: 80, y: 60, r: 15 })
    expect(pieces.map(({ points }) => Math.round(points[0]![0] / 60))).toEqual([1, 0])
  })
  it('split: both parts together cover what the stroke covered; not at its very end', () => {
    const [first, second] = splitStroke(stroke, 61, 50)!
    expect(first.points.at(-1)).toEqual(second.points[0])
    expect(differ(covered([first, second]), covered([stroke]))).toBe(0)
    expect(splitStroke(stroke, 9, 45)).toBeNull()
  })
  it('joined: by the nearest ends, whichever way they were drawn', () => {
    const [first, second] = splitStroke(stroke, 40, 45)!
    const again = joinStrokes({ ...second, points: [...second.points].reverse() }, first)
    expect(differ(covered([again]), covered([stroke]))).toBe(0)
  })
  it('a spot drawn out is a stroke of its width from its middle', () => {
    expect(strokeFromSpot({ type: 'disc', x: 50, y: 45, r: 7 }, [[50, 45], [80, 60]])).toEqual({ type: 'stroke', points: [[50, 45], [80, 60]], width: 14 })
  })
  it('widened: by its radius, its width, or about its middle', () => {
    expect(widenShape(spot, 1.5)).toMatchObject({ r: 30 })
    expect(widenShape(stroke, 0.5)).toMatchObject({ width: 6 })
    expect(widenShape({ type: 'outline', points: [[10, 10], [30, 10], [30, 30], [10, 30]] }, 2)).toMatchObject({ points: [[0, 0], [40, 0], [40, 40], [0, 40]] })
  })
})
