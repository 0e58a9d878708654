import { describe, expect, it } from 'vitest'
import * as fc from 'fast-check'
import { outlinesOfMask } from './from-mask.js'
import { coverage, distanceOutside, moveShape, shapeBounds, shapeThickness } from './shape.js'

describe('coverage', () => {
  it('a disc covers its area: the sum of soft coverage is pi r^2', () => {
    const disc = { type: 'disc', x: 30.3, y: 29.6, r: 17 } as const
    const region = { x: 0, y: 0, width: 60, height: 60 }
    for (const edge of [1, 4, 8]) {
      const sum = coverage(distanceOutside(disc, region), edge).data.reduce((a, b) => a + b, 0)
      expect(sum / (Math.PI * 17 * 17)).toBeCloseTo(1, 1)
    }
  })
  it('a stroke is its path made wide, an outline what lies within, less its holes', () => {
    const region = { x: 0, y: 0, width: 20, height: 20 }
    const stroke = distanceOutside({ type: 'stroke', points: [[4, 10], [16, 10]], width: 4 }, region)
    expect(stroke.data[10 * 20 + 10]).toBeCloseTo(-1.5, 5)
    expect(stroke.data[2 * 20 + 10]).toBeCloseTo(5.5, 5)
    const square: [number, number][] = [[2, 2], [18, 2], [18, 18], [2, 18]]
    const hole: [number, number][] = [[8, 8], [12, 8], [12, 12], [8, 12]]
    const outline = distanceOutside({ type: 'outline', points: square, holes: [hole] }, region)
    expect(outline.data[5 * 20 + 5]).toBeLessThan(0)
    expect(outline.data[10 * 20 + 10]).toBeGreaterThan(0)
    expect(outline.data[0]).toBeGreaterThan(0)
  })
  it('of a pixel is that to the nearest of all segments, as the slow, obvious search says', () => {
    fc.assert(
      fc.property(fc.array(fc.tuple(fc.integer({ min: 0, max: 480 }), fc.integer({ min: 0, max: 400 })), { minLength: 2, maxLength: 40 }), fc.constantFrom(3, 20, Infinity), fc.constantFrom(0.4, Infinity), fc.boolean(), (corners, reach, depth, closed) => {
        const points = corners.map(([x, y]): [number, number] => [x / 8, y / 8])
        const region = { x: -5, y: 3, width: 71, height: 43 }
        const { data } = distanceOutside(closed ? { type: 'outline', points } : { type: 'stroke', points, width: 2 }, region, reach, depth)
        data.forEach((distance, i) => {
          const [px, py] = [region.x + (i % region.width) + 0.5, region.y + Math.floor(i / region.width) + 0.5]
          let nearest = Infinity
          for (let k = closed ? 0 : 1; k < points.length; k++) {
            const [[ax, ay], [bx, by]] = [points[(k + points.length - 1) % points.length]!, points[k]!]
            const square = (bx - ax) ** 2 + (by - ay) ** 2
            const t = square === 0 ? 0 : Math.max(0, Math.min(1, ((px - ax) * (bx - ax) + (py - ay) * (by - ay)) / square))
            nearest = Math.min(nearest, Math.hypot(px - ax - t * (bx - ax), py - ay - t * (by - ay)))
          }
          const expected = closed ? Math.min(reach, nearest) : Math.min(reach + 1, nearest) - 1
          if (!closed && expected < -depth) expect(distance).toBeLessThanOrEqual(-depth + 1e-4)
          else expect(closed ? Math.abs(distance) : distance).toBeCloseTo(expected, 4)
        })
      }),
      { numRuns: 40, seed: 5 },
    )
  })
  it('moves with its shape', () => {
    const shape = { type: 'outline', points: [[1, 1], [5, 1], [3, 6]] as [number, number][] } as const
    expect(shapeBounds(moveShape({ ...shape, points: [...shape.points] }, 10, 20))).toMatchObject({ x: 11, y: 21 })
  })
})

describe('outlines of a mask', () => {
  it('cover exactly the pixels of the mask, holes and long pieces included', () => {
    fc.assert(
      fc.property(fc.array(fc.boolean(), { minLength: 130 * 9, maxLength: 130 * 9 }), (bits) => {
        const mask = Uint8Array.from(bits, (bit) => (bit ? 1 : 0))
        const covered = new Uint8Array(mask.length)
        for (const shape of outlinesOfMask(mask, 130, 9)) {
          const bounds = shapeBounds(shape)
          const distance = distanceOutside(shape, bounds)
          distance.data.forEach((d, i) => {
            if (d < 0) covered[(bounds.y + Math.floor(i / bounds.width)) * 130 + bounds.x + (i % bounds.width)]! += 1
          })
        }
        expect(covered).toEqual(mask)
      }),
      { numRuns: 25 },
    )
  })
})

describe('distances with a reach', () => {
  const points = fc.array(fc.tuple(fc.double({ min: 2, max: 58, noNaN: true }), fc.double({ min: 2, max: 38, noNaN: true })), { minLength: 3, maxLength: 9 })
  const region = { x: 0, y: 0, width: 60, height: 40 }
  it('equal the full ones within it and are at least it beyond', () => {
    fc.assert(fc.property(points, fc.constantFrom('stroke', 'outline'), fc.integer({ min: 1, max: 9 }), (path, type, reach) => {
      const shape = type === 'stroke' ? ({ type, points: path as [number, number][], width: 5 } as const) : ({ type: 'outline', points: path as [number, number][] } as const)
      const full = distanceOutside(shape, region).data
      let [furthestOff, leastBeyond, otherSide] = [0, Infinity, 0]
      distanceOutside(shape, region, reach).data.forEach((distance, i) => {
        if (Math.abs(full[i]!) < reach) furthestOff = Math.max(furthestOff, Math.abs(distance - full[i]!))
        else leastBeyond = Math.min(leastBeyond, Math.abs(distance))
        if (Math.abs(full[i]!) > 1e-3 && Math.sign(distance) !== Math.sign(full[i]!)) otherSide++
      })
      expect(furthestOff).toBeLessThan(5e-5)
      expect(leastBeyond).toBeGreaterThanOrEqual(reach - 1e-4)
      expect(otherSide).toBe(0)
    }), { numRuns: 40 })
  })
  it('thickness is half the width where a shape is thickest', () => {
    expect(shapeThickness({ type: 'stroke', points: [[0, 0], [50, 0]], width: 6 })).toBe(3)
    expect(shapeThickness({ type: 'outline', points: [[0, 0], [60, 0], [60, 10], [0, 10]] })).toBeCloseTo(4.5, 5)
  })
  it('of an outline is the depth of the pixel that lies deepest in it, holes included', () => {
    const radius = fc.integer({ min: 6, max: 60 })
    fc.assert(fc.property(fc.array(radius, { minLength: 3, maxLength: 24 }), fc.boolean(), (radii, holed) => {
      const around = (share: number) => radii.map((r, k): [number, number] => [70 + share * r * Math.cos((2 * Math.PI * k) / radii.length), 66 + share * r * Math.sin((2 * Math.PI * k) / radii.length)])
      const outline = { type: 'outline' as const, points: around(1), ...(holed ? { holes: [around(0.4)] } : {}) }
      const deepest = distanceOutside(outline, shapeBounds(outline)).data.reduce((least, distance) => Math.min(least, distance), 0)
      expect(shapeThickness(outline)).toBe(Math.abs(deepest))
    }))
  })
})
