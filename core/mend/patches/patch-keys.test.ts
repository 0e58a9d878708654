import { describe, expect, it } from 'vitest'
import * as fc from 'fast-check'
import { makeRandom } from '../../random.js'
import { levelCount } from '../../raster/pyramid.js'
import { makeRaster, overlaps, rasterSource } from '../../raster/raster.js'
import { makeTransfer } from '../../raster/transfer.js'
import { applyEdit, emptyTreatment } from '../../treatment/edit.js'
import { putArea, removeArea } from '../picture/guards.js'
import type { Area, Operation, Original, Step, Treatment } from '../../treatment/schema.js'
import { makePatches, renderRegion, type Patch } from './patch.js'
import { patchKeys, stepExtent } from './patch-keys.js'

const original: Original = { sha256: 'c'.repeat(64), width: 420, height: 330, channels: 3, depth: 8 }
const raster = makeRaster(420, 330, 3, 8)
const random = makeRandom(6)
raster.data.forEach((_value, i) => (raster.data[i] = 90 + 40 * Math.sin(i / 300) + (random.integer() & 31)))
const picture = rasterSource(raster)
const transfer = makeTransfer({ type: 'srgb' }, 8)
const whole = { x: 0, y: 0, width: 420, height: 330 }

const base = { stage: 'mend', softEdgePx: 3, strength: 1, seed: 0, chosenBy: 'hand', reason: '' } as const
const place = { x: fc.integer({ min: 70, max: 350 }), y: fc.integer({ min: 70, max: 260 }), r: fc.integer({ min: 3, max: 16 }) }
const id = fc.constantFrom('a', 'b', 'c', 'd', 'e', 'f')
/** Mends by every method. */
const anyStep: fc.Arbitrary<Step> = fc.oneof(
  fc.record({ id, ...place, dx: fc.integer({ min: 25, max: 60 }), method: fc.constantFrom('heal', 'clone'), laid: fc.constantFrom({}, { mirror: true }, { turn: 0.8 }, { mirror: true, turn: -2.1, scale: 0.7 }) }).map(({ id: name, x, y, r, dx, method, laid }): Step => ({ ...base, id: name, flaw: name, method: method as 'heal', methodVersion: 2, shape: { type: 'disc', x, y, r }, source: { dx: x > 210 ? -dx : dx, dy: 3, ...laid } })),
  fc.record({ id, ...place, seed: fc.integer({ min: 1, max: 3 }) }).map(({ id: name, x, y, r, seed }): Step => ({ ...base, id: name, flaw: name, method: 'fill', methodVersion: 1, seed, shape: { type: 'stroke', points: [[x, y], [x + 30, y + 10]], width: Math.max(2, r / 2) } })),
  fc.record({ id, ...place, depth: fc.double({ min: 0.05, max: 0.6, noNaN: true }) }).map(({ id: name, x, y, r, depth }): Step => ({ ...base, id: name, flaw: name, method: 'lift', methodVersion: 1, softEdgePx: 0, shape: { type: 'disc', x, y, r }, shadow: { x, y, radius: r, wobble: [0.05, 0, 0, 0.02, 0, 0, 0, 0], profile: [1, 1, 0.95, 0.85, 0.65, 0.38, 0.14, 0.03].map((share) => share * depth), channels: [1, 1, 0.95], damping: 0.3 } })),
)
const steps = fc.uniqueArray(anyStep, { selector: (step) => step.id, minLength: 1, maxLength: 6 })

describe('what a patch depends on', () => {
  it('is every earlier one that writes where it reads, as asked one by one', () => {
    fc.assert(fc.property(steps, (list) => {
      const addresses = patchKeys({ original, steps: list })
      list.forEach((step, index) => {
        const { reads } = stepExtent(step, original)
        const slow = list.slice(0, index).flatMap((earlier, i) => (reads.some((region) => overlaps(region, stepExtent(earlier, original).writes)) ? [i] : []))
        expect(addresses[index]!.below).toEqual(slow)
      })
    }), { numRuns: 200 })
  })
  it('pixels outside what it may write stay, whatever the method', () => {
    fc.assert(fc.property(anyStep, (step) => {
      const [patch] = makePatches(picture, transfer, { original, steps: [step] }, levelCount(420, 330), { get: () => undefined, set: () => undefined })
      const { writes } = stepExtent(step, original)
      patch!.touched.forEach((touched, i) => {
        if (!touched) return
        const x = patch!.region.x + (i % patch!.region.width)
        const y = patch!.region.y + Math.floor(i / patch!.region.width)
        expect(x >= writes.x && y >= writes.y && x < writes.x + writes.width && y < writes.y + writes.height).toBe(true)
      })
    }), { numRuns: 30 })
  })
  it('equal decisions have one address, whatever the order of their fields; another seed of a fill has another', () => {
    const fill: Step = { ...base, id: 'a', flaw: 'a', method: 'fill', methodVersion: 1, seed: 1, shape: { type: 'disc', x: 100, y: 100, r: 6 } }
    const turned = Object.fromEntries(Object.entries(fill).reverse()) as unknown as Step
    const keyOf = (step: Step) => patchKeys({ original, steps: [step] })[0]!.key
    expect(keyOf(turned)).toBe(keyOf(fill))
    expect(keyOf({ ...fill, reason: 'another', telltales: undefined } as Step)).toBe(keyOf(fill))
    expect(keyOf({ ...fill, seed: 2 })).not.toBe(keyOf(fill))
    expect(keyOf({ ...fill, avoid: [{ type: 'disc', x: 120, y: 100, r: 5 }] })).not.toBe(keyOf(fill))
    expect(patchKeys({ original: { ...original, sha256: 'd'.repeat(64) }, steps: [fill] })[0]!.key).not.toBe(keyOf(fill))
  })
})

describe('random editing with every method and guards', () => {
  it('add, replace, take out, reorder, draw and take away a guard: kept patches give the same bytes as computing all anew', () => {
    const kept = new Map<string, Patch>()
    const store = { get: (key: string) => kept.get(key), set: (patch: Patch) => void kept.set(patch.key, patch) }
    const render = (treatment: Treatment, with_: typeof store) => renderRegion(picture, makePatches(picture, transfer, treatment, levelCount(420, 330), with_), whole).data
    const edit = fc.oneof(
      { weight: 4, arbitrary: anyStep.map((step) => ({ put: step })) },
      { weight: 1, arbitrary: id.map((name) => ({ remove: name })) },
      { weight: 1, arbitrary: fc.constant({ turn: true }) },
      { weight: 1, arbitrary: fc.record({ ...place, softEdgePx: fc.constantFrom(0, 9) }).map(({ x, y, r, softEdgePx }) => ({ guard: { id: 'g', name: 'Guard', role: 'guard', softEdgePx, parts: [{ mode: 'add', shape: { type: 'disc', x, y, r: 2 * r } }] } as Area })) },
      { weight: 1, arbitrary: fc.constant({ release: true }) },
    )
    fc.assert(fc.property(fc.array(edit, { minLength: 2, maxLength: 10 }), (edits) => {
      let treatment: Treatment = { ...emptyTreatment(original), flaws: ['a', 'b', 'c', 'd', 'e', 'f'].map((name) => ({ id: name, kind: 'other', shape: { type: 'disc', x: 9, y: 9, r: 2 }, state: 'mended', contrast: 0, weight: 0, confidence: 1, origin: 'hand' })) }
      const change = (operations: Operation[]) => (treatment = applyEdit(treatment, operations).treatment)
      for (const one of edits) {
        const { steps: list } = treatment
        if ('put' in one) change([{ type: 'put', list: 'steps', items: [one.put] }])
        else if ('remove' in one) change(list.some((step) => step.id === one.remove) ? [{ type: 'remove', list: 'steps', ids: [one.remove] }] : [])
        else if ('guard' in one) change(putArea(treatment, one.guard))
        else if ('release' in one) change(treatment.areas?.length ? removeArea(treatment, 'g') : [])
        else if (list.length > 1) change([{ type: 'remove', list: 'steps', ids: [list[0]!.id] }, { type: 'put', list: 'steps', items: [list[0]!] }])
        render(treatment, store)
      }
      expect(Buffer.compare(Buffer.from(render(treatment, store)), Buffer.from(render(treatment, { get: () => undefined, set: () => undefined })))).toBe(0)
    }), { numRuns: 20 })
  })
})
