import { createRequire } from 'node:module'
import type cvModule from '@techstark/opencv-js'
import { beforeAll, describe, expect, it } from 'vitest'
import { logLight } from '../raster/log-light.js'
import { chooseMend } from '../mend/choose.js'
import { carryOut } from '../mend/methods.js'
import { nextBest, worstOf } from '../mend/next-best.js'
import { snapSource } from '../mend/heal/snap-source.js'
import { makeRandom } from '../random.js'
import { makeRaster, rasterSource, type IntegerRaster } from '../raster/raster.js'
import { makeTransfer } from '../raster/transfer.js'
import { patchedSource } from '../mend/patches/patch.js'
import { distanceOutside, type Shape } from '../shape/shape.js'
import type { Area, Flaw } from '../treatment/schema.js'
import { slopesOf } from './broken-edge.js'
import { explainMend } from './explain.js'
import { measureTelltales, severity, whatShows } from './telltales.js'

let cv: typeof cvModule
beforeAll(async () => {
  cv = createRequire(import.meta.url)('@techstark/opencv-js') as typeof cvModule
  if (!cv.Mat) await new Promise<void>((resolve) => (cv.onRuntimeInitialized = () => resolve()))
})

const transfer = makeTransfer({ type: 'srgb' }, 8)
const [width, height] = [240, 220]
const whole = { x: 0, y: 0, width, height }
const shape: Shape = { type: 'disc', x: 120, y: 110, r: 20 }
const inside = distanceOutside(shape, whole).data

/** A picture from a tone by place, with grain. */
function picture(tone: (x: number, y: number) => number, grain: number, seed: number): IntegerRaster {
  const random = makeRandom(seed)
  const raster = makeRaster(width, height, 3, 8)
  for (let i = 0; i < width * height; i++) {
    const value = tone(i % width, Math.floor(i / width)) + grain * (random.uniform() + random.uniform() - 1)
    for (let c = 0; c < 3; c++) raster.data[3 * i + c] = Math.max(0, Math.min(255, Math.round(value)))
  }
  return raster
}
const changed = (raster: IntegerRaster, inside_: (i: number) => boolean, value: (i: number) => number): IntegerRaster => {
  const result = { ...raster, data: raster.data.slice() }
  for (let i = 0; i < width * height; i++) if (inside_(i)) for (let c = 0; c < 3; c++) result.data[3 * i + c] = Math.max(0, Math.min(255, Math.round(value(i))))
  return result
}
const tell = (raster: IntegerRaster) => measureTelltales({ picture: rasterSource(raster), transfer, shape, openFlaws: [] })

describe('a repeat', () => {
  // Two bolts on a plain wall, one of them a copy of the other; grain of its own over both.
  const bolt = (x: number, y: number, at: number) => Math.max(0, 9 - Math.hypot(x - at, y - 110)) * 7 * (1 + 0.5 * Math.sin((x - at) / 2) * Math.cos((y - 110) / 3))
  const wall = (second: (x: number, y: number) => number) => picture((x, y) => 110 + bolt(x, y, 60) + second(x, y), 6, 21)
  const seen = (raster: IntegerRaster) => whatShows({ ...measureTelltales({ picture: rasterSource(raster), transfer, shape: { type: 'disc', x: 120, y: 110, r: 14 }, source: { dx: -60, dy: 0 }, openFlaws: [] }) })

  it('shows where something that stands out is there twice, though the grain differs', () => {
    expect(seen(wall((x, y) => bolt(x, y, 120)))).toContain('repeat')
  })
  it('does not where something else stands, or nothing but the wall', () => {
    expect(seen(wall((x, y) => (Math.abs(x - 120) < 3 && Math.abs(y - 110) < 10 ? 40 : 0)))).not.toContain('repeat')
    expect(seen(picture(() => 110, 6, 22))).not.toContain('repeat')
  })
})

describe('slopes', () => {
  it('equal the central differences of the computer-vision library', () => {
    const raster = picture((x, y) => 100 + 40 * Math.sin(x / 9) * Math.cos(y / 7), 20, 1)
    const light = logLight(raster, transfer)
    const source = cv.matFromArray(height, width, cv.CV_32F, Array.from(light.data))
    const result = new cv.Mat()
    cv.Sobel(source, result, cv.CV_32F, 1, 0, 1, 0.5)
    const ours = slopesOf(light)
    for (let y = 1; y + 1 < height; y += 3) for (let x = 1; x + 1 < width; x += 3) expect(ours.x[y * width + x]).toBeCloseTo(result.data32F[y * width + x]!, 5)
    source.delete()
    result.delete()
  })
})

describe('a broken edge', () => {
  const edge = (x: number, y: number) => (y > 110 + 0.1 * (x - 120) ? 60 : 180)
  it('is not seen where the edge runs on', () => expect(whatShows(tell(picture(edge, 8, 2)))).not.toContain('brokenEdge'))
  it('is seen where it ends, and where it goes on somewhere else', () => {
    const clean = picture(edge, 8, 3)
    const random = makeRandom(4)
    const ended = changed(clean, (i) => inside[i]! < 0, () => 180 + 8 * (random.uniform() + random.uniform() - 1))
    expect(whatShows(tell(ended))).toContain('brokenEdge')
    const shifted = changed(clean, (i) => inside[i]! < 0, (i) => edge(i % width, Math.floor(i / width) - 8) + 8 * (random.uniform() + random.uniform() - 1))
    expect(whatShows(tell(shifted))).toContain('brokenEdge')
  })
})

describe('a smear', () => {
  const texture = (x: number, y: number) => 120 + 30 * Math.sin(x / 2.1 + Math.sin(y / 5)) * Math.cos(y / 2.4)
  it('is not seen in texture that is whole', () => expect(whatShows(tell(picture(texture, 6, 5)))).not.toContain('smear'))
  it('is seen where texture is washed out although grain is there', () => {
    const random = makeRandom(6)
    const washed = changed(picture(texture, 6, 5), (i) => inside[i]! < 0, () => 120 + 6 * (random.uniform() + random.uniform() - 1))
    expect(whatShows(tell(washed))).toContain('smear')
  })
  it('is seen as a rim that follows the outline', () => {
    const clean = picture(() => 140, 6, 7)
    const rimmed = changed(clean, (i) => Math.abs(inside[i]!) < 1.5, (i) => clean.data[3 * i]! + 14)
    expect(severity('smear', tell(rimmed).smear)).toBeGreaterThan(1)
    expect(severity('smear', tell(clean).smear)).toBeLessThan(1)
  })
})

describe('a subject that was touched', () => {
  const guard: Area = { id: 'g', name: 'Roof', role: 'guard', softEdgePx: 0, parts: [{ mode: 'add', shape: { type: 'disc', x: 140, y: 110, r: 6 } }] }
  const raster = picture(() => 140, 6, 8)
  const flaw: Flaw = { id: 'f', kind: 'other', shape, state: 'open', contrast: 0, weight: 0, confidence: 1, origin: 'hand' }
  it('is said of a mend that was made before the guard, and not of one that stops at it', () => {
    const step = chooseMend({ picture: rasterSource(raster), transfer, flaw, openFlaws: [], method: 'heal', id: 'm' })
    const mended = carryOut(rasterSource(raster), transfer, step)
    const under = { picture: patchedSource(rasterSource(raster), [mended]), transfer, shape, openFlaws: [], mended, guards: [guard] }
    expect(whatShows(measureTelltales(under))).toContain('subjectTouched')
    const held = chooseMend({ picture: rasterSource(raster), transfer, flaw, openFlaws: [], guards: [guard], method: 'heal', id: 'm' })
    expect(held.guards).toEqual(['g'])
    expect(whatShows(held.telltales)).not.toContain('subjectTouched')
  })
})

describe('grain', () => {
  const noisy = picture(() => 140, 20, 9)
  const random = makeRandom(10)
  it('is one where nothing was done', () => expect(severity('grain', tell(noisy).grain)).toBeLessThan(1))
  it('is a half where half the deviation is left, and shows', () => {
    const halved = changed(noisy, (i) => inside[i]! < 0, () => 140 + 10 * (random.uniform() + random.uniform() - 1))
    expect(tell(halved).grain.value).toBeGreaterThan(0.4)
    expect(tell(halved).grain.value).toBeLessThan(0.6)
    expect(whatShows(tell(halved))).toContain('grain')
  })
  it('is given three standard errors where the mend is small', () => {
    const small = measureTelltales({ picture: rasterSource(noisy), transfer, shape: { type: 'disc', x: 60, y: 60, r: 3 }, openFlaws: [] })
    expect(small.grain.limit).toBeCloseTo(3 / Math.sqrt(3 * Math.PI * 9), 1)
    expect(tell(noisy).grain.limit).toBe(0.15)
  })
  it('is not missing where the light is clipped', () => {
    const clipped = picture(() => 300, 20, 11)
    expect(tell(clipped).grain.value).toBe(1)
  })
})

describe('what is drawn of a mend', () => {
  it('is the step of tone that was made, at the outline', () => {
    const stepped = changed(picture(() => 140, 4, 12), (i) => inside[i]! < 0, () => 120)
    const { profile } = explainMend(rasterSource(stepped), transfer, shape)
    const mean = (list: typeof profile) => list.reduce((sum, { tone }) => sum + tone, 0) / list.length
    const drop = mean(profile.filter(({ distance }) => distance > 2)) - mean(profile.filter(({ distance }) => distance < -2))
    expect(drop).toBeCloseTo(Math.log(transfer.light[140]! / transfer.light[120]!), 2)
  })
  it('is a spectrum with less detail inside where grain is missing, most at the finest', () => {
    const flat = changed(picture(() => 140, 10, 13), (i) => inside[i]! < 0, () => 140)
    const { spectrum } = explainMend(rasterSource(flat), transfer, shape)
    expect(spectrum.map(({ frequency }) => frequency)).toEqual([0.125, 0.25, 0.375, 0.5])
    for (const { inside: here, outside } of spectrum) expect(here).toBeLessThan(0.05 * outside)
  })
  it('is nothing where the shape is too small', () => expect(explainMend(rasterSource(picture(() => 140, 4, 14)), transfer, { type: 'disc', x: 60, y: 60, r: 1.5 }).spectrum).toEqual([]))
})

describe('another mend', () => {
  const raster = changed(picture((x) => 120 + 0.2 * x, 8, 15), (i) => inside[i]! < 0, () => 230)
  const flaw: Flaw = { id: 'f', kind: 'other', shape: { ...shape, r: 22 }, state: 'open', contrast: 0, weight: 0, confidence: 1, origin: 'hand' }
  const ask = { picture: rasterSource(raster), transfer, flaw, openFlaws: [], id: 'm' }
  it('is not the one at hand, and the one that shows least of the others', () => {
    const current = chooseMend({ ...ask, method: 'clone', skipSources: 20 })
    const other = nextBest(ask, current)!
    expect([other.method, other.source]).not.toEqual([current.method, current.source])
    expect(worstOf(other)).toBeLessThan(worstOf(current))
    const third = nextBest(ask, other)!
    expect(JSON.stringify([third.method, third.source, third.seed])).not.toBe(JSON.stringify([other.method, other.source, other.seed]))
  })
})

describe('a source that snaps', () => {
  it('to an edge lies where the edge runs on, from wherever near it was dropped', () => {
    const edge = (x: number, y: number) => (y > 110 + 0.15 * (x - 120) ? 60 : 180)
    const raster = rasterSource(picture(edge, 6, 16))
    for (const near of [{ dx: 60, dy: 16 }, { dx: 60, dy: 2 }, { dx: -60, dy: -3 }]) {
      const { dx, dy } = snapSource(raster, shape, near, 'edge', 12)
      expect(Math.abs(dy - 0.15 * dx)).toBeLessThan(1.2)
    }
  })
  it('to tone lies where the ring is as light', () => {
    const raster = rasterSource(picture((x, y) => 60 + 0.6 * y + 0.01 * x, 4, 17))
    const { dx, dy } = snapSource(raster, shape, { dx: 60, dy: 9 }, 'tone', 12)
    expect(Math.abs(0.6 * dy + 0.01 * dx)).toBeLessThan(1.5)
  })
})

