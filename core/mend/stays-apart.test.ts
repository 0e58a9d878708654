import { describe, expect, it } from 'vitest'
import { makeRandom } from '../random.js'
import { makeRaster, rasterSource, type PixelSource } from '../raster/raster.js'
import { makeTransfer } from '../raster/transfer.js'
import type { Outline } from '../shape/shape.js'
import type { Flaw, Step } from '../treatment/schema.js'
import { chooseMend } from './choose.js'

/** A spot that somebody outlined, where a bright and a dark ground with texture meet; it takes a share of the light. */

const transfer = makeTransfer({ type: 'srgb' }, 8)
const SIDE = 90
const RADIUS = 7

function grounds(seed: number, taken: number): PixelSource {
  const random = makeRandom(seed)
  const texture = Array.from({ length: 3000 }, () => random.uniform() - 0.5)
  const raster = makeRaster(SIDE, SIDE, 1, 8)
  for (let y = 0; y < SIDE; y++) for (let x = 0; x < SIDE; x++) {
    const tone = (x + 0.4 * y < 66 ? 215 : 62) + 60 * texture[Math.floor(y / 3) * 46 + Math.floor(x / 3)]! + 8 * (random.uniform() - 0.5)
    const inside = Math.max(0, Math.min(1, 0.5 - (Math.sqrt((x + 0.5 - 44) ** 2 + (y + 0.5 - 45) ** 2) - RADIUS) / 2))
    raster.data[y * SIDE + x] = transfer.encode(transfer.light[Math.max(0, Math.min(255, Math.round(tone)))]! * (1 - taken * inside))
  }
  return rasterSource(raster)
}

const shape: Outline = { type: 'outline', points: Array.from({ length: 24 }, (_value, k): [number, number] => [44 + (RADIUS + 1.5) * Math.cos((k * Math.PI) / 12), 45 + (RADIUS + 1.5) * Math.sin((k * Math.PI) / 12)]) }
const flaw: Flaw = { id: 'f', kind: 'other', shape, state: 'open', contrast: 0, weight: 0, confidence: 1, origin: 'hand' }
const chosen = (picture: PixelSource): Step => chooseMend({ picture, transfer, flaw, openFlaws: [], id: 'm' })

describe('a spot over an edge', () => {
  // There a shadow that was fitted to it says that 35 to 40 % of the light comes through, and no telltale complains of the lift.
  it.each([7, 8, 19])('that hides nearly all of the light is not lifted as a light shadow over the darker side (seed %i)', (seed) => {
    expect(chosen(grounds(seed, 0.92)).method).toBe('fill')
  })
  it.each([7, 8, 19])('that dims is lifted (seed %i)', (seed) => {
    expect(chosen(grounds(seed, 0.35)).method).toBe('lift')
  })
})

describe('a wide flake of bare paper', () => {
  it('is not lifted as if it took light away: it would stay as light as it is', () => {
    const random = makeRandom(2)
    const side = 220
    const raster = makeRaster(side, side, 1, 8)
    const isBare = (x: number, y: number) => Math.sqrt((x - 110) ** 2 + (y - 110) ** 2) < 46
    for (let y = 0; y < side; y++) for (let x = 0; x < side; x++) raster.data[y * side + x] = (isBare(x + 0.5, y + 0.5) ? 200 - 14 * Math.exp(-(((x - 110) / 20) ** 2) - ((y - 110) / 20) ** 2) : 62 + 20 * Math.sin(x / 7)) + 6 * (random.uniform() - 0.5)
    const around: Outline = { type: 'outline', points: Array.from({ length: 48 }, (_value, k): [number, number] => [110 + 48 * Math.cos((k * Math.PI) / 24), 110 + 48 * Math.sin((k * Math.PI) / 24)]) }
    const step = chooseMend({ picture: rasterSource(raster), transfer, flaw: { ...flaw, shape: around }, openFlaws: [], id: 'm' })
    expect(step.method).not.toBe('lift')
    expect(step.reason).toContain('lighter')
  })
})
