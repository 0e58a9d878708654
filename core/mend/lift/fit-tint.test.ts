import { describe, expect, it } from 'vitest'
import { mendableRaster } from '../patches/patch.js'
import { makeRandom } from '../../random.js'
import { makeRaster, rasterSource, type IntegerRaster } from '../../raster/raster.js'
import { makeTransfer } from '../../raster/transfer.js'
import { stepExtent } from '../patches/patch-keys.js'
import type { Flaw } from '../../treatment/schema.js'
import { mendAll } from '../picture/mend-all.js'
import { chooseMend } from '../choose.js'
import { fitTint } from './fit-tint.js'
import { lift } from './lift.js'
import { lossOfTint } from './light-loss.js'
import { tintField, type Tint } from './tint.js'

const transfer = makeTransfer({ type: 'srgb' }, 16)
const [width, height] = [220, 200]
const [cx, cy, r] = [105, 96, 30]
const SHARES = [0.2, 0.6, 1]

/** Planks with nails on a brown print, stained in the middle as deep as is said; deeper along a rim. */
function print(depth: number, channels: 1 | 3 = 3, shares = SHARES): IntegerRaster {
  const random = makeRandom(8)
  const raster = makeRaster(width, height, channels, 16)
  for (let y = 0; y < height; y++) {
    for (let x = 0; x < width; x++) {
      const plank = 0.25 + 0.12 * (Math.floor(y / 14) % 3) + 0.04 * Math.sin(x / 5 + 3 * Math.floor(y / 14))
      const nail = Math.sqrt(((x % 44) - 20) ** 2 + ((y % 28) - 7) ** 2) < 2.5 ? 0.3 : 1
      const light = plank * nail * (1 + 0.02 * (random.uniform() - 0.5))
      const away = Math.sqrt((x + 0.5 - cx) ** 2 + (y + 0.5 - cy) ** 2) - r
      const lost = (depth * (0.5 + 0.5 * Math.exp(-((away / 5) ** 2)))) / (1 + Math.exp(away))
      const tone = [0.03 + 0.8 * light, 0.025 + 0.7 * light ** 1.05, 0.02 + 0.55 * light ** 1.1]
      for (let c = 0; c < channels; c++) raster.data[(y * width + x) * channels + c] = transfer.encode(tone[c]! * Math.exp(-lost * shares[c]!))
    }
  }
  return raster
}

const shape = { type: 'disc' as const, x: cx, y: cy, r }
const flaw: Flaw = { id: 'f', kind: 'stain', shape, state: 'open', contrast: -3, weight: 100, confidence: 0.9, origin: 'found' }

/** Mean difference of the stained pixels, in parts of 255. */
function difference(a: IntegerRaster, b: IntegerRaster): number {
  let sum = 0
  let count = 0
  for (let i = 0; i < width * height; i++) {
    if (Math.sqrt(((i % width) - cx) ** 2 + (Math.floor(i / width) - cy) ** 2) > r) continue
    for (let c = 0; c < 3; c++) sum += Math.abs(a.data[3 * i + c]! - b.data[3 * i + c]!) / 257
    count += 3
  }
  return sum / count
}

describe('a stain on a print of one colour', () => {
  it('is lifted so that planks and nails under it are as they were', () => {
    const [clean, stained] = [print(0), print(0.5)]
    const fit = fitTint(rasterSource(stained), transfer, shape)!
    const [red, green, blue] = fit.tint.channels as [number, number, number]
    // The depth that was put on is that of blue; the fit's is what blue lost against red.
    expect(blue - red).toBeCloseTo(1, 3)
    expect(green / blue).toBeGreaterThan(0.5)
    expect(green / blue).toBeLessThan(0.7)
    const mended = lift(rasterSource(stained), transfer, lossOfTint(fit.tint), 1)
    const whole = { ...stained, data: stained.data.slice() }
    for (let y = 0; y < mended.region.height; y++) whole.data.set(mended.pixels.data.subarray(3 * y * mended.region.width, 3 * (y + 1) * mended.region.width), 3 * ((y + mended.region.y) * width + mended.region.x))
    expect(difference(stained, clean)).toBeGreaterThan(10)
    expect(difference(whole, clean)).toBeLessThan(3)
  })

  it('is mended so by Fennip, and unasked only so', () => {
    const stained = print(0.5)
    const step = chooseMend({ picture: rasterSource(stained), transfer, flaw, openFlaws: [], id: 'm' })
    expect(step.method).toBe('lift')
    expect(step.reason).toMatch(/colour/)
    expect(mendAll(mendableRaster(print(0.5)), transfer, [flaw], { id: () => 'm' }).map(({ method }) => method)).toEqual(['lift'])
    const grey = print(0.5, 1)
    expect(mendAll(mendableRaster(grey), transfer, [flaw], { id: () => 'm' }).filter(({ method }) => method !== 'lift')).toEqual([])
    expect(mendAll(mendableRaster(grey), transfer, [flaw], { method: 'heal', id: () => 'm' }).map(({ method }) => method)).toEqual(['heal'])
  })

  it('is lifted when it was outlined by hand and a lift is asked for; a shadow in an outline is lifted as one', () => {
    const points = Array.from({ length: 24 }, (_value, k): [number, number] => [cx + (r + 2) * Math.cos((k * Math.PI) / 12), cy + (r + 2) * Math.sin((k * Math.PI) / 12)])
    const drawn: Flaw = { ...flaw, kind: 'other', origin: 'hand', shape: { type: 'outline', points } }
    const ask = (picture: IntegerRaster, method?: 'lift') => chooseMend({ picture: rasterSource(picture), transfer, flaw: drawn, openFlaws: [], id: 'm', ...(method ? { method } : {}) })
    const step = ask(print(0.5), 'lift')
    expect(step.tint).toBeDefined()
    expect(step.chosenBy).toBe('hand')
    expect(ask(print(0.5)).tint).toBeUndefined()
    const shaded = ask(print(0.5, 3, [1, 1, 1]), 'lift')
    expect(shaded.method).toBe('lift')
    expect(shaded.shadow ?? shaded.cover).toBeDefined()
    expect(shaded.tint).toBeUndefined()
  })

  it('is left alone where colour says nothing', () => {
    expect(fitTint(rasterSource(print(0.5, 1)), transfer, shape)).toBeNull()
    expect(fitTint(rasterSource(print(0)), transfer, shape)?.evidence ?? 0).toBeLessThan(2.5)
  })
})

describe('the depth of a tint', () => {
  const tint: Tint = { x: 10, y: 20, spacing: 4, columns: 2, depth: [0.1, 0.3, 0.5, 0.9], channels: [0, 0.5, 1] }

  it('lies on straight lines between knots and is nothing beyond', () => {
    const { depth, region } = tintField(tint)
    expect([depth(10, 20), depth(14, 20), depth(10, 24), depth(14, 24)]).toEqual([0.1, 0.3, 0.5, 0.9])
    expect(depth(12, 22)).toBeCloseTo((0.1 + 0.3 + 0.5 + 0.9) / 4, 9)
    expect(depth(16, 24)).toBeCloseTo(0.45, 9)
    for (const [x, y] of [[6, 20], [18, 22], [12, 28], [100, 0]] as const) expect(depth(x, y)).toBe(0)
    for (let y = 0; y < 60; y++) for (let x = 0; x < 60; x++) {
      if (depth(x + 0.5, y + 0.5) === 0) continue
      expect(x >= region.x && y >= region.y && x < region.x + region.width && y < region.y + region.height).toBe(true)
    }
  })

  it('is all that its mend may touch', () => {
    const picture = rasterSource(print(0))
    const { region, touched, pixels } = lift(picture, transfer, lossOfTint(tint), 1)
    const { writes } = stepExtent({ method: 'lift', methodVersion: 1, shape, softEdgePx: 0, strength: 1, seed: 0, tint }, picture)
    expect(region.x >= writes.x && region.y >= writes.y && region.x + region.width <= writes.x + writes.width && region.y + region.height <= writes.y + writes.height).toBe(true)
    const before = picture.read(region)
    const field = tintField(tint)
    touched.forEach((is, i) => {
      const depth = field.depth(region.x + (i % region.width) + 0.5, region.y + Math.floor(i / region.width) + 0.5)
      if (depth === 0) expect(is).toBe(0)
      // Red is not in it.
      expect(pixels.data[3 * i]).toBe(before.data[3 * i])
      const blue = transfer.light[before.data[3 * i + 2]!]! * Math.exp(depth)
      expect(Math.abs(pixels.data[3 * i + 2]! - transfer.encode(Math.min(1, blue)))).toBeLessThanOrEqual(1)
    })
  })
})
