import { describe, expect, it } from 'vitest'
import { makeRandom } from '../random.js'
import { gaussianBlur } from '../raster/blur.js'
import { makeRaster, rasterSource, type IntegerRaster } from '../raster/raster.js'
import { makeTransfer } from '../raster/transfer.js'
import { layOver } from './patches/patch.js'
import type { Flaw } from '../treatment/schema.js'
import { chooseMend } from './choose.js'
import { carryOut } from './methods.js'

/** Heals beside strong edges: nothing bleeds, and the edge stays where it is and as sharp as it was. */

const transfer = makeTransfer({ type: 'srgb' }, 8)
const [width, height] = [240, 200]
const whole = { x: 0, y: 0, width, height }

/** Two tones with an edge of a camera's softness along a line that slopes a little; grain on both. */
function edgePicture(dark: number, bright: number, edge: (x: number) => number, seed: number): IntegerRaster {
  const random = makeRandom(seed)
  const tone = gaussianBlur({ width, height, data: Float32Array.from({ length: width * height }, (_value, i) => (Math.floor(i / width) + 0.5 > edge((i % width) + 0.5) ? dark : bright)) }, 0.8).data
  const picture = makeRaster(width, height, 3, 8)
  for (let i = 0; i < tone.length; i++) {
    const grain = 3 * (random.uniform() + random.uniform() - 1)
    for (let c = 0; c < 3; c++) picture.data[3 * i + c] = Math.max(0, Math.min(255, Math.round(tone[i]! + grain)))
  }
  return picture
}

function spotted(clean: IntegerRaster, x: number, y: number, r: number, tone: number): IntegerRaster {
  const damaged = { ...clean, data: clean.data.slice() }
  for (let i = 0; i < width * height; i++) if (Math.sqrt(((i % width) + 0.5 - x) ** 2 + (Math.floor(i / width) + 0.5 - y) ** 2) < r) for (let c = 0; c < 3; c++) damaged.data[3 * i + c] = tone
  return damaged
}

function healed(damaged: IntegerRaster, x: number, y: number, r: number): IntegerRaster {
  const flaw: Flaw = { id: 'f', kind: 'other', shape: { type: 'disc', x, y, r }, state: 'open', contrast: 0, weight: 0, confidence: 1, origin: 'hand' }
  const step = chooseMend({ picture: rasterSource(damaged), transfer, flaw, openFlaws: [], method: 'heal', id: 'm' })
  expect(step.method).toBe('heal')
  const result = { ...damaged, data: damaged.data.slice() }
  layOver(result, whole, carryOut(rasterSource(damaged), transfer, step))
  return result
}

/** Place and width (10 to 90 %) of an edge in columns, from the mean profile across it relative to its line. */
function edgeOf(picture: IntegerRaster, from: number, to: number, edge: (x: number) => number): { place: number; width: number } {
  const sums = new Float64Array(121)
  const counts = new Float64Array(121)
  for (let x = from; x < to; x++) for (let y = 0; y < height; y++) {
    const k = Math.round(4 * (y + 0.5 - edge(x + 0.5))) + 60
    if (k < 0 || k > 120) continue
    sums[k]! += picture.data[(y * width + x) * 3 + 1]!
    counts[k]!++
  }
  const profile = Array.from(sums, (sum, k) => sum / Math.max(1, counts[k]!)).filter((_value, k) => counts[k]! > 0)
  const top = profile.slice(0, 20).reduce((a, b) => a + b) / 20
  const bottom = profile.slice(-20).reduce((a, b) => a + b) / 20
  const crossing = (share: number) => {
    const level = top + (bottom - top) * share
    const k = profile.findIndex((value, i) => i > 0 && (profile[i - 1]! - level) * (value - level) <= 0)
    const [a, b] = [profile[k - 1]!, profile[k]!]
    return (k - 1 + (level - a) / (b - a) - 60) / 4
  }
  return { place: crossing(0.5), width: Math.abs(crossing(0.9) - crossing(0.1)) }
}

describe('a heal across a strong edge', () => {
  const roof = (x: number) => 100 + 0.12 * (x - 120)
  it('keeps the edge where it is and as sharp as it was, within 5 %', () => {
    for (const seed of [1, 2, 3]) {
      const clean = edgePicture(60, 190, roof, seed)
      const mended = healed(spotted(clean, 120, 100, 11, 235), 120, 100, 14)
      const before = edgeOf(clean, 109, 131, roof)
      const after = edgeOf(mended, 109, 131, roof)
      expect(before.width).toBeGreaterThan(1)
      expect(Math.abs(after.place - before.place)).toBeLessThan(0.05 * before.width + 0.1)
      expect(Math.abs(after.width / before.width - 1)).toBeLessThan(0.05)
    }
  })
  it('beside it lets nothing bleed over', () => {
    for (const [seed, above] of [[4, 18], [5, 15]] as const) {
      const clean = edgePicture(40, 200, roof, seed)
      const y = roof(120) - above
      const mended = healed(spotted(clean, 120, y, 9, 110), 120, y, 12)
      // Tone of the mended sky against what was there, and of the roof, which the soft edge may touch.
      for (const part of [(d: number) => d < -2, (d: number) => d > 2]) {
        let error = 0
        let count = 0
        for (let i = 0; i < width * height; i++) {
          const px = (i % width) + 0.5
          const py = Math.floor(i / width) + 0.5
          if (Math.sqrt((px - 120) ** 2 + (py - y) ** 2) > 12 || !part(py - roof(px))) continue
          error += mended.data[3 * i + 1]! - clean.data[3 * i + 1]!
          count++
        }
        if (count > 0) expect(Math.abs(error / count)).toBeLessThan(1.5)
      }
    }
  })
})

describe('a hairline against the sky', () => {
  it('runs on through a heal', () => {
    const random = makeRandom(9)
    const line = (x: number) => 100 - 0.2 * (x - 120)
    const clean = makeRaster(width, height, 3, 8)
    for (let y = 0; y < height; y++) for (let x = 0; x < width; x++) {
      const cover = Math.max(0, Math.min(1, 1.7 - Math.abs(y - line(x))))
      for (let c = 0; c < 3; c++) clean.data[(y * width + x) * 3 + c] = Math.round(185 - 120 * cover + 4 * (random.uniform() - 0.5))
    }
    const mended = healed(spotted(clean, 120, 100, 8, 230), 120, 100, 10)
    for (let x = 113; x < 127; x++) {
      let darkest = 0
      for (let y = 88; y < 112; y++) if (mended.data[(y * width + x) * 3]! < mended.data[(darkest * width + x) * 3]! || darkest === 0) darkest = y
      expect(Math.abs(darkest - line(x))).toBeLessThan(1.3)
      expect(mended.data[(darkest * width + x) * 3]).toBeLessThan(100)
    }
  })
})
