import { describe, expect, it } from 'vitest'
import { makeOperationStep } from '../pipeline/make-step.js'
import { makeRandom } from '../random.js'
import { gaussianBlur } from '../raster/blur.js'
import { srgbProfile } from '../colour/profile.js'
import { makeRaster, type IntegerRaster, type FloatRaster } from '../raster/raster.js'
import { rasterLevels } from '../raster/pyramid.js'
import { makeTransfer } from '../raster/transfer.js'
import { Chain, contextOf } from '../pipeline/chain.js'
import type { OperationStep } from '../treatment/schema.js'
import { drawnShare } from './drawn-share.js'
import { paintLayer, type DrawnStroke } from './strokes.js'

const transfer = makeTransfer({ type: 'srgb' }, 16)
const size = { width: 240, height: 180 }
const base = { ...size, channels: 3, profile: srgbProfile(false) }

function picture(tone: (x: number, y: number) => number, noise = 0): IntegerRaster {
  const raster = makeRaster(size.width, size.height, 3, 16)
  const random = makeRandom(5)
  // The sum of four equal parts is near enough to normal; its variance is a third.
  const normal = () => (random.uniform() + random.uniform() + random.uniform() + random.uniform() - 2) * Math.sqrt(3)
  for (let i = 0; i < size.width * size.height; i++) {
    const value = tone((i % size.width) + 0.5, Math.floor(i / size.width) + 0.5)
    const grain = noise * normal()
    for (let c = 0; c < 3; c++) raster.data[3 * i + c] = Math.round(65535 * Math.max(0, Math.min(1, value + grain)))
  }
  return raster
}

function stepOn(raster: IntegerRaster, operation: string, settings: Record<string, unknown>): OperationStep {
  return makeOperationStep('s', operation, settings, new Chain(base, {}).survey(undefined, rasterLevels(raster, transfer).read), contextOf(base))
}
const whole = { x: 0, y: 0, ...size }
const seen = (raster: IntegerRaster, steps: OperationStep[], region = whole, level = 0): FloatRaster => new Chain(base, { operations: steps }).read(region, level, rasterLevels(raster, transfer).read)
const at = (raster: FloatRaster, x: number, y: number, c = 0) => raster.data[3 * (y * raster.width + x) + c]!
const stroke = (points: number[][], more: Partial<DrawnStroke> = {}): DrawnStroke => ({ points, widthPx: 20, opacity: 40, hardness: 50, tone: [0.2, 0.3, 0.4], pen: 'size', ...more })

describe('a drawn group', () => {
  const strokes = [stroke([[40, 60], [150, 90]]), stroke([[60, 120, 0.2], [180, 60, 0.9]], { opacity: 80, tone: [0.9, 0.8, 0.1], hardness: 10 }), stroke([[120, 90]], { tone: [0.5], opacity: 100, widthPx: 41, hardness: 100 })]

  it('equals a slow reference: pixel by pixel, the nearest place of each stroke, one over the other, softened, laid on by its strength', () => {
    const raster = picture(() => 0.6)
    const step = { ...stepOn(raster, 'draw', { strokes, softPx: 2, grain: 0 }), strength: 0.5 }
    const result = seen(raster, [step])
    const planes = Array.from({ length: 4 }, () => new Float32Array(size.width * size.height))
    for (let i = 0; i < planes[0]!.length; i++) {
      const [x, y] = [(i % size.width) + 0.5, Math.floor(i / size.width) + 0.5]
      for (const one of strokes) {
        let most = 0
        const ends = one.points.length === 1 ? [one.points[0]!, one.points[0]!] : one.points
        // So many dabs that the nearest one is as good as the nearest place.
        for (let k = 0; k <= 200; k++) {
          const t = k / 200
          const mix = (n: number) => (ends[0]![n] ?? 0) * (1 - t) + (ends[1]![n] ?? 0) * t
          const factor = ends[0]!.length === 3 ? 0.4 + 1.2 * mix(2) : 1
          const radius = (one.widthPx / 2) * factor
          const share = Math.max(0, Math.min(1, (radius + 0.5 - Math.hypot(x - mix(0), y - mix(1))) / Math.max(1, radius * (1 - one.hardness / 100))))
          most = Math.max(most, share * share * (3 - 2 * share) * (one.opacity / 100))
        }
        planes[3]![i] = planes[3]![i]! + most * (1 - planes[3]![i]!)
        for (let c = 0; c < 3; c++) planes[c]![i] = planes[c]![i]! * (1 - most) + most * one.tone[Math.min(c, one.tone.length - 1)]!
      }
    }
    const soft = planes.map((data) => gaussianBlur({ ...size, data }, 2).data)
    let worst = 0
    for (let i = 0; i < soft[0]!.length; i++) {
      for (let c = 0; c < 3; c++) {
        const below = raster.data[3 * i + c]! / 65535
        const drawn = below * (1 - soft[3]![i]!) + soft[c]![i]!
        worst = Math.max(worst, Math.abs(result.data[3 * i + c]! - (below + 0.5 * (drawn - below))))
      }
    }
    // Along a stroke whose width changes the nearest place is not exactly the strongest dab: below three levels of 255.
    expect(worst).toBeLessThan(0.012)
  })
  it('is the same in pieces as in one, and leaves what it does not cover', () => {
    const raster = picture((x) => 0.3 + x / 600, 0.02)
    const step = stepOn(raster, 'draw', { strokes, softPx: 3 })
    const all = seen(raster, [step])
    const piece = seen(raster, [step], { x: 100, y: 70, width: 60, height: 50 })
    for (let y = 0; y < 50; y++) for (let x = 0; x < 60; x++) for (let c = 0; c < 3; c++) expect(at(piece, x, y, c)).toBeCloseTo(at(all, x + 100, y + 70, c), 6)
    expect(at(all, 5, 5)).toBe(Math.fround(raster.data[3 * (5 * size.width + 5)]! / 65535))
  })
  it('is even along its way whatever the pace of the hand: points twice as dense give the same', () => {
    const path = (count: number) => Array.from({ length: count }, (_, i) => [30 + (160 * i) / (count - 1), 80])
    const [few, many] = [3, 41].map((count) => paintLayer([stroke(path(count))], whole, 1, 1).cover.data)
    few!.forEach((value, i) => expect(Math.abs(value - many![i]!)).toBeLessThan(1e-5))
  })
  it('has the grain of the place', () => {
    const raster = picture(() => 0.5, 0.03)
    const result = seen(raster, [stepOn(raster, 'draw', { strokes: [stroke([[40, 90], [200, 90]], { widthPx: 60, opacity: 100, hardness: 100, tone: [0.5] })], softPx: 2, grain: 100 })])
    const spread = (y: number) => {
      const values = Array.from({ length: 100 * 30 }, (_, i) => at(result, 70 + (i % 100), y + Math.floor(i / 100)))
      const mean = values.reduce((sum, value) => sum + value, 0) / values.length
      return Math.sqrt(values.reduce((sum, value) => sum + (value - mean) ** 2, 0) / values.length)
    }
    const ratio = spread(75) / spread(5)
    expect(ratio).toBeGreaterThan(0.85)
    expect(ratio).toBeLessThan(1.15)
  })
  it('says how much of the picture is drawn', () => {
    const step = stepOn(picture(() => 0.5), 'draw', { strokes: [stroke([[20, 90], [220, 90]], { widthPx: 18, hardness: 100 })], softPx: 0 })
    // A bar of 200 by 18 with round ends.
    const expected = (200 * 18 + Math.PI * 81) / (size.width * size.height)
    expect(drawnShare([step], size, 0) / expected).toBeGreaterThan(0.95)
    expect(drawnShare([step], size, 0) / expected).toBeLessThan(1.1)
    expect(drawnShare([{ ...step, enabled: false }], size, 0)).toBe(0)
  })
})

describe('an edge', () => {
  /** A line that rises slowly, dark above and light below, soft over two pixels. */
  const tone = (x: number, y: number) => 0.3 + 0.4 / (1 + Math.exp(-(y - 80 - 0.1 * x) / 1.2))

  it('is drawn on over a gap from how it runs on both sides', () => {
    const truth = picture(tone, 0.005)
    const damaged = { ...truth, data: truth.data.slice() }
    for (let y = 60; y < 130; y++) for (let x = 95; x < 145; x++) for (let c = 0; c < 3; c++) damaged.data[3 * (y * size.width + x) + c] = 60000
    const line = (x: number) => [x, 80 + 0.1 * x]
    const result = seen(damaged, [stepOn(damaged, 'edge', { points: [line(50), line(190)], widthPx: 50, endPx: 38, grain: 0 })])
    let [before, after, count] = [0, 0, 0]
    for (let y = 82; y < 102; y++) for (let x = 100; x < 140; x++) {
      before += Math.abs(damaged.data[3 * (y * size.width + x)]! / 65535 - tone(x + 0.5, y + 0.5))
      after += Math.abs(at(result, x, y) - tone(x + 0.5, y + 0.5))
      count++
    }
    expect(before / count).toBeGreaterThan(0.3)
    expect(after / count).toBeLessThan(0.02)
  })
  it('is made sharp by the blur that was measured, without a rim', () => {
    const raster = picture((x) => 0.3 + 0.4 * (0.5 + 0.5 * Math.tanh((x - 120) / 3)), 0.004)
    const step = stepOn(raster, 'sharpen-edge', { points: [[120, 20], [120, 160]], widthPx: 40, amount: 100 })
    // tanh(x / 3) has its steepest slope as the step through a Gaussian of deviation 3 sqrt(2 / pi).
    const { blurPx } = step.measured as { blurPx: number }
    expect(Math.abs(blurPx / (3 * Math.sqrt(2 / Math.PI)) - 1)).toBeLessThan(0.25)
    const result = seen(raster, [step])
    /** Width between a tenth and nine tenths of the step, averaged over rows. */
    const width = (value: (x: number, y: number) => number) => {
      const mean = Array.from({ length: size.width }, (_, x) => Array.from({ length: 80 }, (_unused, y) => value(x, y + 50)).reduce((a, b) => a + b, 0) / 80)
      return mean.filter((one) => one > 0.34 && one < 0.66).length
    }
    const [was, is] = [width((x, y) => raster.data[3 * (y * size.width + x)]! / 65535), width((x, y) => at(result, x, y))]
    expect(is).toBeLessThan(0.75 * was)
    for (let x = 100; x < 140; x++) for (let y = 40; y < 140; y++) {
      expect(at(result, x, y)).toBeGreaterThan(0.27)
      expect(at(result, x, y)).toBeLessThan(0.73)
    }
  })
})

describe('texture', () => {
  it('takes the fine detail of its source and keeps the tone of the place', () => {
    const raster = picture((x, y) => 0.2 + 0.0015 * x + (x > 140 ? 0.05 * Math.sin(x * 1.7) * Math.cos(y * 1.3) : 0))
    const result = seen(raster, [stepOn(raster, 'texture', { points: [[70, 60], [70, 120]], widthPx: 40, sourceX: 110, sourceY: 0, finePx: 5, amount: 100 })])
    const stats = (value: (x: number, y: number) => number, left: number) => {
      const values = Array.from({ length: 16 * 50 }, (_, i) => value(left + (i % 16), 65 + Math.floor(i / 16)) - 0.0015 * (left + (i % 16)))
      const mean = values.reduce((sum, one) => sum + one, 0) / values.length
      return { mean, spread: Math.sqrt(values.reduce((sum, one) => sum + (one - mean) ** 2, 0) / values.length) }
    }
    const before = (x: number, y: number) => raster.data[3 * (y * size.width + x)]! / 65535
    const [place, source] = [stats((x, y) => at(result, x, y), 62), stats(before, 172)]
    expect(place.spread / source.spread).toBeGreaterThan(0.85)
    expect(place.spread / source.spread).toBeLessThan(1.1)
    expect(place.mean).toBeCloseTo(stats(before, 62).mean, 2)
  })
})

describe('content from another place', () => {
  it('comes mirrored, its tone matched along the zone, and nothing changes outside of it', () => {
    // The right half is the mirror image of the left one, a little darker.
    const tone = (x: number, y: number) => {
      const u = x < 120 ? x : 240 - x
      return 0.4 + 0.12 * Math.sin(u / 5 + y / 11) + 0.1 * Math.sin(y / 6 - u / 17) - (x < 120 ? 0 : 0.08)
    }
    const truth = picture(tone)
    const damaged = { ...truth, data: truth.data.slice() }
    for (let y = 70; y < 110; y++) for (let x = 40; x < 80; x++) for (let c = 0; c < 3; c++) damaged.data[3 * (y * size.width + x) + c] = 65535
    const zone = { id: 'z', name: 'lost', role: 'zone' as const, softEdgePx: 3, parts: [{ mode: 'add' as const, shape: { type: 'outline' as const, points: [[37, 67], [83, 67], [83, 113], [37, 113]] as [number, number][] } }] }
    const levels = rasterLevels(damaged, transfer)
    const step = { ...makeOperationStep('s', 'bring', { rightPx: 120, mirrored: 'left-right' }, new Chain(base, { areas: [zone] }).survey('z', levels.read), contextOf(base), { zone: 'z' }) }
    const result = new Chain(base, { operations: [step], areas: [zone] }).read(whole, 0, levels.read)
    let [sum, count] = [0, 0]
    for (let y = 72; y < 108; y++) for (let x = 42; x < 78; x++) {
      sum += Math.abs(at(result, x, y) - tone(x + 0.5, y + 0.5))
      count++
    }
    expect(sum / count).toBeLessThan(0.012)
    expect(at(result, 20, 90)).toBe(Math.fround(damaged.data[3 * (90 * size.width + 20)]! / 65535))
  })
})
