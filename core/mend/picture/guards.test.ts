import { describe, expect, it } from 'vitest'
import { ProblemError } from '../../problem.js'
import { makeRandom } from '../../random.js'
import { makeRaster, rasterSource, type IntegerRaster } from '../../raster/raster.js'
import { makeTransfer } from '../../raster/transfer.js'
import { layOver, makePatches, renderRegion } from '../patches/patch.js'
import { patchKeys } from '../patches/patch-keys.js'
import { areaCoverage } from '../../shape/zone/area.js'
import { distanceOutside, shapeBounds, type Shape } from '../../shape/shape.js'
import { applyEdit, emptyTreatment } from '../../treatment/edit.js'
import { putArea, removeArea } from './guards.js'
import type { Area, Flaw, Step, Treatment } from '../../treatment/schema.js'
import { chooseMend } from '../choose.js'
import { sourceShape } from '../../shape/donor.js'
import { searchSources } from '../heal/source-search.js'

const transfer = makeTransfer({ type: 'srgb' }, 8)
const [width, height] = [360, 280]
const whole = { x: 0, y: 0, width, height }
const original = { sha256: 'c'.repeat(64), width, height, channels: 3, depth: 8 } as const

/** Sky over a dark hill, with grain; the hill is what is guarded. */
function hillside(seed: number): IntegerRaster {
  const random = makeRandom(seed)
  const picture = makeRaster(width, height, 3, 8)
  for (let y = 0; y < height; y++) for (let x = 0; x < width; x++) {
    const grain = 5 * (random.uniform() + random.uniform() - 1)
    const dark = y > 170 + 0.15 * x
    for (let c = 0; c < 3; c++) picture.data[(y * width + x) * 3 + c] = Math.round((dark ? 60 + 25 * ((x >> 2) % 2) : 150 + 0.2 * y + 10 * c) + grain)
  }
  return picture
}
const hill: Area = { id: 'g', name: 'Hill', role: 'guard', softEdgePx: 0, parts: [{ mode: 'add', shape: { type: 'outline', points: [[0, 170], [360, 224], [360, 280], [0, 280]] } }] }
const cover = areaCoverage([hill], whole)!.data

const flawAt = (shape: Shape, id = 'f'): Flaw => ({ id, kind: 'other', shape, state: 'open', contrast: 0, weight: 0, confidence: 1, origin: 'hand' })
const METHODS = ['heal', 'fill', 'clone', 'lift', undefined] as const

describe('a guard', () => {
  it('over 100 random mends by every method not one guarded pixel changes, and none is a source', () => {
    const random = makeRandom(12)
    const picture = hillside(1)
    let near = 0
    for (let n = 0; n < 100; n++) {
      const x = 20 + random.uniform() * (width - 40)
      // Most lie along the edge of the guard.
      const y = Math.max(15, 170 + 0.15 * x - 40 * random.uniform() + 14)
      const r = 3 + random.uniform() * 9
      const shape: Shape = n % 3 === 0 ? { type: 'stroke', points: [[x, y], [x + 25, y - 12]], width: 3 + r / 2 } : { type: 'disc', x, y, r }
      const method = METHODS[n % METHODS.length]
      let step: Step
      try {
        step = chooseMend({ picture: rasterSource(picture), transfer, flaw: flawAt(shape), openFlaws: [], guards: [hill], id: 'm', ...(method ? { method } : {}) })
      } catch (error) {
        expect((error as ProblemError).type).toContain('flaw-guarded')
        continue
      }
      const [patch] = makePatches(rasterSource(picture), transfer, { original, steps: [step], areas: [hill] }, 3, { get: () => undefined, set: () => undefined })
      const mended = { ...picture, data: picture.data.slice() }
      layOver(mended, whole, patch!)
      for (let i = 0; i < cover.length; i++) if (cover[i]! > 0) for (let c = 0; c < 3; c++) if (mended.data[3 * i + c] !== picture.data[3 * i + c]) throw new Error(`guarded pixel ${i % width},${Math.floor(i / width)} changed by mend ${n} (${step.method})`)
      if (step.guards) near++
      if (!step.source) continue
      const from = sourceShape(step.shape, step.source)
      const box = shapeBounds(from)
      const inside = distanceOutside(from, box, 1).data
      const takes = inside.some((d, i) => d < 0 && (cover[(box.y + Math.floor(i / box.width)) * width + box.x + (i % box.width)] ?? 0) > 0)
      // When no place is free a fallback is offered, and the telltale says so.
      if (takes) expect(step.telltales!.taintedSource.value).toBe(1)
    }
    expect(near).toBeGreaterThan(60)
  })

  it('is never searched for sources', () => {
    const offers = searchSources(rasterSource(hillside(2)), { type: 'disc', x: 180, y: 180, r: 9 }, [], [], [hill])
    expect(offers.length).toBeGreaterThan(5)
    for (const { dx, dy } of offers) expect(areaCoverage([hill], { x: 180 + dx - 8, y: 180 + dy - 8, width: 16, height: 16 })?.data[8 * 16 + 8] ?? 0).toBe(0)
    expect(searchSources(rasterSource(hillside(2)), { type: 'disc', x: 180, y: 180, r: 9 }, []).length).toBeGreaterThan(offers.length)
  })

  it('does not let the tone beyond its edge into a heal', () => {
    const clean = hillside(3)
    const damaged = { ...clean, data: clean.data.slice() }
    // A light spot in the sky that reaches the hill.
    const spot: Shape = { type: 'disc', x: 180, y: 190, r: 10 }
    distanceOutside(spot, whole).data.forEach((d, i) => { if (d < 0) for (let c = 0; c < 3; c++) damaged.data[3 * i + c] = 250 })
    const step = chooseMend({ picture: rasterSource(damaged), transfer, flaw: flawAt({ ...spot, r: 12 }), openFlaws: [], guards: [hill], method: 'heal', id: 'm' })
    const [patch] = makePatches(rasterSource(damaged), transfer, { original, steps: [step], areas: [hill] }, 3, { get: () => undefined, set: () => undefined })
    layOver(damaged, whole, patch!)
    let error = 0
    let count = 0
    distanceOutside(spot, whole).data.forEach((d, i) => {
      if (d < -1 && cover[i] === 0) {
        error += damaged.data[3 * i + 1]! - clean.data[3 * i + 1]!
        count++
      }
    })
    expect(Math.abs(error / count)).toBeLessThan(2.5)
  })

  it('with a soft edge lets a mend fade into it', () => {
    const soft = { ...hill, softEdgePx: 20 }
    const picture = hillside(4)
    const step: Step = { id: 'm', stage: 'mend', flaw: 'f', method: 'clone', methodVersion: 2, shape: { type: 'disc', x: 180, y: 195, r: 25 }, softEdgePx: 0, strength: 1, seed: 0, source: { dx: 0, dy: -100 }, guards: ['g'], chosenBy: 'hand', reason: '' }
    const patchesOf = (areas: Area[]) => makePatches(rasterSource(picture), transfer, { original, steps: [step], areas }, 3, { get: () => undefined, set: () => undefined })
    const change = (areas: Area[], y: number) => {
      const { data } = renderRegion(rasterSource(picture), patchesOf(areas), { x: 180, y, width: 1, height: 1 })
      return Math.abs(data[0]! - picture.data[(y * width + 180) * 3]!)
    }
    expect(change([hill], 200)).toBe(0)
    expect(change([soft], 200)).toBeGreaterThan(10)
    expect(change([soft], 212)).toBe(0)
  })

  it('says why what lies in it is not mended', () => {
    expect(() => chooseMend({ picture: rasterSource(hillside(5)), transfer, flaw: flawAt({ type: 'disc', x: 180, y: 250, r: 8 }), openFlaws: [], guards: [hill], id: 'm' })).toThrow(/guard "Hill"/)
  })
})

describe('guards in a treatment', () => {
  const step = (id: string, x: number, y: number): Step => ({ id, stage: 'mend', flaw: `f${id}`, method: 'heal', methodVersion: 2, shape: { type: 'disc', x, y, r: 8 }, softEdgePx: 2, strength: 1, seed: 0, source: { dx: 30, dy: 0 }, chosenBy: 'hand', reason: '' })
  const start: Treatment = { ...emptyTreatment(original), flaws: ['a', 'b', 'c'].map((id) => flawAt({ type: 'disc', x: 50, y: 50, r: 8 }, `f${id}`)), steps: [step('a', 180, 190), step('b', 60, 20), step('c', 180, 255)] }

  it('hold the mends that come near from then on; what was made inside on purpose stays', () => {
    const { treatment } = applyEdit(start, putArea(start, hill))
    expect(treatment.steps.map(({ guards }) => guards)).toEqual([['g'], undefined, undefined])
    const before = patchKeys(start).map(({ key }) => key)
    const after = patchKeys(treatment).map(({ key }) => key)
    expect(after.map((key, i) => key === before[i])).toEqual([false, true, true])
  })
  it('made zones or taken out release them; undo brings all back', () => {
    const guarded = applyEdit(start, putArea(start, hill)).treatment
    expect(applyEdit(guarded, putArea(guarded, { ...hill, role: 'zone' })).treatment.steps[0]!.guards).toBeUndefined()
    const gone = applyEdit(guarded, removeArea(guarded, 'g'))
    expect(gone.treatment.areas).toEqual([])
    expect(gone.treatment.steps[0]!.guards).toBeUndefined()
    expect(applyEdit(gone.treatment, gone.inverse).treatment).toEqual(guarded)
  })
  it('are not taken from under a mend that names them', () => {
    const guarded = applyEdit(start, putArea(start, hill)).treatment
    expect(() => applyEdit(guarded, [{ type: 'remove', list: 'areas', ids: ['g'] }])).toThrow(/stops at guard g/)
  })
  it('moved, make other patches of the mends that stop at them', () => {
    const guarded = applyEdit(start, putArea(start, hill)).treatment
    const moved = applyEdit(guarded, putArea(guarded, { ...hill, softEdgePx: 6 })).treatment
    expect(patchKeys(moved)[0]!.key).not.toBe(patchKeys(guarded)[0]!.key)
  })
})
