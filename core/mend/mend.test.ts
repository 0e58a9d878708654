import { beforeAll, describe, expect, it } from 'vitest'
import * as fc from 'fast-check'
import { createRequire } from 'node:module'
import type cvModule from '@techstark/opencv-js'
import { measureTelltales, whatShows } from '../check/telltales.js'
import { findFlaws } from '../find/find.js'
import { makeRandom, type Random } from '../random.js'
import { makeRaster, maximumOf, rasterSource, type Depth, type IntegerRaster } from '../raster/raster.js'
import { levelCount, halve } from '../raster/pyramid.js'
import { makeTransfer } from '../raster/transfer.js'
import { layOver, layPatchesOverTile, makePatches, renderRegion, type Patch, mendableRaster } from './patches/patch.js'
import { patchKeys } from './patches/patch-keys.js'
import { packPatch, unpackPatch } from './patches/patch-code.js'
import { shapeCentre } from '../shape/shape.js'
import type { Flaw, Step } from '../treatment/schema.js'
import { mendAll } from './picture/mend-all.js'
import { chooseMend } from './choose.js'
import { fitShadow } from './lift/fit-shadow.js'
import { FIRST_PROFILE } from './lift/shadow-state.js'
import { clone, heal } from './heal/heal.js'
import { lift } from './lift/lift.js'
import { lossOfShadow } from './lift/light-loss.js'
import { carryOut, decisionsOf } from './methods.js'
import { solveMembrane } from './heal/membrane.js'
import { searchSources } from './heal/source-search.js'
import { shadowField } from './lift/shadow.js'

const gaussian = (random: Random) => {
  let sum = -6
  for (let i = 0; i < 12; i++) sum += random.uniform()
  return sum
}

/** A made-up sky with a slope of tone, photon noise and, when asked, a soft shadow of known depth. */
function sky(options: { width: number; height: number; channels: 1 | 3; depth: Depth; seed: number; shadow?: { x: number; y: number; r: number; depth: number }; edgeAt?: number }): { damaged: IntegerRaster; clean: IntegerRaster } {
  const { width, height, channels, depth, shadow } = options
  const transfer = makeTransfer({ type: 'srgb' }, depth)
  const random = makeRandom(options.seed)
  const damaged = makeRaster(width, height, channels, depth)
  const clean = makeRaster(width, height, channels, depth)
  for (let y = 0; y < height; y++) for (let x = 0; x < width; x++) for (let c = 0; c < channels; c++) {
    let light = 0.35 + 0.1 * (y / height) + 0.08 * c + 0.02 * Math.sin(x / 37)
    if (options.edgeAt !== undefined && x >= options.edgeAt) light *= 0.15
    const d = shadow ? Math.sqrt((x + 0.5 - shadow.x) ** 2 + ((y + 0.5 - shadow.y) * 1.12) ** 2) : Infinity
    const edge = shadow ? Math.max(-1, Math.min(1, (d - shadow.r) / (0.35 * shadow.r))) : 1
    const gain = 1 - (shadow?.depth ?? 0) * (0.5 - 0.75 * edge + 0.25 * edge ** 3)
    const noise = gaussian(random)
    const i = (y * width + x) * channels + c
    const exposed = (value: number) => transfer.encode(value + (noise * Math.sqrt(value * 12000 + 30)) / 12000)
    clean.data[i] = exposed(light)
    damaged.data[i] = exposed(light * gain)
  }
  return { damaged, clean }
}

const sameBytes = (a: IntegerRaster, b: IntegerRaster) => Buffer.compare(Buffer.from(a.data.buffer), Buffer.from(b.data.buffer)) === 0

function rootMeanSquare(a: IntegerRaster, b: IntegerRaster, inside: (x: number, y: number) => boolean): number {
  let sum = 0
  let n = 0
  for (let y = 0; y < a.height; y++) for (let x = 0; x < a.width; x++) {
    if (!inside(x, y)) continue
    for (let c = 0; c < a.channels; c++) {
      sum += (a.data[(y * a.width + x) * a.channels + c]! - b.data[(y * a.width + x) * a.channels + c]!) ** 2
      n++
    }
  }
  return Math.sqrt(sum / n) / (maximumOf(a.data instanceof Uint8Array ? 8 : 16) / 255)
}

const flawAt = (x: number, y: number, r: number, id = 'f'): Flaw => ({ id, kind: 'dust', shape: { type: 'disc', x, y, r }, state: 'open', contrast: -5, weight: 40, confidence: 1, origin: 'found' })

describe('finding', () => {
  it('finds a faint shadow in a sky, with its place, size and sign, and nothing in a clean one', () => {
    const shadow = { x: 151, y: 133, r: 18, depth: 0.05 }
    const { damaged, clean } = sky({ width: 320, height: 260, channels: 3, depth: 8, seed: 1, shadow })
    const transfer = makeTransfer({ type: 'srgb' }, 8)
    const found = findFlaws(rasterSource(damaged), transfer, { kinds: ['dust'], falseFinds: 4 })
    expect(found).toHaveLength(1)
    const at = shapeCentre(found[0]!.shape)
    expect(Math.sqrt((at.x - 151) ** 2 + (at.y - 133) ** 2)).toBeLessThan(3)
    expect(at.r / 18).toBeGreaterThan(0.75)
    expect(at.r / 18).toBeLessThan(1.25)
    expect(found[0]!.contrast).toBeLessThan(0)
    expect(found[0]!.weight).toBeGreaterThan(30)
    expect(findFlaws(rasterSource(clean), transfer, { kinds: ['dust', 'speck'], falseFinds: 4 })).toHaveLength(0)
  })
  it('finds the same whatever the depth of the samples', () => {
    const shadow = { x: 100, y: 90, r: 14, depth: 0.1 }
    for (const depth of [8, 16] as const) {
      const { damaged } = sky({ width: 220, height: 200, channels: 1, depth, seed: 2, shadow })
      expect(findFlaws(rasterSource(damaged), makeTransfer({ type: 'srgb' }, depth), { kinds: ['dust'], falseFinds: 4 })).toHaveLength(1)
    }
  })
})

describe('lift', () => {
  it('recovers the transmission of a known shadow and the picture under it, in 8 and 16 bit', () => {
    for (const depth of [8, 16] as const) {
      const shadow = { x: 90, y: 85, r: 20, depth: 0.3 }
      const { damaged, clean } = sky({ width: 190, height: 170, channels: 3, depth, seed: 3, shadow })
      const transfer = makeTransfer({ type: 'srgb' }, depth)
      const fit = fitShadow(rasterSource(damaged), transfer, { type: 'disc', x: 91, y: 84, r: 19 }, 'detector')!
      expect(Math.exp(-fit.shadow.profile[0]! * fit.shadow.channels[1]!)).toBeCloseTo(0.7, 1)
      const mended = lift(rasterSource(damaged), transfer, lossOfShadow({ ...fit.shadow, damping: 0.5 }), 1)
      const result = { ...damaged, data: damaged.data.slice() }
      layOver(result, { x: 0, y: 0, width: 190, height: 170 }, mended)
      const inside = (x: number, y: number) => Math.sqrt((x - 90) ** 2 + (y - 85) ** 2) < 26
      expect(rootMeanSquare(result, clean, inside)).toBeLessThan(0.12 * rootMeanSquare(damaged, clean, inside))
    }
  })
  it('leaves every pixel it does not reach bit for bit, and does nothing at strength 0', () => {
    const { damaged } = sky({ width: 120, height: 120, channels: 3, depth: 16, seed: 4, shadow: { x: 60, y: 60, r: 12, depth: 0.2 } })
    const transfer = makeTransfer({ type: 'srgb' }, 16)
    const fit = fitShadow(rasterSource(damaged), transfer, { type: 'disc', x: 60, y: 60, r: 12 }, 'detector')!
    const shadow = { ...fit.shadow, damping: 0 }
    const mended = lift(rasterSource(damaged), transfer, lossOfShadow(shadow), 1)
    const field = shadowField(shadow)
    mended.touched.forEach((touched, i) => {
      const x = mended.region.x + (i % mended.region.width)
      const y = mended.region.y + Math.floor(i / mended.region.width)
      if (field.depth(x + 0.5, y + 0.5) === 0) expect(touched).toBe(0)
      if (!touched) for (let c = 0; c < 3; c++) expect(mended.pixels.data[3 * i + c]).toBe(damaged.data[(y * 120 + x) * 3 + c])
    })
    expect(lift(rasterSource(damaged), transfer, lossOfShadow(shadow), 0).touched.some((touched) => touched === 1)).toBe(false)
  })
  it('refuses where nothing is shaded, and says why it healed instead', () => {
    const { clean } = sky({ width: 160, height: 160, channels: 3, depth: 8, seed: 5 })
    const step = chooseMend({ picture: rasterSource(clean), transfer: makeTransfer({ type: 'srgb' }, 8), flaw: flawAt(80, 80, 12), openFlaws: [], id: 'm' })
    expect(step.method).toBe('heal')
    expect(step.reason).toMatch(/Healed, because/)
  })
})

describe('a lift with a shadow that is known from other pictures', () => {
  const transfer = makeTransfer({ type: 'srgb' }, 8)
  // So faint that the frame itself says little about it.
  const faint = { x: 90, y: 85, r: 9, depth: 0.012 }
  const { damaged, clean } = sky({ width: 190, height: 170, channels: 3, depth: 8, seed: 6, shadow: faint })
  const flaw: Flaw = { ...flawAt(90, 85, 9), origin: 'chart' }
  const expected = { x: 90, y: 85, radius: 9, wobble: [0, 0, 0, 0, 0, 0, 0, 0], profile: FIRST_PROFILE.map((share) => share * 0.012), channels: [1, 1, 1], spread: 0.0024 }
  const choose = (known: typeof expected | null) => chooseMend({ picture: rasterSource(damaged), transfer, flaw, openFlaws: [], method: 'lift', id: 'm', ...(known ? { expected: known } : {}) })
  it('takes that shadow where the frame is too faint to say itself', () => {
    const step = choose(expected)
    expect(step.method).toBe('lift')
    expect(step.shadow).toMatchObject({ x: 90, y: 85, radius: 9 })
    expect(step.shadow!.profile[0]).toBeCloseTo(0.012, 6)
    const result = { ...damaged, data: damaged.data.slice() }
    layOver(result, { x: 0, y: 0, width: 190, height: 170 }, carryOut(rasterSource(damaged), transfer, decisionsOf(step, [])))
    const inside = (x: number, y: number) => Math.sqrt((x - 90) ** 2 + (y - 85) ** 2) < 9
    expect(rootMeanSquare(result, clean, inside)).toBeLessThan(rootMeanSquare(damaged, clean, inside))
  })
  it('goes by the frame where that speaks clearly', () => {
    const clear = sky({ width: 190, height: 170, channels: 3, depth: 8, seed: 7, shadow: { x: 90, y: 85, r: 20, depth: 0.3 } })
    const step = chooseMend({ picture: rasterSource(clear.damaged), transfer, flaw: { ...flawAt(90, 85, 20), origin: 'chart' }, openFlaws: [], id: 'm', method: 'lift', expected: { ...expected, radius: 20, profile: expected.profile.map((depth) => 24 * depth), spread: 0.058 } })
    expect(Math.exp(-step.shadow!.profile[0]! * step.shadow!.channels[1]!)).toBeCloseTo(0.7, 1)
  })
  it('is not led astray by a dark thing that lies beside it and looks more like a shadow', () => {
    // A faint shadow of dust, and five pixels from its middle a dark round stone.
    const stone = sky({ width: 190, height: 170, channels: 3, depth: 8, seed: 9, shadow: { x: 95, y: 88, r: 16, depth: 0.45 } })
    const picture = { ...stone.damaged, data: stone.damaged.data.slice() }
    for (let i = 0; i < 190 * 170; i++) {
      const share = 0.05 * Math.max(0, Math.min(1, (16 - Math.sqrt(((i % 190) + 0.5 - 90) ** 2 + (Math.floor(i / 190) + 0.5 - 85) ** 2)) / 4))
      for (let c = 0; c < 3; c++) picture.data[3 * i + c] = transfer.encode(transfer.light[picture.data[3 * i + c]!]! * (1 - share))
    }
    const depthOf = (known: typeof expected | null) => {
      const { shadow } = chooseMend({ picture: rasterSource(picture), transfer, flaw: { ...flawAt(90, 85, 16), origin: 'chart' }, openFlaws: [], id: 'm', method: 'lift', ...(known ? { expected: known } : {}) })
      return shadow!.profile[0]!
    }
    expect(depthOf(null)).toBeGreaterThan(0.3)
    expect(depthOf({ ...expected, radius: 17, profile: FIRST_PROFILE.map((share) => share * 0.05), spread: 0.01 })).toBeLessThan(0.1)
  })
  it('has one strength a channel of the picture, however many are known', () => {
    const grey = sky({ width: 190, height: 170, channels: 1, depth: 8, seed: 8, shadow: faint })
    const step = chooseMend({ picture: rasterSource(grey.damaged), transfer, flaw, openFlaws: [], id: 'm', method: 'lift', expected })
    expect(step.shadow!.channels).toHaveLength(1)
  })
})

describe('heal and clone', () => {
  const transfer = makeTransfer({ type: 'srgb' }, 8)
  it('the membrane equals a slow solution of the same equations', () => {
    // On a ring with a linear difference the membrane is that plane (a harmonic function is its boundary's).
    const size = 21
    const difference = new Float32Array(size * size)
    const say = new Float32Array(size * size)
    const domain = new Uint8Array(size * size).fill(1)
    for (let i = 0; i < difference.length; i++) {
      const x = i % size
      const y = Math.floor(i / size)
      difference[i] = 0.01 * x - 0.02 * y
      if (x === 0 || y === 0 || x === size - 1 || y === size - 1) say[i] = 1000
    }
    const steep = difference.map((value) => -3 * value)
    const surfaces = solveMembrane({ width: size, height: size, differences: [difference, steep], say, domain })
    for (let i = 0; i < difference.length; i++) {
      expect(Math.abs(surfaces[0]![i]! - difference[i]!)).toBeLessThan(2e-3)
      expect(Math.abs(surfaces[1]![i]! - steep[i]!)).toBeLessThan(6e-3)
    }
  })
  it('heal takes tone from the place: a slope of tone stays unbroken', () => {
    const { clean } = sky({ width: 160, height: 160, channels: 1, depth: 8, seed: 6 })
    const hurt = { ...clean, data: clean.data.slice() }
    for (let y = 70; y < 90; y++) for (let x = 70; x < 90; x++) hurt.data[y * 160 + x] = 20
    const mended = heal(rasterSource(hurt), { shape: { type: 'disc', x: 80, y: 80, r: 17 }, source: { dx: 0, dy: -45 }, softEdgePx: 4, strength: 1 })
    const result = { ...hurt, data: hurt.data.slice() }
    layOver(result, { x: 0, y: 0, width: 160, height: 160 }, mended)
    const mean = (picture: IntegerRaster) => {
      let sum = 0
      for (let y = 70; y < 90; y++) for (let x = 70; x < 90; x++) sum += picture.data[y * 160 + x]!
      return sum / 400
    }
    expect(Math.abs(mean(result) - mean(clean))).toBeLessThan(0.6)
    const copied = clone(rasterSource(hurt), { shape: { type: 'disc', x: 80, y: 80, r: 17 }, source: { dx: 0, dy: -45 }, softEdgePx: 4, strength: 1 })
    // A clone brings its own tone along, bit for bit in its middle.
    const middle = (80 - copied.region.y) * copied.region.width + 80 - copied.region.x
    expect(copied.pixels.data[middle]).toBe(hurt.data[35 * 160 + 80])
  })
  it('nothing bleeds from a dark edge beside the mend', () => {
    const { clean } = sky({ width: 200, height: 160, channels: 1, depth: 8, seed: 7, edgeAt: 112 })
    const hurt = { ...clean, data: clean.data.slice() }
    for (let y = 72; y < 88; y++) for (let x = 84; x < 100; x++) hurt.data[y * 200 + x] = 255
    const step = chooseMend({ picture: rasterSource(hurt), transfer, flaw: { ...flawAt(92, 80, 9), kind: 'speck' }, openFlaws: [], id: 'm' })
    const result = { ...hurt, data: hurt.data.slice() }
    layOver(result, { x: 0, y: 0, width: 200, height: 160 }, carryOut(rasterSource(hurt), transfer, step))
    expect(rootMeanSquare(result, clean, (x, y) => x >= 84 && x < 100 && y >= 72 && y < 88)).toBeLessThan(6)
  })
  it.each(['speck', 'mould'] as const)('%s is no shadow, however soft and dark, and is not lifted', (kind) => {
    const { damaged: hurt } = sky({ width: 160, height: 160, channels: 3, depth: 8, seed: 3, shadow: { x: 80, y: 80, r: 12, depth: 0.2 } })
    const mendOf = (flaw: Flaw) => chooseMend({ picture: rasterSource(hurt), transfer, flaw, openFlaws: [], id: 'm' })
    expect(mendOf(flawAt(80, 80, 14)).method).toBe('lift')
    expect(mendOf({ ...flawAt(80, 80, 14), kind }).method).not.toBe('lift')
  })
  it('no source overlaps an open flaw or leaves the picture', () => {
    const { clean } = sky({ width: 200, height: 120, channels: 1, depth: 8, seed: 8 })
    const shape = { type: 'disc', x: 30, y: 60, r: 12 } as const
    const open = [{ type: 'disc', x: 62, y: 60, r: 14 }, { type: 'disc', x: 30, y: 95, r: 10 }] as const
    const offers = searchSources(rasterSource(clean), shape, open)
    expect(offers.length).toBeGreaterThan(3)
    for (const { dx, dy } of offers) {
      for (const other of open) expect(Math.sqrt((30 + dx - other.x) ** 2 + (60 + dy - other.y) ** 2)).toBeGreaterThanOrEqual(12 + other.r)
      expect(30 + dx - 12).toBeGreaterThanOrEqual(0)
      expect(60 + dy + 12).toBeLessThanOrEqual(120)
    }
  })
})

describe('against the computer-vision library, told the exact mask', () => {
  let cv: typeof cvModule
  beforeAll(async () => {
    // Required, not imported: the module looks like a promise of itself, and awaiting it would never end.
    cv = createRequire(import.meta.url)('@techstark/opencv-js') as typeof cvModule
    if (!cv.Mat) await new Promise<void>((resolve) => (cv.onRuntimeInitialized = () => resolve()))
  })
  it('leaves less error than its inpainting, and grain in its band', () => {
    const shadow = { x: 100, y: 95, r: 22, depth: 0.35 }
    const { damaged, clean } = sky({ width: 200, height: 190, channels: 3, depth: 8, seed: 9, shadow })
    const transfer = makeTransfer({ type: 'srgb' }, 8)
    const ours = { ...damaged, data: damaged.data.slice() }
    mendAll(mendableRaster(ours), transfer, [flawAt(100, 95, 22)], { id: () => 'm' })
    const source = new cv.Mat(190, 200, cv.CV_8UC3)
    source.data.set(damaged.data)
    const mask = cv.Mat.zeros(190, 200, cv.CV_8UC1)
    for (let i = 0; i < 200 * 190; i++) if (Math.sqrt(((i % 200) - 100) ** 2 + (Math.floor(i / 200) - 95) ** 2) < 31) mask.data[i] = 255
    const inside = (x: number, y: number) => Math.sqrt((x - 100) ** 2 + (y - 95) ** 2) < 22
    const grainOf = (picture: IntegerRaster) => {
      let sum = 0
      for (let y = 80; y < 110; y++) for (let x = 85; x < 115; x++) sum += Math.abs(picture.data[(y * 200 + x) * 3 + 1]! - picture.data[(y * 200 + x + 1) * 3 + 1]!)
      return sum
    }
    for (const method of [cv.INPAINT_TELEA, cv.INPAINT_NS]) {
      const result = new cv.Mat()
      cv.inpaint(source, mask, result, 4, method)
      const theirs = { ...damaged, data: Uint8Array.from(result.data) }
      expect(rootMeanSquare(ours, clean, inside)).toBeLessThan(rootMeanSquare(theirs, clean, inside))
      result.delete()
    }
    expect(grainOf(ours) / grainOf(clean)).toBeGreaterThan(0.85)
    expect(grainOf(ours) / grainOf(clean)).toBeLessThan(1.15)
  })
})

describe('telltales', () => {
  const transfer = makeTransfer({ type: 'srgb' }, 8)
  const { damaged, clean } = sky({ width: 260, height: 240, channels: 3, depth: 8, seed: 10, shadow: { x: 130, y: 120, r: 18, depth: 0.3 } })
  const shape = { type: 'disc', x: 130, y: 120, r: 26 } as const
  const tell = (picture: IntegerRaster, source?: { dx: number; dy: number }, open: Flaw[] = []) => whatShows(measureTelltales({ picture: rasterSource(picture), transfer, shape, openFlaws: open.map((flaw) => flaw.shape), ...(source ? { source } : {}) }))
  it('say nothing of a clean picture', () => expect(tell(clean)).toEqual([]))
  it('see what is left over and the step in tone of an untouched flaw', () => {
    expect(tell(damaged)).toContain('leftover')
  })
  it('see a step in tone', () => {
    const stepped = { ...clean, data: clean.data.slice() }
    for (let i = 0; i < 260 * 240; i++) if (Math.sqrt(((i % 260) - 130) ** 2 + (Math.floor(i / 260) - 120) ** 2) < 26) for (let c = 0; c < 3; c++) stepped.data[3 * i + c]! -= 6
    expect(tell(stepped)).toContain('toneStep')
  })
  it('see missing grain', () => {
    const flat = { ...clean, data: clean.data.slice() }
    for (let i = 0; i < 260 * 240; i++) if (Math.sqrt(((i % 260) - 130) ** 2 + (Math.floor(i / 260) - 120) ** 2) < 25) for (let c = 0; c < 3; c++) {
      let sum = 0
      for (let k = 0; k < 81; k++) sum += clean.data[3 * (i + (k % 9) - 4 + 260 * (Math.floor(k / 9) - 4)) + c]!
      flat.data[3 * i + c] = Math.round(sum / 81)
    }
    expect(tell(flat)).toContain('grain')
  })
  it('see a source that lies on an open flaw', () => expect(tell(clean, { dx: 60, dy: 0 }, [flawAt(190, 120, 9)])).toContain('taintedSource'))
})

describe('patches', () => {
  const transfer = makeTransfer({ type: 'srgb' }, 16)
  const { damaged } = sky({ width: 700, height: 600, channels: 3, depth: 16, seed: 11, shadow: { x: 300, y: 280, r: 20, depth: 0.3 } })
  const picture = rasterSource(damaged)
  const original = { sha256: 'b'.repeat(64), width: 700, height: 600, channels: 3, depth: 16 } as const
  const levels = levelCount(700, 600)
  const stepAt = (id: string, x: number, y: number, r: number, dx: number): Step => ({ id, stage: 'mend', flaw: id, method: 'heal', methodVersion: 2, shape: { type: 'disc', x, y, r }, softEdgePx: 4, strength: 1, seed: 0, source: { dx, dy: 7 }, chosenBy: 'hand', reason: '' })
  const whole = { x: 0, y: 0, width: 700, height: 600 }
  const full = (steps: Step[]) => renderRegion(picture, makePatches(picture, transfer, { original, steps }, levels, { get: () => undefined, set: () => undefined }), whole)

  it('random editing: kept patches give the same bytes as computing all anew', () => {
    const kept = new Map<string, Patch>()
    const store = { get: (key: string) => kept.get(key), set: (patch: Patch) => void kept.set(patch.key, patch) }
    const step = fc.record({ id: fc.constantFrom('a', 'b', 'c', 'd', 'e'), x: fc.integer({ min: 60, max: 200 }), y: fc.integer({ min: 60, max: 200 }), r: fc.integer({ min: 4, max: 20 }), dx: fc.integer({ min: 30, max: 90 }) })
    fc.assert(
      fc.property(fc.array(fc.oneof(step.map((value) => ({ put: value })), fc.constantFrom('a', 'b', 'c').map((id) => ({ remove: id })), fc.constant({ swap: true })), { minLength: 1, maxLength: 7 }), (edits) => {
        let steps: Step[] = []
        for (const edit of edits) {
          if ('put' in edit) steps = [...steps.filter(({ id }) => id !== edit.put.id), stepAt(edit.put.id, edit.put.x, edit.put.y, edit.put.r, edit.put.dx)]
          else if ('remove' in edit) steps = steps.filter(({ id }) => id !== edit.remove)
          else steps = [...steps].reverse()
          const incremental = renderRegion(picture, makePatches(picture, transfer, { original, steps }, levels, store), whole)
          expect(sameBytes(incremental, full(steps))).toBe(true)
        }
      }),
      { numRuns: 12 },
    )
  })
  it('an earlier mend is remade for those that see it and no others', () => {
    const far = stepAt('far', 600, 500, 10, -60)
    const before = patchKeys({ original, steps: [stepAt('a', 100, 100, 12, 50), stepAt('b', 130, 100, 12, 50), far] })
    const after = patchKeys({ original, steps: [stepAt('a', 100, 101, 12, 50), stepAt('b', 130, 100, 12, 50), far] })
    expect(after[1]!.key).not.toBe(before[1]!.key)
    expect(after[2]!.key).toBe(before[2]!.key)
  })
  it('smaller levels with patches are what halving the mended picture gives, within one sample of 8 bits', () => {
    const steps = [stepAt('a', 300, 280, 30, 90), stepAt('b', 330, 290, 20, -80), stepAt('c', 690, 595, 8, -40)]
    const patches = makePatches(picture, transfer, { original, steps }, 3, { get: () => undefined, set: () => undefined })
    let small = damaged
    let mended = renderRegion(picture, patches, whole)
    for (let level = 1; level < 3; level++) {
      small = halve(small, transfer)
      mended = halve(mended, transfer)
      const laid = { ...small, data: small.data.slice() }
      layPatchesOverTile(laid, { x: 0, y: 0, width: small.width, height: small.height }, level, patches, transfer)
      let worst = 0
      let changed = 0
      laid.data.forEach((value, i) => {
        worst = Math.max(worst, Math.abs(value - mended.data[i]!))
        if (value !== small.data[i]) changed++
      })
      expect(changed).toBeGreaterThan(500)
      expect(worst).toBeLessThanOrEqual(257)
    }
  })
  it('hold what was touched, and nothing beside that was only read', () => {
    const fill: Step = { ...stepAt('a', 300, 280, 9, 90), method: 'fill', methodVersion: 4, source: undefined }
    const [patch] = makePatches(picture, transfer, { original, steps: [fill] }, levels, { get: () => undefined, set: () => undefined })
    const { region, touched } = patch!
    const whole = carryOut(picture, transfer, fill)
    expect(whole.region.width).toBeGreaterThan(2 * region.width)
    expect(touched.reduce((sum, one) => sum + one, 0)).toBe(whole.touched.reduce((sum, one) => sum + one, 0))
    const touchedIn = (row: (i: number) => number, count: number) => Array.from({ length: count }, (_value, i) => touched[row(i)]!).includes(1)
    expect(touchedIn((x) => x, region.width) && touchedIn((x) => touched.length - 1 - x, region.width)).toBe(true)
    expect(touchedIn((y) => y * region.width, region.height) && touchedIn((y) => (y + 1) * region.width - 1, region.height)).toBe(true)
  })
  it('travel as bytes without loss, and a damaged one is refused', () => {
    const [patch] = makePatches(picture, transfer, { original, steps: [stepAt('a', 300, 280, 30, 90)] }, levels, { get: () => undefined, set: () => undefined })
    const bytes = packPatch(patch!)
    const back = unpackPatch(bytes)
    expect(back.pixels.data).toEqual(patch!.pixels.data)
    expect(back.touched).toEqual(patch!.touched)
    expect(back.levels).toEqual(patch!.levels)
    expect(() => unpackPatch(bytes.subarray(0, bytes.length - 5))).toThrow(/damaged/)
    // Node's own bytes, somewhere in a larger buffer: their slices are no copies.
    const larger = Buffer.alloc(bytes.length + 7, 9)
    larger.set(bytes, 3)
    expect(unpackPatch(larger.subarray(3, 3 + bytes.length))).toEqual(back)
  })
  it('a step of an earlier draft is carried out, and kept, by the version of today; one of a newer Fennip is refused', () => {
    const old: Step = { ...stepAt('a', 300, 280, 30, 90), methodVersion: 1, softEdgePx: 20 }
    const now: Step = { ...old, methodVersion: 2 }
    expect(sameBytes(full([old]), full([now]))).toBe(true)
    expect(patchKeys({ original, steps: [old] })).toEqual(patchKeys({ original, steps: [now] }))
    expect(() => carryOut(picture, transfer, { ...old, methodVersion: 9 })).toThrow(/newer Fennip/)
  })
})
