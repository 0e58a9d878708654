import * as fc from 'fast-check'
import { mendableRaster } from '../patches/patch.js'
import { describe, expect, it } from 'vitest'
import { makeRandom } from '../../random.js'
import { makeRaster } from '../../raster/raster.js'
import { makeTransfer } from '../../raster/transfer.js'
import { shapeBounds } from '../../shape/shape.js'
import { mendShape } from '../mend-shape.js'
import { mendAll, partsOfFlaws } from './mend-all.js'
import type { Flaw } from '../../treatment/schema.js'

const flaw = (id: string, x: number, y: number, more: Partial<Flaw> = {}): Flaw => ({ id, kind: 'speck', shape: { type: 'disc', x, y, r: 4 }, state: 'open', contrast: 8, weight: 40, confidence: 0.95, origin: 'found', ...more })

describe('parts in which a picture is mended', () => {
  const places = fc.array(fc.tuple(fc.double({ min: 0, max: 6000, noNaN: true }), fc.double({ min: 0, max: 4000, noNaN: true })), { minLength: 150, maxLength: 400 })
  const lengths = fc.array(fc.double({ min: 20, max: 3000, noNaN: true }), { maxLength: 40 })
  it('have every flaw once, and of two that come near each other one part waits for the other', () => {
    fc.assert(fc.property(places, lengths, (list, long) => {
      const spots = list.map(([x, y], i) => flaw(`f${i}`, x, y))
      const lines = long.map((length, i) => flaw(`l${i}`, 0, 0, { shape: { type: 'stroke', points: [[(i * 731) % 3000, 50 * i], [((i * 731) % 3000) + length, 50 * i + 9]], width: 3 } }))
      const parts = partsOfFlaws([...spots, ...lines], 6000)
      expect(parts.flatMap(({ flaws }) => flaws.map(({ id }) => id)).sort()).toEqual([...spots, ...lines].map(({ id }) => id).sort())
      const extents = parts.map(({ flaws }) => flaws.map((one) => shapeBounds(mendShape(one))))
      for (const [k, { after }] of parts.entries()) {
        expect(after.every((earlier) => earlier < k)).toBe(true)
        for (const [earlier, others] of extents.slice(0, k).entries()) {
          if (after.includes(earlier)) continue
          for (const a of extents[k]!) for (const b of others) expect(Math.max(a.x, b.x) - Math.min(a.x + a.width, b.x + b.width)).toBeGreaterThan(235)
        }
      }
    }), { numRuns: 25, seed: 9 })
  })
  it('of a seam wait for its two strips alone', () => {
    const spots = Array.from({ length: 400 }, (_value, i) => flaw(`f${i}`, 15 * i, 100))
    expect(partsOfFlaws(spots, 6000).map(({ after }) => after)).toEqual([[], [], [], [], [0, 1], [1, 2], [2, 3], [0, 1, 2, 3, 4, 5, 6]])
  })
  it('are one for a few flaws, and none for none', () => {
    const flaws = [flaw('a', 10, 10), flaw('b', 5000, 10)]
    expect(partsOfFlaws(flaws, 6000)).toEqual([{ flaws, after: [] }])
    expect(partsOfFlaws([], 6000)).toEqual([])
  })
})

describe('mending all', () => {
  const random = makeRandom(3)
  const raster = makeRaster(300, 200, 1, 8)
  for (let i = 0; i < 60000; i++) raster.data[i] = 120 + Math.round(6 * (random.uniform() + random.uniform() - 1))
  for (const x of [60, 150, 240]) for (let dy = -3; dy <= 3; dy++) for (let dx = -3; dx <= 3; dx++) raster.data[(100 + dy) * 300 + x + dx] = 230
  const transfer = makeTransfer({ type: 'srgb' }, 8)
  it('leaves what may be a wire or a loss, and flat patches, to the restorer', () => {
    const wire = flaw('w', 0, 0, { kind: 'wire', shape: { type: 'stroke', points: [[10, 40], [290, 42]], width: 3 } })
    const flat = flaw('p', 0, 0, { kind: 'flat', shape: { type: 'outline', points: [[16, 128], [96, 128], [96, 176], [16, 176]] } })
    const steps = mendAll(mendableRaster({ ...raster, data: raster.data.slice() }), transfer, [flaw('a', 60.5, 100.5), wire, { ...flat, id: 'l', kind: 'loss' }, flat, flaw('b', 150.5, 100.5)], { id: ({ id }) => `m${id}` })
    expect(steps.map((step) => step.flaw).sort()).toEqual(['a', 'b'])
  })
  it('takes nothing from a flaw that stays open beside', () => {
    const around = Array.from({ length: 6 }, (_value, k) => flaw(`n${k}`, 150.5 + 22 * (k % 2 === 0 ? 1 : -1), 78.5 + 9 * k))
    const [step] = mendAll(mendableRaster({ ...raster, data: raster.data.slice() }), transfer, [flaw('b', 150.5, 100.5)], { id: () => 'm', method: 'heal', beside: around })
    const { dx, dy } = step!.source!
    for (const { shape } of around) if (shape.type === 'disc') expect(Math.hypot(150.5 + dx - shape.x, 100.5 + dy - shape.y)).toBeGreaterThan(shape.r + 4)
    // Without them it would have gone elsewhere.
    const [alone] = mendAll(mendableRaster({ ...raster, data: raster.data.slice() }), transfer, [flaw('b', 150.5, 100.5)], { id: () => 'm', method: 'heal' })
    expect(alone!.source).not.toEqual(step!.source)
  })
  it('lays each mend into the picture, and stops when it is told to', () => {
    const pixels = { ...raster, data: raster.data.slice() }
    const steps = mendAll(mendableRaster(pixels), transfer, [flaw('a', 60.5, 100.5), flaw('b', 150.5, 100.5), flaw('c', 240.5, 100.5)], { id: ({ id }) => `m${id}` }, (_step, done) => done < 2)
    expect(steps).toHaveLength(2)
    const left = [60, 150, 240].filter((x) => pixels.data[100 * 300 + x]! > 200)
    expect(left).toHaveLength(1)
  })
})
