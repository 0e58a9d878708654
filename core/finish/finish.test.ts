import { beforeAll, describe, expect, it, vi } from 'vitest'
import fc from 'fast-check'
import { Type } from '@sinclair/typebox'
import { createRequire } from 'node:module'
import type cvModule from '@techstark/opencv-js'
import { checkOperationSteps, checkSettings } from '../pipeline/check-settings.js'
import { makeOperationStep } from '../pipeline/make-step.js'
import { defineArea, defineGeometry, definePatch, defineTone, type Operation } from '../operations/operation.js'
import { allOperations, operationOf, placeOf, registerOperation } from '../pipeline/registry.js'
import { defaultSettings, describeSettings, sentenceOf } from '../operations/settings.js'
import { ProblemError } from '../problem.js'
import { makeRandom } from '../random.js'
import { labOfXyz } from '../colour/lab.js'
import { greyProfile, srgbProfile } from '../colour/profile.js'
import { rasterLevels } from '../raster/pyramid.js'
import { crop, depthOf, makeRaster, type IntegerRaster, type Region, type FloatRaster } from '../raster/raster.js'
import { makeTransfer } from '../raster/transfer.js'
import { makeToneSpace } from '../colour/tone-space.js'
import { Chain, contextOf } from '../pipeline/chain.js'
import { rounded, toFloat } from '../render/samples.js'
import type { OperationStep } from '../treatment/schema.js'
import { monotoneCurve } from './monotone-curve.js'
import { enlargementVerdict } from './print-size.js'
import { proposeFinish } from './propose.js'

let cv: typeof cvModule
beforeAll(async () => {
  cv = createRequire(import.meta.url)('@techstark/opencv-js') as typeof cvModule
  if (!cv.Mat) await new Promise<void>((resolve) => (cv.onRuntimeInitialized = () => resolve()))
})

const base = (raster: IntegerRaster) => ({ width: raster.width, height: raster.height, channels: raster.channels, profile: raster.channels === 1 ? greyProfile(false) : srgbProfile(false) })
const wholeOf = ({ width, height }: { width: number; height: number }): Region => ({ x: 0, y: 0, width, height })
const surveyOf = (raster: IntegerRaster) => new Chain(base(raster), {}).survey(undefined, rasterLevels(raster, makeTransfer(base(raster).profile.curve, depthOf(raster))).read)
let count = 0
const stepOf = (raster: IntegerRaster, name: string, settings: Record<string, unknown> = {}, more: Partial<OperationStep> = {}): OperationStep => ({ ...makeOperationStep(`s${count++}`, name, settings, surveyOf(raster), contextOf(base(raster))), ...more })
function render(raster: IntegerRaster, operations: OperationStep[], region?: Region, more: object = {}): FloatRaster {
  const chain = new Chain(base(raster), { operations, ...more })
  return chain.deliver(region ?? wholeOf(chain.delivered), 0, (part) => crop(raster, part))
}
function noisy(width: number, height: number, channels: 1 | 3, depth: 8 | 16, seed = 1): IntegerRaster {
  const raster = makeRaster(width, height, channels, depth)
  const random = makeRandom(seed)
  const top = depth === 8 ? 255 : 65535
  for (let y = 0; y < height; y++) for (let x = 0; x < width; x++) for (let c = 0; c < channels; c++) raster.data[(y * width + x) * channels + c] = Math.max(0, Math.min(top, Math.round(top * (0.2 + 0.5 * (x / width) + 0.1 * Math.sin((x + 3 * c) / 6) * Math.cos(y / 7)) + (top / 40) * (random.uniform() - 0.5))))
  return raster
}
/** Smooth enough that no kernel of interpolation has an excuse: the shortest wave is 16 pixels. */
function bandLimited(width: number, height: number): IntegerRaster {
  const raster = makeRaster(width, height, 1, 16)
  for (let y = 0; y < height; y++) for (let x = 0; x < width; x++) raster.data[y * width + x] = Math.round(32768 + 9000 * Math.sin(x / 4.1) + 8000 * Math.cos(y / 5.3) + 7000 * Math.sin((x + y) / 7.7))
  return raster
}
/** Peak signal to noise in the middle, in dB. */
function psnr(a: ArrayLike<number>, b: ArrayLike<number>, width: number, height: number, margin: number, peak: number): number {
  let sum = 0
  let n = 0
  for (let y = margin; y < height - margin; y++) for (let x = margin; x < width - margin; x++, n++) sum += (a[y * width + x]! - b[y * width + x]!) ** 2
  return 10 * Math.log10((peak * peak * n) / Math.max(1e-12, sum))
}

describe('the registry', () => {
  const halveTone = defineTone<{ share: number }>({ name: 'test-dim', version: 1, stage: 'finish', form: 'tone', title: 'Dim', trouble: 'too bright', sentence: 'Dimmed to {share}', settings: Type.Object({ share: Type.Number({ title: 'Share', minimum: 0, maximum: 1, default: 0.5, step: 0.01 }) }, { additionalProperties: false }), parts: ({ share }, _m, { channels }) => [{ kind: 'channels', functions: Array.from({ length: channels }, () => (value: number) => value * share) }] })
  const shiftArea = defineArea<Record<string, never>>({ name: 'test-left', version: 1, stage: 'correct', form: 'area', title: 'Left', trouble: 'too far right', sentence: 'Each pixel from its right', settings: Type.Object({}, { additionalProperties: false }), reach: () => 1, render: (below) => ({ ...below, data: below.data.map((_value, i) => below.data[Math.floor(i / below.channels) % below.width === below.width - 1 ? i : i + below.channels]!) }) })
  const dotPatch = definePatch<{ x: number; y: number }>({ name: 'test-dot', version: 1, stage: 'rebuild', form: 'patch', title: 'Dot', trouble: 'a dot is missing', sentence: 'A dot at {x}, {y}', settings: Type.Object({ x: Type.Integer({ minimum: 0, maximum: 1000, default: 5 }), y: Type.Integer({ minimum: 0, maximum: 1000, default: 5 }) }, { additionalProperties: false }), bounds: ({ x, y }) => ({ x, y, width: 1, height: 1 }), reach: () => 0, render: (below, { x, y }, _m, _c, region) => { const data = below.data.slice(); const at = ((y - region.y) * below.width + x - region.x) * below.channels; if (at >= 0 && at < data.length) data.fill(1, at, at + below.channels); return { ...below, data } } })
  const flip = defineGeometry<Record<string, never>>({ name: 'test-flip', version: 1, stage: 'finish', form: 'geometry', title: 'Flip', trouble: 'left is right', sentence: 'Flipped', settings: Type.Object({}, { additionalProperties: false }), size: (before) => before, toSource: (_s, before) => (x, y) => [before.width - x, y] })
  it('takes an operation of each form that is validated, described, keyed and rendered with no other file changed', () => {
    for (const operation of [halveTone, shiftArea, dotPatch, flip] as Operation[]) registerOperation(operation)
    const raster = noisy(40, 30, 3, 16)
    const operations = [stepOf(raster, 'test-left'), stepOf(raster, 'test-dot', { x: 7, y: 4 }), stepOf(raster, 'test-dim', { share: 0.25 }), stepOf(raster, 'test-flip')]
    checkOperationSteps(operations)
    const out = render(raster, operations)
    for (const [x, y] of [[3, 2], [30, 20], [12, 11]] as const) {
      // Flipped last: what is seen at x lies at 39 - x; dimmed; taken from the right neighbour.
      const from = raster.data[(y * 40 + (39 - x) + 1) * 3]! / 65535
      expect(out.data[(y * 40 + x) * 3]).toBeCloseTo(0.25 * from, 4)
    }
    expect(out.data[(4 * 40 + 39 - 7) * 3]).toBeCloseTo(0.25, 4)
    expect(describeSettings(operationOf('test-dim'))[0]).toMatchObject({ name: 'share', title: 'Share', minimum: 0, maximum: 1, default: 0.5 })
    expect(sentenceOf(operationOf('test-dim'), { share: 0.25 })).toEqual([{ text: 'Dimmed to ' }, { setting: 'share', text: '0.25' }])
    expect(() => checkSettings(operationOf('test-dim'), { share: 2 }, 'here')).toThrow(ProblemError)
  })
  it('describes every operation: each setting has a title, a help text and a default within its range, and its sentence names settings only', () => {
    for (const operation of allOperations().filter(({ name }) => !name.startsWith('test-'))) {
      checkSettings(operation, defaultSettings(operation), operation.name)
      for (const setting of describeSettings(operation)) {
        expect(setting.title.length, `${operation.name} ${setting.name}`).toBeGreaterThan(1)
        expect(setting.help.length, `${operation.name} ${setting.name}`).toBeGreaterThan(5)
      }
      const names = describeSettings(operation).map(({ name }) => name)
      for (const [, name] of operation.sentence.matchAll(/\{(\w+)\}/g)) expect(names).toContain(name)
    }
  })
  it('puts a new step where it belongs: tone, then filters, then the frame in the order in which it is cut', () => {
    const names: string[] = []
    for (const name of ['size', 'sharpen', 'crop', 'curve', 'turn', 'cast', 'lens']) names.splice(placeOf(name, names.map((operation) => ({ operation }))), 0, name)
    expect(names).toEqual(['curve', 'cast', 'sharpen', 'lens', 'turn', 'crop', 'size'])
  })
  it('refuses unknown operations and settings by name', () => {
    expect(() => operationOf('nothing')).toThrow(/nothing/)
    expect(() => checkSettings(operationOf('sharpen'), { ...defaultSettings(operationOf('sharpen')), radius: 3 }, '--set')).toThrow(/radius/)
    expect(() => checkSettings(operationOf('sharpen'), { ...defaultSettings(operationOf('sharpen')), radiusPx: 90 }, '--set')).toThrow(/radiusPx/)
  })
})

describe('the chain', () => {
  it('gives back every sample when nothing is done, when a step is off, and outside a zone (8 and 16 bit, grey and colour)', () => {
    for (const depth of [8, 16] as const) {
      for (const channels of [1, 3] as const) {
        const raster = noisy(50, 40, channels, depth)
        expect(rounded(toFloat(raster), depth).data).toEqual(raster.data)
        const off = [stepOf(raster, 'curve', {}, { enabled: false }), stepOf(raster, 'sharpen', {}, { enabled: false })]
        expect(new Chain(base(raster), { operations: off }).isEmpty).toBe(true)
        const areas = [{ id: 'z', name: 'Corner', role: 'zone' as const, parts: [{ mode: 'add' as const, shape: { type: 'disc' as const, x: 10, y: 10, r: 6 } }], softEdgePx: 2 }]
        const out = rounded(render(raster, [stepOf(raster, 'curve', { points: [[0, 0], [0.5, 0.7], [1, 1]] }, { zone: 'z' })], undefined, { areas }), depth)
        let changed = 0
        for (let i = 0; i < out.data.length; i++) {
          const [x, y] = [Math.floor(i / channels) % 50, Math.floor(i / channels / 50)]
          if (Math.hypot(x + 0.5 - 10, y + 0.5 - 10) > 7.5) expect(out.data[i]).toBe(raster.data[i])
          else if (out.data[i] !== raster.data[i]) changed++
        }
        expect(changed).toBeGreaterThan(50)
      }
    }
  })
  it('makes a filter once, whatever its strength and zone, and gives the bytes that are made from nothing', () => {
    const raster = noisy(60, 50, 3, 16)
    const sharpen = stepOf(raster, 'sharpen', { radiusPx: 1.4, amount: 120 })
    const tone = stepOf(raster, 'curve', { points: [[0, 0], [0.5, 0.6], [1, 1]] })
    const zone = (r: number) => ({ id: 'z', name: 'Middle', role: 'zone' as const, parts: [{ mode: 'add' as const, shape: { type: 'disc' as const, x: 30, y: 25, r } }], softEdgePx: 3 })
    const spy = vi.spyOn(operationOf('sharpen') as unknown as { render(): FloatRaster }, 'render')
    const memory = new Map<string, Float32Array>()
    const read = (operations: OperationStep[], areas: ReturnType<typeof zone>[], kept: typeof memory | null) => new Chain(base(raster), { operations, areas }, kept && { memory: kept, below: 'b', keepsFilters: true }).read(wholeOf(raster), 0, (part) => crop(raster, part)).data
    for (const strength of [1, 0.4, 0.8]) {
      for (const areas of [[], [zone(12)], [zone(20)]]) {
        const step = { ...sharpen, strength, ...(areas.length > 0 ? { zone: 'z' } : {}) }
        expect(read([step, tone], areas, memory)).toEqual(read([step, tone], areas, null))
      }
    }
    // Nine times from nothing, and once for all that is remembered.
    expect(spy).toHaveBeenCalledTimes(10)
    read([{ ...sharpen, settings: { ...sharpen.settings, amount: 90 } }], [], memory)
    expect(spy).toHaveBeenCalledTimes(11)
    spy.mockRestore()
    // While its settings move, what it reads is not made again; and tone that follows writes over nothing that is kept.
    const black = stepOf(raster, 'black-and-white', { blackDensity: 2 })
    const steps = (amount: number) => [black, { ...sharpen, settings: { ...sharpen.settings, amount } }]
    const stepsBefore = memory.size
    read([...steps(10), tone], [], memory).fill(0)
    expect(memory.size).toBe(stepsBefore + 2)
    expect(read(steps(20), [], memory)).toEqual(read(steps(20), [], null))
    expect(memory.size).toBe(stepsBefore + 3)
    expect(read(steps(10), [], memory)).toEqual(read(steps(10), [], null))
  })
  it('renders any region as it renders the whole, however it is cut (random steps and regions)', () => {
    const raster = noisy(70, 50, 3, 16)
    const all = [
      stepOf(raster, 'cast', { redContrast: 1.2, blueOffset: 0.1 }), stepOf(raster, 'black-and-white', { blackDensity: 1.5, whiteDensity: 0.1 }), stepOf(raster, 'curve'),
      stepOf(raster, 'sharpen', { radiusPx: 1.4, amount: 120 }), stepOf(raster, 'colour-out'),
      stepOf(raster, 'lens', { k1: -0.2, k2: 0.1 }), stepOf(raster, 'perspective', { corners: [[4, 2], [66, 6], [60, 48], [1, 40]] }), stepOf(raster, 'turn', { degrees: 3 }), stepOf(raster, 'crop', { x: 5, y: 4, width: 50, height: 40 }), stepOf(raster, 'size', { longestSidePx: 31 }),
    ]
    fc.assert(fc.property(fc.subarray(all), fc.nat(70), fc.nat(50), fc.integer({ min: 1, max: 20 }), fc.integer({ min: 1, max: 20 }), (operations, x, y, width, height) => {
      const chain = new Chain(base(raster), { operations })
      const region = { x: x % chain.delivered.width, y: y % chain.delivered.height, width: 1, height: 1 }
      region.width = Math.min(width, chain.delivered.width - region.x)
      region.height = Math.min(height, chain.delivered.height - region.y)
      const whole = rounded(render(raster, operations), 16)
      expect(rounded(render(raster, operations, region), 16).data).toEqual(crop(whole, region).data)
    }), { numRuns: 100, seed: 11 })
  })
  it.each([
    ['one corner pulled', 'perspective', { corners: [[0, 0], [70, 0], [70, 50], [12, 38]] }],
    ['a bend that leaves the corners where they are', 'lens', { k1: 0.2, k2: -0.2 }],
  ])('a frame whose other corners stay is no mere cut: %s', (_what, name, settings) => {
    const raster = noisy(70, 50, 1, 16)
    const chain = new Chain(base(raster), { operations: [stepOf(raster, name, settings)] })
    const out = rounded(chain.deliver(wholeOf(chain.delivered), 0, (part) => crop(raster, part)), 16)
    const inside = { x: 18, y: 25, width: 4, height: 4 }
    expect(crop(out, inside).data).not.toEqual(crop(raster, inside).data)
  })
  it('fuses tone without rounding in between: two casts that undo one another leave 16 bit samples as they were', () => {
    const raster = noisy(64, 64, 3, 16)
    const offsets = (by: number) => stepOf(raster, 'cast', { redOffset: by, greenOffset: by, blueOffset: by })
    const furthest = (operations: OperationStep[]) => Array.from(rounded(render(raster, operations), 16).data).reduce((most, value, i) => Math.max(most, Math.abs(value - raster.data[i]!)), 0)
    expect(furthest([offsets(-0.3)])).toBeGreaterThan(5000)
    expect(furthest([offsets(-0.3), offsets(0.3)])).toBeLessThanOrEqual(1)
  })
  it('an area operation at a smaller level is near what the full size gives when it is reduced', () => {
    const raster = noisy(128, 96, 1, 16, 4)
    const operations = [stepOf(raster, 'sharpen', { radiusPx: 3, amount: 60, threshold: 0 })]
    const chain = new Chain(base(raster), { operations })
    const mean = (data: ArrayLike<number>, width: number, height: number) => Float32Array.from({ length: (width * height) / 4 }, (_, i) => { const [x, y] = [2 * (i % (width / 2)), 2 * Math.floor(i / (width / 2))]; return (data[y * width + x]! + data[y * width + x + 1]! + data[(y + 1) * width + x]! + data[(y + 1) * width + x + 1]!) / 4 })
    const small = rounded({ width: 64, height: 48, channels: 1, data: mean(toFloat(raster).data, 128, 96) }, 16)
    const roughly = chain.read({ x: 0, y: 0, width: 64, height: 48 }, 1, (part) => crop(small, part)).data
    const exactly = mean(chain.read(wholeOf(raster), 0, (part) => crop(raster, part)).data, 128, 96)
    let worst = 0
    for (let i = 0; i < exactly.length; i++) worst = Math.max(worst, Math.abs(exactly[i]! - roughly[i]!))
    expect(worst).toBeLessThan(0.03)
  })
})

describe('tone', () => {
  it('the monotone cubic agrees with a published example and never turns a tone round (Fritsch and Carlson 1980, RPN 14 data)', () => {
    // Data set RPN 14 of the paper, values from memory; between two equal values it must stay flat, where a spline overshoots.
    const data: [number, number][] = [[7.99, 0], [8.09, 2.76429e-5], [8.19, 4.37498e-2], [8.7, 0.169183], [9.2, 0.469428], [10, 0.94374], [12, 0.998636], [15, 0.999919], [20, 0.999994]]
    const curve = monotoneCurve(data)
    for (const [x, y] of data) expect(curve(x)).toBeCloseTo(y, 12)
    for (let x = 7.99; x < 20; x += 0.01) expect(curve(x + 0.01)).toBeGreaterThanOrEqual(curve(x) - 1e-12)
    fc.assert(fc.property(fc.array(fc.double({ min: 0, max: 1, noNaN: true }), { minLength: 2, maxLength: 8 }), (ys) => {
      const rising = [...ys].sort((a, b) => a - b)
      const random = monotoneCurve(rising.map((y, i) => [i / (rising.length - 1), y]))
      for (let i = 0; i < 100; i++) expect(random((i + 1) / 100)).toBeGreaterThanOrEqual(random(i / 100) - 1e-9)
    }), { seed: 3 })
  })
  it('density, light and encoded values go round (D = -log10 of linear light; sRGB of IEC 61966-2-1)', () => {
    const tones = makeToneSpace({ type: 'srgb' })
    expect(tones.decode(0.5)).toBeCloseTo(0.21404, 4)
    expect(tones.density(0.5)).toBeCloseTo(0.6695, 3)
    for (const encoded of [0.02, 0.1, 0.33, 0.5, 0.9]) expect(tones.ofDensity(tones.density(encoded))).toBeCloseTo(encoded, 4)
    for (let i = 0; i <= 65535; i += 257) expect(Math.abs(tones.encode(tones.decode(i / 65535)) - i / 65535)).toBeLessThan(2e-5)
  })
  it('CIELAB of the sRGB primaries adapted to D50 (values of Lindbloom\'s tables, from memory)', () => {
    const red = labOfXyz([0.4360747, 0.2225045, 0.0139322])
    expect(red.l).toBeCloseTo(54.29, 1)
    expect(red.a).toBeCloseTo(80.81, 0)
    expect(red.b).toBeCloseTo(69.89, 0)
    expect(labOfXyz([0.9642, 1, 0.8249])).toMatchObject({ l: 100 })
  })
  it('black and white spread the tones between two densities over the whole range', () => {
    const raster = makeRaster(3, 1, 1, 16)
    const tones = makeToneSpace({ type: 'srgb' })
    raster.data.set([tones.ofDensity(1.5), tones.ofDensity(0.1), (tones.ofDensity(1.5) + tones.ofDensity(0.1)) / 2].map((value) => Math.round(65535 * value)))
    const { data } = rounded(render(raster, [stepOf(raster, 'black-and-white', { blackDensity: 1.5, whiteDensity: 0.1 })]), 16)
    expect(data[0]).toBeLessThan(40)
    expect(data[1]).toBeGreaterThan(65490)
    expect(data[2]! / 65535).toBeCloseTo(0.5, 2)
  })
  it('a neutral point has as much of each channel afterwards, and its luminance stays', () => {
    const raster = makeRaster(40, 40, 3, 16)
    for (let i = 0; i < 1600; i++) raster.data.set([40000, 33000, 25000], 3 * i)
    const { data } = rounded(render(raster, [stepOf(raster, 'neutral', { x: 20, y: 20 })]), 16)
    expect(Math.max(data[0]!, data[1]!, data[2]!) - Math.min(data[0]!, data[1]!, data[2]!)).toBeLessThan(40)
    const tones = makeToneSpace({ type: 'srgb' })
    const luminance = (values: number[]) => [0.2225, 0.7169, 0.0606].reduce((sum, weight, c) => sum + weight * tones.decode(values[c]! / 65535), 0)
    expect(luminance([data[0]!, data[1]!, data[2]!])).toBeCloseTo(luminance([40000, 33000, 25000]), 3)
  })
  it('colour out leaves luminance in all channels', () => {
    const raster = noisy(30, 20, 3, 16)
    const { data } = rounded(render(raster, [stepOf(raster, 'colour-out')]), 16)
    for (let i = 0; i < data.length; i += 3) expect(Math.max(data[i]!, data[i + 1]!, data[i + 2]!) - Math.min(data[i]!, data[i + 1]!, data[i + 2]!)).toBeLessThanOrEqual(1)
  })
  it('a cast that is known is undone: density lost in proportion comes back', () => {
    const raster = noisy(60, 40, 3, 16)
    const tones = makeToneSpace({ type: 'srgb' })
    const faded = { ...raster, data: raster.data.slice() }
    const [kept, stain] = [[0.7, 0.85, 1], [0.05, 0.02, 0.1]]
    for (let i = 0; i < faded.data.length; i++) {
      const density = -Math.log10(tones.decode(raster.data[i]! / 65535)) * kept[i % 3]! + stain[i % 3]!
      faded.data[i] = Math.round(65535 * tones.encode(10 ** -density))
    }
    const out = rounded(render(faded, [stepOf(faded, 'cast', { redOffset: 0.05, greenOffset: 0.02, blueOffset: 0.1, redContrast: 1 / 0.7, greenContrast: 1 / 0.85, blueContrast: 1 })]), 16)
    let worst = 0
    for (let i = 0; i < out.data.length; i++) worst = Math.max(worst, Math.abs(out.data[i]! - raster.data[i]!))
    expect(worst).toBeLessThan(120)
    const names = proposeFinish(toFloat(faded), contextOf(base(faded))).map(({ operation }) => operation)
    expect(names).toContain('cast')
    // A print of neutral tones has none.
    const grey = { ...raster, data: raster.data.map((_value, i) => raster.data[i - (i % 3)]!) }
    expect(proposeFinish(toFloat(grey), contextOf(base(grey))).map(({ operation }) => operation)).not.toContain('cast')
  })
})

describe('sharpening', () => {
  it('raises fine detail, changes no flat place, and keeps halos within their limit', () => {
    const raster = makeRaster(80, 40, 1, 16)
    for (let y = 0; y < 40; y++) for (let x = 0; x < 80; x++) raster.data[y * 80 + x] = Math.round(20000 + 25000 / (1 + Math.exp(-(x - 40) / 1.5)))
    const before = toFloat(raster).data
    for (const halo of [0, 2, 10]) {
      const { data } = render(raster, [stepOf(raster, 'sharpen', { radiusPx: 2, amount: 200, threshold: 0.2, halo })])
      expect(data[20 * 80 + 41]! - data[20 * 80 + 38]!).toBeGreaterThan(before[20 * 80 + 41]! - before[20 * 80 + 38]!)
      expect(data[20 * 80 + 5]).toBeCloseTo(before[20 * 80 + 5]!, 5)
      for (let x = 1; x < 79; x++) {
        const near = [before[20 * 80 + x - 1]!, before[20 * 80 + x]!, before[20 * 80 + x + 1]!]
        expect(data[20 * 80 + x]).toBeLessThanOrEqual(Math.max(...near) + halo / 100 + 1e-6)
        expect(data[20 * 80 + x]).toBeGreaterThanOrEqual(Math.min(...near) - halo / 100 - 1e-6)
      }
    }
  })
})

describe('the frame', () => {
  it('turn and corners agree with the computer-vision library over 45 dB on a band-limited picture', () => {
    const module = cv
    const [width, height] = [260, 200]
    const raster = bandLimited(width, height)
    const float = Float32Array.from(raster.data, (value) => value / 65535)
    const source = module.matFromArray(height, width, module.CV_32FC1, Array.from(float))
    const turned = new module.Mat()
    // Positive is anticlockwise there; centres of pixels lie on whole numbers there and on halves here.
    const matrix = module.getRotationMatrix2D(new module.Point(width / 2 - 0.5, height / 2 - 0.5), -3.7, 1)
    module.warpAffine(source, turned, matrix, new module.Size(width, height), module.INTER_LANCZOS4)
    const ours = render(raster, [stepOf(raster, 'turn', { degrees: 3.7 })]).data
    expect(psnr(ours, turned.data32F as Float32Array, width, height, 30, 1)).toBeGreaterThan(45)
    const corners: [number, number][] = [[20, 15], [235, 25], [240, 185], [12, 178]]
    const out = render(raster, [stepOf(raster, 'perspective', { corners })])
    const quad = module.matFromArray(4, 1, module.CV_32FC2, corners.flat().map((value) => value - 0.5))
    const rectangle = module.matFromArray(4, 1, module.CV_32FC2, [0, 0, out.width, 0, out.width, out.height, 0, out.height].map((value) => value - 0.5))
    const straight = new module.Mat()
    module.warpPerspective(source, straight, module.getPerspectiveTransform(quad, rectangle), new module.Size(out.width, out.height), module.INTER_LANCZOS4)
    expect(psnr(out.data, straight.data32F as Float32Array, out.width, out.height, 8, 1)).toBeGreaterThan(45)
    for (const mat of [source, turned, matrix, quad, rectangle, straight]) mat.delete()
  })
  it('cuts exactly, turns by quarters exactly, and scales to the size that is asked for', () => {
    const raster = noisy(60, 40, 3, 16)
    const cut = rounded(render(raster, [stepOf(raster, 'crop', { x: 7, y: 5, width: 30, height: 20 })]), 16)
    expect(cut.data).toEqual(crop(raster, { x: 7, y: 5, width: 30, height: 20 }).data)
    const quarter = rounded(render(raster, [stepOf(raster, 'turn', { degrees: 90 })]), 16)
    expect([quarter.width, quarter.height]).toEqual([40, 60])
    // Clockwise: what was at the bottom left is at the top left.
    expect(quarter.data[0]).toBe(raster.data[39 * 60 * 3])
    const small = render(raster, [stepOf(raster, 'size', { longestSidePx: 30 })])
    expect([small.width, small.height]).toEqual([30, 20])
    const print = render(raster, [stepOf(raster, 'print-size', { widthCm: 2.54, perInch: 100 })])
    expect(print.width).toBe(100)
  })
  it('undoes a lens that is known, and is white outside the picture', () => {
    const raster = bandLimited(200, 150)
    const bent = rounded(render(raster, [stepOf(raster, 'lens', { k1: 0.08, k2: 0 })]), 16)
    const chain = new Chain(base(raster), { operations: [stepOf(raster, 'lens', { k1: 0.08, k2: 0 })] })
    // Every place of the result shows the place that Brown's terms name.
    for (const [x, y] of [[60, 40], [120, 100], [100, 75]] as const) {
      const [sx, sy] = chain.toBase(x + 0.5, y + 0.5)
      const value = 32768 + 9000 * Math.sin((sx - 0.5) / 4.1) + 8000 * Math.cos((sy - 0.5) / 5.3) + 7000 * Math.sin((sx + sy - 1) / 7.7)
      expect(Math.abs(bent.data[y * 200 + x]! - value)).toBeLessThan(120)
    }
    expect(rounded(render(raster, [stepOf(raster, 'turn', { degrees: 20 })]), 16).data[0]).toBe(65535)
  })
  it('says honestly what enlargement a scan bears: 4 x 6 in at 300 per inch gives 4 x 6, at best 5 x 7 (common practice)', () => {
    const scan = { width: 1800, height: 1200 }
    expect(enlargementVerdict(scan, 6 * 2.54, 300).verdict).toBe('as scanned')
    expect(enlargementVerdict(scan, 7 * 2.54, 300).verdict).toBe('softens')
    expect(enlargementVerdict(scan, 10 * 2.54, 300).verdict).toBe('too large')
  })
})
