import { describe, expect, it } from 'vitest'
import type { Plane } from '../../raster/raster.js'
import { RING_FEATURES, ringsOfDisc } from './rings.js'

const planeOf = (width: number, height: number, value: (x: number, y: number) => number): Plane => ({ width, height, data: Float32Array.from({ length: width * height }, (_value, i) => value((i % width) + 0.5, Math.floor(i / width) + 0.5)) })
const disc = (x: number, y: number, r: number) => Math.max(0, Math.min(1, r - Math.hypot(x - 40, y - 40) + 0.5))
const RINGS = [[0.35, 0], [0.75, 0], [1, 0.6], [1.25, 1.2], [1.6, 1.6], [2.1, 2], [2.8, 3], [3.8, 4]] as const

/** The slow, obvious one: angles by the sine, values between four pixels, edges repeated. */
function reference({ width, height, data }: Plane, x: number, y: number, r: number, amplitude: number): number[] {
  const at = (px: number, py: number) => data[Math.max(0, Math.min(height - 1, py)) * width + Math.max(0, Math.min(width - 1, px))]!
  const between = (px: number, py: number) => {
    const [i, j] = [Math.floor(px - 0.5), Math.floor(py - 0.5)]
    const [u, v] = [px - 0.5 - i, py - 0.5 - j]
    return (1 - u) * (1 - v) * at(i, j) + u * (1 - v) * at(i + 1, j) + (1 - u) * v * at(i, j + 1) + u * v * at(i + 1, j + 1)
  }
  const seen = RINGS.map(([share, more]) => Array.from({ length: 16 }, (_value, k) => between(x + (share * r + more) * Math.cos((k * Math.PI) / 8), y + (share * r + more) * Math.sin((k * Math.PI) / 8))))
  const level = [...seen[4]!, ...seen[5]!].sort((a, b) => a - b)[16]!
  const scaled = seen.map((ring) => ring.map((value) => (value - level) / amplitude))
  const bounded = (value: number) => Math.max(-4, Math.min(4, value))
  const mean = (values: number[]) => values.reduce((sum, value) => sum + value, 0) / values.length
  const told = scaled.flatMap((ring) => [bounded(mean(ring)), Math.log(Math.max(0.02, Math.min(4, Math.sqrt(mean(ring.map((value) => (value - mean(ring)) ** 2)))))), bounded(Math.min(...ring)), bounded(Math.max(...ring))])
  const outward = Array.from({ length: 16 }, (_value, k) => scaled.slice(3, 7).map((ring) => ring[k]!))
  return [...told, bounded(Math.max(...outward.map((spoke) => Math.min(...spoke)))), bounded(Math.max(...outward.map(mean)))]
}

describe('what lies on rings in and around a disc', () => {
  const texture = planeOf(80, 70, (x, y) => 0.3 * Math.sin(x / 3) * Math.cos(y / 4) + 0.05 * Math.sin(x * y) - 0.8 * disc(x, y, 5))
  it.each([
    ['in texture', 40.3, 39.6, 5, -0.8],
    ['of a small one', 22.1, 30.9, 1.3, 0.2],
    ['at the edge of the picture', 2.4, 66.2, 4, 0.5],
  ])('is what the obvious way says, %s', (_where, x, y, r, amplitude) => {
    const told = ringsOfDisc(texture, x, y, r, amplitude)
    expect(told).toHaveLength(RING_FEATURES)
    reference(texture, x, y, r, amplitude).forEach((value, i) => expect(told[i]).toBeCloseTo(value, 2))
  })
  it('is the disc within and nothing around it in a plain sky, however strong it is', () => {
    for (const amplitude of [0.4, -0.05]) {
      const told = ringsOfDisc(planeOf(80, 80, (x, y) => 1.5 + amplitude * disc(x, y, 6)), 40, 40, 6, amplitude)
      expect(told[0]).toBeCloseTo(1, 3)
      for (const ring of [4, 5, 6, 7]) expect(told[4 * ring]).toBeCloseTo(0, 3)
      expect(told.at(-1)).toBeCloseTo(0, 3)
    }
  })
  it('tells what leads out of a knot of a wire', () => {
    const wire = planeOf(80, 80, (x, y) => Math.max(disc(x, y, 3), Math.abs(y - 40) < 2 ? 1 : 0))
    const told = ringsOfDisc(wire, 40, 40, 3, 1)
    expect(told.at(-2)).toBeGreaterThan(0.9)
    expect(told.at(-1)).toBeGreaterThan(0.9)
  })
})
