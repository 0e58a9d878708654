import { createRequire } from 'node:module'
import type cvModule from '@techstark/opencv-js'
import { describe, expect, it } from 'vitest'
import { measureTelltales, whatShows } from '../../check/telltales.js'
import { krige, lagProducts } from '../../kernels/filling/kriging.js'
import { makeRandom } from '../../random.js'
import { gaussianBlur } from '../../raster/blur.js'
import { makeRaster, rasterSource, type Depth, type IntegerRaster } from '../../raster/raster.js'
import { solveCholesky } from '../../numbers/solve.js'
import { makeTransfer } from '../../raster/transfer.js'
import { layOver } from '../patches/patch.js'
import { coverage, distanceOutside, type Outline, type Shape, type Stroke } from '../../shape/shape.js'
import type { Flaw } from '../../treatment/schema.js'
import { chooseAndMend, chooseMend } from '../choose.js'
import { bridgeGaps } from './fill-bridge.js'
import { BARRED, FILL, KNOWN } from './fill-problem.js'
import { fillPatches } from './fill-patches.js'
import { fillToneWaves } from './fill-tone-waves.js'
import { fill } from './fill.js'
import { carryOut } from '../methods.js'

const WIDTH = 160
const HEIGHT = 120
const whole = { x: 0, y: 0, width: WIDTH, height: HEIGHT }

/** A picture from a rule that gives a value of 0..255 with room for noise. */
function picture(rule: (x: number, y: number) => number, noise = 0, depth: Depth = 8, seed = 3): IntegerRaster {
  const raster = makeRaster(WIDTH, HEIGHT, 3, depth)
  const random = makeRandom(seed)
  const scale = depth === 8 ? 1 : 257
  for (let i = 0; i < WIDTH * HEIGHT; i++) {
    for (let c = 0; c < 3; c++) {
      let deviate = -6
      for (let k = 0; k < 12; k++) deviate += random.uniform()
      raster.data[3 * i + c] = Math.max(0, Math.min(255 * scale, Math.round(scale * (rule((i % WIDTH) + 0.5, Math.floor(i / WIDTH) + 0.5) + 4 * c + noise * deviate))))
    }
  }
  return raster
}

const scratch: Stroke = { type: 'stroke', points: [[20, 58], [80, 62], [140, 57]], width: 4 }
const texture = (x: number, y: number) => 120 + 30 * Math.sin(0.45 * x + 0.15 * y) + 18 * Math.cos(0.22 * x - 0.5 * y)

/** White where the shape covers a pixel whole. */
function scratched(clean: IntegerRaster, shape: Shape): { damaged: IntegerRaster; mask: Uint8Array } {
  const damaged = { ...clean, data: clean.data.slice() }
  const mask = new Uint8Array(WIDTH * HEIGHT)
  distanceOutside(shape, whole).data.forEach((distance, i) => {
    if (distance > -0.5) return
    mask[i] = 1
    for (let c = 0; c < 3; c++) damaged.data[3 * i + c] = clean.data instanceof Uint8Array ? 250 : 64250
  })
  return { damaged, mask }
}

function filled(damaged: IntegerRaster, shape: Shape, seed = 1, avoid: Shape[] = []): IntegerRaster {
  const result = { ...damaged, data: damaged.data.slice() }
  layOver(result, whole, fill(rasterSource(damaged), { shape, softEdgePx: 0, strength: 1, seed, avoid }))
  return result
}

/** Peak signal to noise of tone and structure over a mask, after a Gaussian of 1.5 px. */
function decibels(a: IntegerRaster, b: { data: ArrayLike<number> }, mask: Uint8Array): number {
  const smooth = (data: ArrayLike<number>) => gaussianBlur({ width: WIDTH, height: HEIGHT, data: Float32Array.from({ length: mask.length }, (_value, i) => data[3 * i + 1]!) }, 1.5).data
  const [sa, sb] = [smooth(a.data), smooth(b.data)]
  let sum = 0
  let n = 0
  mask.forEach((hit, i) => {
    if (!hit) return
    sum += (sa[i]! - sb[i]!) ** 2
    n++
  })
  return 10 * Math.log10((255 * 255 * n) / sum)
}

describe('kernels of kriging', () => {
  const random = makeRandom(11)
  it('sums of products at a lag equal the slow, obvious ones', () => {
    const [w, h, lag] = [23, 17, 5]
    const known = Float32Array.from({ length: w * h }, () => (random.uniform() < 0.8 ? 1 : 0))
    const values = known.map((k) => k * (random.uniform() - 0.5))
    const { sums, pairs } = lagProducts(values, known, w, h, lag)
    for (const [lx, ly] of [[0, 0], [3, 0], [-4, 2], [5, 5], [-5, 1]] as const) {
      let sum = 0
      let count = 0
      for (let y = 0; y + ly < h; y++) for (let x = Math.max(0, -lx); x < Math.min(w, w - lx); x++) {
        sum += values[y * w + x]! * values[(y + ly) * w + x + lx]!
        count += known[y * w + x]! * known[(y + ly) * w + x + lx]!
      }
      const at = ly * (2 * lag + 1) + lx + lag
      expect(sums[at]).toBeCloseTo(sum, 4)
      expect(pairs[at]).toBe(count)
    }
  })
  it.each([1, 3, 7, 50])('what %i witnesses say equals the solution in double precision', (n) => {
    const lag = 6
    const side = 2 * lag + 1
    const covariance = Float32Array.from({ length: side * side }, (_value, i) => Math.exp(-(((i % side) - lag) ** 2 + (Math.floor(i / side) - lag) ** 2) / 8))
    const of = (dx: number, dy: number) => (Math.abs(dx) > lag || Math.abs(dy) > lag ? 0 : covariance[(dy + lag) * side + dx + lag]!)
    const places = Array.from({ length: 64 }, (_value, i) => [(i * 3) % 11, Math.floor(i / 5)] as const).filter((place, i, all) => all.findIndex((other) => other[0] === place[0] && other[1] === place[1]) === i).slice(0, n)
    const xs = Int32Array.from(places, ([x]) => x)
    const ys = Int32Array.from(places, ([, y]) => y)
    const values = Float32Array.from(places, () => random.uniform() - 0.5)
    const asked = { xs: Int32Array.of(2, 5), ys: Int32Array.of(3, 20) }
    const [told] = krige(covariance, lag, 0.1, { xs, ys }, [values], asked)
    const matrix = new Float64Array(n * n)
    for (let i = 0; i < n; i++) for (let j = 0; j < n; j++) matrix[i * n + j] = of(xs[i]! - xs[j]!, ys[i]! - ys[j]!) + (i === j ? 0.1 : 0)
    const right = Float64Array.from(values)
    expect(solveCholesky(matrix, right, n)).toBe(true)
    asked.xs.forEach((x, a) => {
      let sum = 0
      for (let k = 0; k < n; k++) sum += right[k]! * of(x - xs[k]!, asked.ys[a]! - ys[k]!)
      expect(told![a]).toBeCloseTo(sum, 3)
    })
  })
})

describe('a fill', () => {
  it('of a sloping ground is the slope', () => {
    const clean = picture((x, y) => 60 + 0.7 * x + 0.4 * y)
    const { damaged, mask } = scratched(clean, scratch)
    const result = filled(damaged, scratch)
    mask.forEach((hit, i) => {
      if (hit) expect(Math.abs(result.data[3 * i]! - clean.data[3 * i]!)).toBeLessThanOrEqual(2)
    })
  })
  it('continues a pattern across the gap, better than the two inpainting functions of the computer-vision library', async () => {
    const cv = createRequire(import.meta.url)('@techstark/opencv-js') as typeof cvModule
    if (!cv.Mat) await new Promise<void>((resolve) => (cv.onRuntimeInitialized = () => resolve()))
    const clean = picture(texture, 3)
    const { damaged, mask } = scratched(clean, scratch)
    const ours = decibels(clean, filled(damaged, scratch), mask)
    for (const method of [cv.INPAINT_TELEA, cv.INPAINT_NS]) {
      const source = new cv.Mat(HEIGHT, WIDTH, cv.CV_8UC3)
      source.data.set(damaged.data)
      const hole = new cv.Mat(HEIGHT, WIDTH, cv.CV_8UC1)
      hole.data.set(mask.map((value) => 255 * value))
      const result = new cv.Mat()
      cv.inpaint(source, hole, result, 4, method)
      expect(ours).toBeGreaterThan(decibels(clean, { data: Array.from(result.data as Uint8Array) }, mask) + 1)
      for (const mat of [source, hole, result]) mat.delete()
    }
  })
  it('has the grain of its surroundings', () => {
    const clean = picture(() => 128, 8)
    const { damaged, mask } = scratched(clean, { ...scratch, width: 8 })
    const result = filled(damaged, { ...scratch, width: 8 })
    const plane = Float32Array.from({ length: mask.length }, (_value, i) => result.data[3 * i + 1]!)
    const smooth = gaussianBlur({ width: WIDTH, height: HEIGHT, data: plane }, 1.5).data
    const deviation = (inside: boolean) => {
      const values = [...plane].map((value, i) => value - smooth[i]!).filter((_value, i) => (mask[i] === 1) === inside)
      return Math.sqrt(values.reduce((sum, value) => sum + value * value, 0) / values.length)
    }
    expect(deviation(true) / deviation(false)).toBeGreaterThan(0.85)
    expect(deviation(true) / deviation(false)).toBeLessThan(1.15)
  })
  it.each([0, 0.7, 1, 1.4])('keeps the grain of a print, %d px coarse, to within a fifth', (coarseness) => {
    const side = 160
    const random = makeRandom(4)
    const white = Float32Array.from({ length: side * side }, () => random.uniform() + random.uniform() + random.uniform() - 1.5)
    const grain = coarseness > 0 ? gaussianBlur({ width: side, height: side, data: white }, coarseness).data : white
    const plane = Float32Array.from(grain, (value) => 0.5 + 0.05 * value)
    const role = Uint8Array.from(plane, (_value, i) => (Math.hypot((i % side) - 80, Math.floor(i / side) - 80) < 14 ? FILL : KNOWN))
    const deviation = () => {
      const smooth = gaussianBlur({ width: side, height: side, data: plane }, 1.5).data
      const inside = [...plane].map((value, i) => value - smooth[i]!).filter((_value, i) => role[i] === FILL)
      return Math.sqrt(inside.reduce((sum, value) => sum + value * value, 0) / inside.length)
    }
    const before = deviation()
    fillToneWaves({ width: side, height: side, channels: [plane], role }, 3)
    expect(deviation() / before).toBeGreaterThan(0.8)
    expect(deviation() / before).toBeLessThan(1.2)
  })
  it('changes nothing beside the shape, is the same each time, and another seed lays other grain', () => {
    for (const depth of [8, 16] as const) {
      const clean = picture(texture, 4, depth)
      const { damaged, mask } = scratched(clean, scratch)
      const first = filled(damaged, scratch, 1)
      expect(filled(damaged, scratch, 1).data).toEqual(first.data)
      expect(filled(damaged, scratch, 2).data).not.toEqual(first.data)
      const cover = coverage(distanceOutside(scratch, whole), 0).data
      expect(mask.some((hit) => hit === 1)).toBe(true)
      for (let i = 0; i < mask.length; i++) if (cover[i] === 0) for (let c = 0; c < 3; c++) expect(first.data[3 * i + c]).toBe(damaged.data[3 * i + c])
    }
  })
  it('asks nothing of flaws that are still open', () => {
    const clean = picture(() => 100, 1)
    const shape: Shape = { type: 'disc', x: 80, y: 60, r: 5 }
    const beside: Outline = { type: 'outline', points: [[74, 66], [86, 66], [86, 74], [74, 74]] }
    const { damaged } = scratched(clean, shape)
    for (let y = 66; y < 74; y++) for (let x = 74; x < 86; x++) for (let c = 0; c < 3; c++) damaged.data[3 * (y * WIDTH + x) + c] = 250
    const error = (avoid: Shape[]) => {
      const { data } = filled(damaged, shape, 1, avoid)
      return Math.abs([78, 79, 80, 81].reduce((sum, x) => sum + data[3 * (64 * WIDTH + x)]!, 0) / 4 - 100)
    }
    expect(error([beside])).toBeLessThan(2)
    expect(error([])).toBeGreaterThan(5)
  })
  it('goes on with a wave across a gap as wide as it may be, from its edge inward', () => {
    const wave = (x: number, y: number) => 128 + 60 * Math.sin(0.35 * x + 0.2 * y)
    const clean = picture(wave)
    const wide: Stroke = { type: 'stroke', points: [[20, 60], [140, 60]], width: 38 }
    const { damaged, mask } = scratched(clean, wide)
    const result = filled(damaged, wide)
    // Sixteen pixels or less from what is known nearly all of it is right; no white of the damage is left anywhere.
    const near = mask.map((hit, i) => (hit && Math.abs(Math.floor(i / WIDTH) + 0.5 - 60) > 12 ? 1 : 0))
    expect(decibels(clean, result, near)).toBeGreaterThan(30)
    mask.forEach((hit, i) => hit && expect(result.data[3 * i]!).toBeLessThan(215))
  })
  it('fills where nothing at all is known with what there is', () => {
    const plane = Float32Array.from({ length: 40 * 40 }, () => 0.3)
    const role = new Uint8Array(1600).fill(FILL)
    bridgeGaps({ width: 40, height: 40, channels: [plane], role }, 1, 1)
    expect(new Set(plane)).toEqual(new Set([0.5]))
    expect(role.every((value) => value === KNOWN)).toBe(true)
  })
  it('goes on with a strength and a soft edge, which leave the rest of what was there', () => {
    const clean = picture(() => 100)
    const { damaged } = scratched(clean, scratch)
    const half = fill(rasterSource(damaged), { shape: scratch, softEdgePx: 0, strength: 0.5, seed: 1, avoid: [] })
    const at = (60 - half.region.y) * half.region.width + 80 - half.region.x
    // Half of the white that was there stays.
    expect(Math.abs(half.pixels.data[3 * at]! - 175)).toBeLessThanOrEqual(1)
  })
})

describe('a wide fill', () => {
  // Bricks that repeat: what is missing stands elsewhere, so patches can give it back and nothing smooth can.
  const bricks = (x: number, y: number) => ((x + (Math.floor(y / 12) % 2) * 10) % 20 < 3 || y % 12 < 3 ? 190 : 90)
  const hole: Shape = { type: 'disc', x: 80, y: 60, r: 22 }
  it('gives back a pattern that stands elsewhere, with its grain', () => {
    const clean = picture(bricks, 4)
    const { damaged, mask } = scratched(clean, hole)
    const result = filled(damaged, hole)
    const smooth = { data: Array.from(clean.data).map((_value, i) => (mask[Math.floor(i / 3)] ? 120 : clean.data[i]!)) }
    expect(decibels(clean, result, mask)).toBeGreaterThan(decibels(clean, smooth, mask) + 5)
    expect(filled(damaged, hole).data).toEqual(result.data)
    const detail = (raster: IntegerRaster) => {
      let sum = 0
      mask.forEach((hit, i) => {
        if (hit) sum += (raster.data[3 * i]! - raster.data[3 * i + 3]!) ** 2
      })
      return Math.sqrt(sum)
    }
    expect(detail(result) / detail(clean)).toBeGreaterThan(0.8)
    expect(detail(result) / detail(clean)).toBeLessThan(1.2)
  })
  it('takes nothing from what is barred', () => {
    const width = 120
    const height = 90
    const role = new Uint8Array(width * height)
    const plane = new Float32Array(width * height)
    for (let i = 0; i < plane.length; i++) {
      const x = i % width
      plane[i] = x < 40 ? 0.9 : 0.2 + 0.05 * ((x + Math.floor(i / width)) % 3)
      if (x < 40) role[i] = BARRED
      if (Math.hypot(x - 70, Math.floor(i / width) - 45) < 20) {
        role[i] = FILL
        plane[i] = 0.9
      }
    }
    fillPatches({ width, height, channels: [plane], role }, 3, 20, 1)
    for (let i = 0; i < plane.length; i++) if (role[i] === FILL) expect(plane[i]).toBeLessThan(0.45)
  })
  it('of a picture with nothing known leaves mid grey, not what was there', () => {
    const plane = new Float32Array(80 * 80).fill(0.9)
    fillPatches({ width: 80, height: 80, channels: [plane], role: new Uint8Array(6400).fill(FILL) }, 1, 40, 1)
    expect(plane.every((value) => Math.abs(value - 0.5) < 1e-6)).toBe(true)
  })
})

describe('the choice', () => {
  const transfer = makeTransfer({ type: 'srgb' }, 8)
  const flaw: Flaw = { id: 'f', kind: 'other', shape: scratch, state: 'open', contrast: 0, weight: 0, confidence: 1, origin: 'hand' }
  it('bridges a scratch in texture, says why, and nothing of it shows', () => {
    const clean = picture(texture, 3)
    const { damaged } = scratched(clean, scratch)
    const before = measureTelltales({ picture: rasterSource(damaged), transfer, shape: scratch, openFlaws: [] })
    expect(whatShows(before)).toContain('leftover')
    const step = chooseMend({ picture: rasterSource(damaged), transfer, flaw, openFlaws: [], id: 'm' })
    expect(step.method).toBe('fill')
    expect(step.reason).toContain('Filled')
    expect(whatShows(step.telltales)).toEqual([])
  })
  it('remembers the open flaws it left out, near ones only', () => {
    const clean = picture(texture, 3)
    const near: Shape = { type: 'disc', x: 60, y: 75, r: 6 }
    const step = chooseMend({ picture: rasterSource(clean), transfer, flaw: { ...flaw, shape: { ...scratch, points: [[40, 60], [60, 60]] } }, openFlaws: [near, { type: 'disc', x: 150, y: 10, r: 4 }], id: 'm', method: 'fill' })
    expect(step.avoid).toEqual([near])
    expect(carryOut(rasterSource(clean), transfer, step).touched.some((value) => value === 1)).toBe(true)
  })
  it('says why a lift that was asked for is a heal', () => {
    const step = chooseMend({ picture: rasterSource(picture(texture, 3)), transfer, flaw, openFlaws: [], id: 'm', method: 'lift' })
    expect(step.method).toBe('heal')
    expect(step.reason).toBe('Healed, because no shadow can lie under it.')
    expect(chooseMend({ picture: rasterSource(picture(texture, 3)), transfer, flaw, openFlaws: [], id: 'm', method: 'heal' }).reason).toBe('Healed from the place that matches best.')
  })
  it.each(['lift', 'heal', 'fill'] as const)('comes with the pixels that its step makes: %s', (method) => {
    const { damaged } = scratched(picture(texture, 3), { type: 'disc', x: 80, y: 60, r: 8 })
    const source = rasterSource(damaged)
    const { step, mended } = chooseAndMend({ picture: source, transfer, flaw: { ...flaw, kind: 'dust', shape: { type: 'disc', x: 80, y: 60, r: 8 } }, openFlaws: [], id: 'm', method })
    expect(mended).toEqual(carryOut(source, transfer, step))
    expect(mended.touched.some((value) => value === 1)).toBe(true)
  })
  it('another one is another seed', () => {
    const clean = picture(texture, 3)
    const steps = [0, 1, 2].map((skipSources) => chooseMend({ picture: rasterSource(clean), transfer, flaw, openFlaws: [], id: 'm', method: 'fill', skipSources }))
    expect(new Set(steps.map(({ seed }) => seed)).size).toBe(3)
  })
})
