import { describe, expect, it } from 'vitest'
import * as fc from 'fast-check'
import { makeRandom } from '../random.js'
import { levelCount } from '../raster/pyramid.js'
import { makeRaster, overlaps, rasterSource } from '../raster/raster.js'
import { makeTransfer } from '../raster/transfer.js'
import type { Original, Step } from '../treatment/schema.js'
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
  fc.record({ id, ...place, dx: fc.integer({ min: 25, max: 60 }), method: fc.constantFrom('heal', 'clone') }).map(({ id: name, x, y, r, dx, method }): Step => ({ ...base, id: name, flaw: name, method: method as 'heal', methodVersion: 2, shape: { type: 'disc', x, y, r }, source: { dx: x > 210 ? -dx : dx, dy: 3 } })),
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

describe('random editing with every method', () => {
  it('add, replace, take out and reorder: kept patches give the same bytes as computing all anew', () => {
    const kept = new Map<string, Patch>()
    const store = { get: (key: string) => kept.get(key), set: (patch: Patch) => void kept.set(patch.key, patch) }
    const render = (list: readonly Step[], with_: typeof store) => renderRegion(picture, makePatches(picture, transfer, { original, steps: list }, levelCount(420, 330), with_), whole).data
    const edit = fc.oneof(
      { weight: 4, arbitrary: anyStep.map((step) => ({ put: step })) },
      { weight: 1, arbitrary: id.map((name) => ({ remove: name })) },
      { weight: 1, arbitrary: fc.constant({ turn: true }) },
    )
    fc.assert(fc.property(fc.array(edit, { minLength: 2, maxLength: 8 }), (edits) => {
      let list: Step[] = []
      for (const one of edits) {
        if ('put' in one) {
          const at = list.findIndex((step) => step.id === one.put.id)
          list = at < 0 ? [...list, one.put] : list.map((step, i) => (i === at ? one.put : step))
        } else if ('remove' in one) list = list.filter((step) => step.id !== one.remove)
        else list = [...list.slice(1), ...list.slice(0, 1)]
        render(list, store)
      }
      expect(Buffer.compare(Buffer.from(render(list, store)), Buffer.from(render(list, { get: () => undefined, set: () => undefined })))).toBe(0)
    }), { numRuns: 12 })
  })
})
