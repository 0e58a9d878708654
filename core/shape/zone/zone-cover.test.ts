import { describe, expect, it } from 'vitest'
import type { Area } from '../../treatment/schema.js'
import { areaCoverage } from './area.js'
import { isShapeArea, packMask, unpackMask, zoneCover, zoneReach } from './zone-cover.js'

const SIZE = { width: 60, height: 40 }
const whole = { x: 0, y: 0, ...SIZE }
/** A picture whose lightness grows from left to right, 0 to 100, without colour on the left half and with some on the right. */
const lab = (region: { x: number; y: number; width: number; height: number }) => Float32Array.from({ length: 3 * region.width * region.height }, (_, k) => {
  const x = region.x + (Math.floor(k / 3) % region.width)
  return k % 3 === 0 ? (100 * (x + 0.5)) / SIZE.width : k % 3 === 1 && x >= 30 ? 20 : 0
})
const zone = (parts: Area['parts'], more: Partial<Area> = {}): Area => ({ id: 'z', name: 'Zone', role: 'zone', softEdgePx: 0, parts, ...more })
const cover = (area: Area, region = whole, level = 0, size = SIZE) => zoneCover(area, region, level, size, lab)
const at = (plane: Float32Array, x: number, y: number) => plane[y * SIZE.width + x]!

describe('a zone', () => {
  it('of shapes covers what a guard of the same shapes covers', () => {
    const parts: Area['parts'] = [{ mode: 'add', shape: { type: 'disc', x: 20, y: 20, r: 12 } }, { mode: 'take', shape: { type: 'stroke', points: [[5, 20], [40, 22]], width: 4 } }]
    for (const softEdgePx of [0, 5]) expect(cover(zone(parts, { softEdgePx }))).toEqual(areaCoverage([zone(parts, { softEdgePx })], whole)!.data)
  })

  it('takes a stroke with its own hardness and strength', () => {
    const plane = cover(zone([{ mode: 'add', strength: 0.5, softEdgePx: 8, shape: { type: 'disc', x: 30, y: 20, r: 10 } }]))
    expect(at(plane, 30, 20)).toBe(0.5)
    expect(at(plane, 39, 20)).toBeGreaterThan(0.1)
    expect(at(plane, 39, 20)).toBeLessThan(0.4)
    expect(at(plane, 46, 20)).toBe(0)
  })

  it('falls along a straight slope and around a round one', () => {
    const straight = cover(zone([{ mode: 'add', slope: { type: 'linear', from: [10, 0], to: [50, 0] } }]))
    expect(at(straight, 5, 7)).toBe(1)
    expect(at(straight, 29, 30)).toBeCloseTo((50 - 29.5) / 40, 5)
    expect(at(straight, 55, 3)).toBe(0)
    const round = cover(zone([{ mode: 'add', slope: { type: 'radial', x: 30, y: 20, innerPx: 4, outerPx: 14 } }]))
    expect(at(round, 29, 19)).toBe(1)
    expect(at(round, 39, 20)).toBeCloseTo((14 - Math.hypot(9.5, 0.5)) / 10, 4)
  })

  it('covers a range of tone and of colour, fading beyond it', () => {
    const tone = cover(zone([{ mode: 'add', range: { type: 'tone', from: 40, to: 60, fade: 10 } }]))
    expect(at(tone, 30, 10)).toBe(1)
    // Lightness 65.83 lies 5.83 outside of 60: 0.417 is left of a fade over 10.
    expect(at(tone, 39, 10)).toBeCloseTo(1 - 5.8333 / 10, 3)
    expect(at(tone, 50, 10)).toBe(0)
    const colour = cover(zone([{ mode: 'add', range: { type: 'colour', samples: [[75, 20, 0]], within: 8, fade: 4 } }]))
    expect(at(colour, 45, 5)).toBe(1)
    expect(at(colour, 20, 5)).toBe(0)
  })

  it('grows and shrinks by so many pixels, whatever its parts are made of, and inverted grows outward too', () => {
    const disc = (movedPx: number, more: Partial<Area> = {}) => cover(zone([{ mode: 'add', shape: { type: 'disc', x: 30, y: 20, r: 10 } }], { movedPx, ...more }))
    const count = (plane: Float32Array) => plane.reduce((sum, value) => sum + value, 0)
    expect(count(disc(3))).toBeCloseTo(count(cover(zone([{ mode: 'add', shape: { type: 'disc', x: 30, y: 20, r: 13 } }]))), -1)
    expect(count(disc(-3))).toBeCloseTo(count(cover(zone([{ mode: 'add', shape: { type: 'disc', x: 30, y: 20, r: 7 } }]))), -1)
    expect(count(disc(2, { inverted: true }))).toBeGreaterThan(count(disc(0, { inverted: true })))
    const values = new Uint8Array(SIZE.width * SIZE.height)
    for (let y = 10; y < 30; y++) values.fill(255, y * SIZE.width + 20, y * SIZE.width + 40)
    const grey = (movedPx: number) => cover(zone([{ mode: 'add', mask: packMask(SIZE.width, SIZE.height, values) }], { movedPx }))
    expect([at(grey(0), 41, 20), at(grey(2), 41, 20), at(grey(2), 42, 20), at(grey(-2), 39, 20), at(grey(-2), 37, 20)]).toEqual([0, 1, 0, 0, 1])
  })

  it('is the same on a part as on the whole, soft and moved', () => {
    const values = Uint8Array.from({ length: SIZE.width * SIZE.height }, (_, i) => (i * 37) % 256)
    const area = zone([{ mode: 'add', mask: packMask(SIZE.width, SIZE.height, values) }, { mode: 'take', range: { type: 'tone', from: 20, to: 30, fade: 5 } }, { mode: 'add', shape: { type: 'disc', x: 10, y: 10, r: 6 } }], { softEdgePx: 6, movedPx: 2 })
    const all = cover(area)
    const part = { x: 13, y: 9, width: 31, height: 17 }
    const own = cover(area, part)
    for (let y = 0; y < part.height; y++) for (let x = 0; x < part.width; x++) expect(own[y * part.width + x]).toBe(at(all, x + part.x, y + part.y))
    expect(zoneReach(area, 0)).toBeGreaterThanOrEqual(8)
  })

  it('on a smaller level lies where it lies at full size', () => {
    const area = zone([{ mode: 'add', slope: { type: 'linear', from: [0, 0], to: [60, 0] } }, { mode: 'take', shape: { type: 'disc', x: 40, y: 20, r: 8 } }], { softEdgePx: 4 })
    const [full, half] = [cover(area), cover(area, { x: 0, y: 0, width: 30, height: 20 }, 1, { width: 30, height: 20 })]
    for (let y = 0; y < 20; y++) {
      for (let x = 0; x < 30; x++) {
        const mean = (at(full, 2 * x, 2 * y) + at(full, 2 * x + 1, 2 * y) + at(full, 2 * x, 2 * y + 1) + at(full, 2 * x + 1, 2 * y + 1)) / 4
        expect(Math.abs(half[y * 30 + x]! - mean)).toBeLessThan(0.12)
      }
    }
  })

  it('keeps a grey picture to the last value and refuses one of another size', () => {
    const values = Uint8Array.from({ length: 35 * 21 }, (_, i) => (i * i) % 256)
    const mask = packMask(35, 21, values)
    expect(unpackMask(mask)).toEqual(values)
    for (const height of [20, 22]) expect(() => unpackMask({ ...mask, height })).toThrow(RangeError)
  })

  it('is no guard unless it is made of shapes', () => {
    expect(isShapeArea(zone([{ mode: 'add', shape: { type: 'disc', x: 1, y: 1, r: 1 } }]))).toBe(true)
    expect(isShapeArea(zone([{ mode: 'add', shape: { type: 'disc', x: 1, y: 1, r: 1 } }], { inverted: true }))).toBe(false)
    expect(isShapeArea(zone([{ mode: 'add', range: { type: 'tone', from: 0, to: 1, fade: 0 } }]))).toBe(false)
  })
})
