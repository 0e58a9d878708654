import { describe, expect, it } from 'vitest'
import { distanceAt, strokeContour, type Shape } from '@fennip/core/shape/shape.js'
import { pathOf } from './paths.js'

const sight = { scale: 2, x: 10, y: 20, width: 800, height: 600 }
const numbers = (path: string) => path.match(/-?\d+(\.\d+)?/g)!.map(Number)

describe('contours', () => {
  it('of a disc lie on it, in pixels of the view', () => {
    expect(pathOf({ type: 'disc', x: 100, y: 50, r: 8 }, sight)).toBe('M210.0 120.0m-16.0 0a16.0 16.0 0 1 0 32 0a16.0 16.0 0 1 0 -32 0')
  })
  it('of a tiny disc can still be seen', () => {
    expect(pathOf({ type: 'disc', x: 0, y: 0, r: 0.5 }, sight)).toContain('a2.5 2.5')
  })
  it('of an outline are its corners, closed, holes included', () => {
    const outline: Shape = { type: 'outline', points: [[0, 0], [10, 0], [10, 10]], holes: [[[4, 2], [6, 2], [6, 4]]] }
    expect(pathOf(outline, sight)).toBe('M10.0 20.0L30.0 20.0L30.0 40.0ZM18.0 24.0L22.0 24.0L22.0 28.0Z')
  })
  it('of a stroke run round it at half its width', () => {
    const stroke = { type: 'stroke', points: [[10, 10], [60, 10], [90, 30]] as [number, number][], width: 12 } as const
    for (const [x, y] of strokeContour(stroke)) expect(Math.abs(distanceAt(stroke, x, y))).toBeLessThan(1.2)
    expect(numbers(pathOf(stroke, sight)).length).toBe(2 * strokeContour(stroke).length)
  })
  it('of a stroke of one point go round it', () => {
    const dot = { type: 'stroke', points: [[40, 40]] as [number, number][], width: 10 } as const
    for (const [x, y] of strokeContour(dot)) expect(Math.hypot(x - 40, y - 40)).toBeCloseTo(5, 1)
  })
})
