import { describe, expect, it } from 'vitest'
import type { ZoneView } from '../operations/zone-view.js'
import { contextOf } from '../pipeline/chain.js'
import { makeRandom } from '../random.js'
import { greyProfile, srgbProfile } from '../colour/profile.js'
import { fitLightChange, fitVeil } from './fault-profile.js'
import { withoutChange } from './without-change.js'
import { gridField, type ZoneGrid } from './zone-grid.js'

/** Known faults over a picture of things of chance, lighter and darker, so that the zone shows something else than its surroundings. */

const [width, height] = [360, 300]
const [cx, cy, radius] = [180, 150, 110]
const context = (channels: 1 | 3) => contextOf({ width, height, channels, profile: channels === 1 ? greyProfile(false) : srgbProfile(false) })
const smooth = (t: number) => { const u = Math.max(0, Math.min(1, t)); return u * u * (3 - 2 * u) }
/** Strength of the fault: 0 at the edge of the zone, 1 from 50 pixels within. */
const strengthAt = (x: number, y: number) => smooth((radius - 5 - Math.sqrt((x - cx) ** 2 + (y - cy) ** 2)) / 45)

/** Discs of chance on a grey ground, in linear light, with a little noise. */
function things(channels: number, seed: number): (x: number, y: number, c: number) => number {
  const random = makeRandom(seed).uniform
  const discs = Array.from({ length: 60 }, () => ({ x: width * random(), y: height * random(), r: 8 + 25 * random(), light: Array.from({ length: channels }, () => 0.03 + 0.5 * random() ** 2) }))
  const planes = Array.from({ length: channels }, (_, c) => Float32Array.from({ length: width * height }, (_value, i) => {
    const on = discs.filter((disc) => Math.sqrt(((i % width) - disc.x) ** 2 + (Math.floor(i / width) - disc.y) ** 2) < disc.r).at(-1)
    return (on ? on.light[c]! : 0.2) * (0.97 + 0.06 * random())
  }))
  return (x, y, c) => planes[c]![y * width + x]!
}

/** A zone over a picture whose light is changed. */
function viewOf(channels: 1 | 3, light: (x: number, y: number, c: number) => number): ZoneView {
  const { tones } = context(channels)
  const data = Float32Array.from({ length: width * height * channels }, (_value, k) => { const i = Math.floor(k / channels); return tones.encode(Math.max(0, Math.min(1, light(i % width, Math.floor(i / width), k % channels)))) })
  return { level: 0, region: { x: 0, y: 0, width, height }, pixels: { width, height, channels, data }, cover: Float32Array.from({ length: width * height }, (_value, i) => (Math.sqrt(((i % width) - cx) ** 2 + (Math.floor(i / width) - cy) ** 2) < radius ? 1 : 0)) }
}

/** Values at the knots, read at some places on the way to the middle. */
function along(view: ZoneView, grid: ZoneGrid, values: readonly number[]): { at: number; strength: number }[] {
  const field = gridField(grid, values, view.region, 0)
  return [70, 85, 100, 120, 150, 180].map((x) => ({ at: field[cy * width + x]!, strength: strengthAt(x, cy) }))
}

describe('a veil', () => {
  it.each([1, 3] as const)('in %i channels tells its light and how much it lets through, whatever it lies on', (channels) => {
    const scene = things(channels, 3)
    const view = viewOf(channels, (x, y, c) => { const m = 0.5 * strengthAt(x, y); return scene(x, y, c) * (1 - m) + 0.4 * m })
    const veil = fitVeil(view, context(channels))!
    expect(Math.abs(veil.light - 0.4)).toBeLessThan(0.1)
    for (const { at, strength } of along(view, veil.grid, veil.through)) expect(Math.abs(at - (1 - 0.5 * strength))).toBeLessThan(0.1)
  })
  it('is not found where there is none, nor where the zone has no edge', () => {
    const scene = things(3, 4)
    const clean = viewOf(3, scene)
    const found = fitVeil(clean, context(3))
    // What chance makes of it is next to nothing.
    expect(found === null || Math.min(...found.through) > 0.9).toBe(true)
    const all = { ...clean, cover: clean.cover.map(() => 1) }
    expect(fitVeil(all, context(3))).toBeNull()
    expect(fitLightChange(all, context(3))).toBeNull()
  })
})

describe('a change of light', () => {
  it('that adds a colour tells how much of each channel', () => {
    const scene = things(3, 5)
    const added = [0.02, 0.12, 0.06]
    const view = viewOf(3, (x, y, c) => scene(x, y, c) + added[c]! * strengthAt(x, y))
    const change = fitLightChange(view, context(3))!
    expect(change.isGain).toBe(false)
    added.forEach((most, c) => { for (const { at, strength } of along(view, change.grid, change.channels[c]!)) expect(Math.abs(at - most * strength)).toBeLessThan(0.015) })
  })
  it('is taken off by what was told of it: what is under it comes back, in tone, in colour, or in both', () => {
    const scene = things(3, 5)
    const added = [0.02, 0.12, 0.06]
    const view = viewOf(3, (x, y, c) => scene(x, y, c) + added[c]! * strengthAt(x, y))
    const off = (data: Float32Array) => {
      const { decode } = context(3).tones
      let sum = 0
      for (let y = cy - 40; y < cy + 40; y++) for (let x = cx - 40; x < cx + 40; x++) for (let c = 0; c < 3; c++) sum += Math.abs(decode(data[(y * width + x) * 3 + c]!) - scene(x, y, c))
      return sum / (80 * 80 * 3)
    }
    const change = fitLightChange(view, context(3))!
    const undone = (tone: number, colour: number) => off(withoutChange(view.pixels, change, tone, colour, context(3), 0, view.region).data)
    expect(undone(1, 1)).toBeLessThan(0.15 * off(view.pixels.data))
    expect(undone(0, 0)).toBeCloseTo(off(view.pixels.data), 9)
    for (const part of [undone(1, 0), undone(0, 1)]) expect(part).toBeGreaterThan(undone(1, 1))
  })
  it('is not told by a zone that ends within it', () => {
    const scene = things(3, 5)
    const wide = (x: number, y: number) => smooth((radius + 45 - Math.sqrt((x - cx) ** 2 + (y - cy) ** 2)) / 90)
    const view = viewOf(3, (x, y, c) => scene(x, y, c) + [0.02, 0.12, 0.06][c]! * wide(x, y))
    expect(fitLightChange(view, context(3))).toBeNull()
  })
  it('that takes a share of the light tells what is left of each channel', () => {
    const scene = things(3, 6)
    const left = [0.7, 0.6, 0.8]
    const view = viewOf(3, (x, y, c) => scene(x, y, c) * (1 - (1 - left[c]!) * strengthAt(x, y)))
    const change = fitLightChange(view, context(3))!
    expect(change.isGain).toBe(true)
    left.forEach((least, c) => { for (const { at, strength } of along(view, change.grid, change.channels[c]!)) expect(Math.abs(at - (1 - (1 - least) * strength))).toBeLessThan(0.08) })
  })
})
