import * as fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { makeRandom } from '../random.js'
import { makeRaster } from '../raster/raster.js'
import { makeTransfer } from '../raster/transfer.js'
import { shapesReach } from '../shape/shape.js'
import { mendShape } from '../mend/choose.js'
import { mendAll, partsOfFlaws } from './mend-all.js'
import type { Flaw } from './schema.js'

const flaw = (id: string, x: number, y: number, more: Partial<Flaw> = {}): Flaw => ({ id, kind: 'speck', shape: { type: 'disc', x, y, r: 4 }, state: 'open', contrast: 8, weight: 40, confidence: 0.95, origin: 'found', ...more })

describe('parts of a picture that are mended side by side', () => {
  const places = fc.array(fc.tuple(fc.double({ min: 0, max: 6000, noNaN: true }), fc.double({ min: 0, max: 4000, noNaN: true })), { minLength: 150, maxLength: 400 })
  it('have every flaw once, and none that reaches one of another part', () => {
    fc.assert(fc.property(places, (list) => {
      const flaws = list.map(([x, y], i) => flaw(`f${i}`, x, y))
      const { parts, last } = partsOfFlaws(flaws, 6000)
      expect([...parts.flat(), ...last].map(({ id }) => id).sort()).toEqual(flaws.map(({ id }) => id).sort())
      for (const [k, part] of parts.entries()) for (const other of parts.slice(k + 1)) for (const a of part.slice(0, 20)) for (const b of other.slice(0, 20)) expect(shapesReach(mendShape(a), mendShape(b), 8)).toBe(false)
    }), { numRuns: 25, seed: 9 })
  })
  it('are not made of a few', () => {
    const flaws = [flaw('a', 10, 10), flaw('b', 5000, 10)]
    expect(partsOfFlaws(flaws, 6000)).toEqual({ parts: [], last: flaws })
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
    const steps = mendAll({ ...raster, data: raster.data.slice() }, transfer, [flaw('a', 60.5, 100.5), wire, { ...flat, id: 'l', kind: 'loss' }, flat, flaw('b', 150.5, 100.5)], { id: ({ id }) => `m${id}` })
    expect(steps.map((step) => step.flaw).sort()).toEqual(['a', 'b'])
  })
  it('lays each mend into the picture, and stops when it is told to', () => {
    const pixels = { ...raster, data: raster.data.slice() }
    const steps = mendAll(pixels, transfer, [flaw('a', 60.5, 100.5), flaw('b', 150.5, 100.5), flaw('c', 240.5, 100.5)], { id: ({ id }) => `m${id}` }, (_step, done) => done < 2)
    expect(steps).toHaveLength(2)
    const left = [60, 150, 240].filter((x) => pixels.data[100 * 300 + x]! > 200)
    expect(left).toHaveLength(1)
  })
})
