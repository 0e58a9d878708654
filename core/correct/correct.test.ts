import { describe, expect, it } from 'vitest'
import { measureAreaStep } from '../check/area-telltales.js'
import { explainAreaStep } from '../check/explain-area.js'
import { checkOperationSteps } from '../pipeline/check-settings.js'
import { makeOperationStep } from '../pipeline/make-step.js'
import { allOperations, operationOf } from '../pipeline/registry.js'
import { sentenceOf } from '../operations/settings.js'
import { makeRandom } from '../random.js'
import { greyProfile, srgbProfile } from '../colour/profile.js'
import { rasterLevels } from '../raster/pyramid.js'
import { crop, depthOf, makeRaster, maximumOf, type IntegerRaster, type Region } from '../raster/raster.js'
import { decodeValue, makeTransfer } from '../raster/transfer.js'
import { Chain, contextOf } from '../pipeline/chain.js'
import { rounded, toFloat } from '../render/samples.js'
import type { Area, OperationStep } from '../treatment/schema.js'
import { proposeZones } from './propose-zones.js'

const base = (raster: IntegerRaster) => ({ width: raster.width, height: raster.height, channels: raster.channels, profile: raster.channels === 1 ? greyProfile(false) : srgbProfile(false) })
const whole = ({ width, height }: { width: number; height: number }): Region => ({ x: 0, y: 0, width, height })
const levelsOf = (raster: IntegerRaster) => rasterLevels(raster, makeTransfer({ type: 'srgb' }, depthOf(raster)))
const disc = (x: number, y: number, r: number, softEdgePx = 0): Area => ({ id: 'z', name: 'Zone', role: 'zone', softEdgePx, parts: [{ mode: 'add', shape: { type: 'disc', x, y, r } }] })

/** A normal deviate by Box and Muller 1958. */
function normalOf(seed: number): () => number {
  const { uniform } = makeRandom(seed)
  return () => Math.sqrt(-2 * Math.log(1 - uniform())) * Math.cos(2 * Math.PI * uniform())
}

/** A picture from a function of place: values 0..1 of the channels; 16 bit unless said otherwise. */
function picture(width: number, height: number, value: (x: number, y: number) => readonly number[], depth: 8 | 16 = 16): IntegerRaster {
  const raster = makeRaster(width, height, value(0, 0).length, depth)
  const maximum = maximumOf(depth)
  for (let y = 0, k = 0; y < height; y++) for (let x = 0; x < width; x++) for (const v of value(x, y)) raster.data[k++] = Math.max(0, Math.min(maximum, Math.round(v * maximum)))
  return raster
}

function stepOf(raster: IntegerRaster, name: string, area: Area | null, settings: Record<string, unknown> = {}, propose = false): OperationStep {
  const survey = new Chain(base(raster), { areas: area ? [area] : [] }).survey(area?.id, levelsOf(raster).read)
  return makeOperationStep('s', name, settings, survey, contextOf(base(raster)), { zone: area?.id, propose })
}

function corrected(raster: IntegerRaster, name: string, area: Area | null, settings: Record<string, unknown> = {}, propose = false): IntegerRaster {
  const step = stepOf(raster, name, area, settings, propose)
  checkOperationSteps([step])
  return rounded(new Chain(base(raster), { operations: [step], areas: area ? [area] : [] }).read(whole(raster), 0, (region) => crop(raster, region)), 16)
}

/** Mean absolute difference inside a disc, of 255. */
function apart(a: IntegerRaster, b: IntegerRaster, [cx, cy, r]: readonly [number, number, number]): number {
  let [sum, count] = [0, 0]
  for (let y = 0; y < a.height; y++) {
    for (let x = 0; x < a.width; x++) {
      if (Math.sqrt((x + 0.5 - cx) ** 2 + (y + 0.5 - cy) ** 2) > r) continue
      for (let c = 0; c < a.channels; c++) sum += Math.abs(a.data[(y * a.width + x) * a.channels + c]! - b.data[(y * a.width + x) * a.channels + c]!)
      count += a.channels
    }
  }
  return sum / count / 257
}

const byHand = { points: [[60, 50]], widthPx: 12 }
const CORRECTIONS = allOperations().filter(({ stage }) => stage === 'correct')
const scene = (channels: 1 | 3, depth: 8 | 16, seed = 1) => {
  const normal = normalOf(seed)
  return picture(150, 120, (x, y) => {
    const tone = 0.35 + 0.2 * Math.sin(x / 17) * Math.cos(y / 23) + (x > 90 ? 0.2 : 0) + 0.01 * normal() + ((x * 7 + y * 13) % 89 === 0 ? 0.3 : 0)
    return channels === 1 ? [tone] : [tone, 0.9 * tone + 0.03, 0.7 * tone + 0.08]
  }, depth)
}

describe('every correction', () => {
  it('is described by the trouble and as a sentence with its values', () => {
    expect(CORRECTIONS.map(({ name }) => name)).toEqual(['clear-specks', 'lift-stain', 'calm-moire', 'match', 'contrast', 'clear-haze', 'shift-colour', 'lighten', 'even-out', 'grain', 'heal', 'clone', 'fill', 'lift'])
    for (const operation of CORRECTIONS) expect(sentenceOf(operation, stepOf(scene(3, 8), operation.name, null, operation.byHand ? byHand : {}).settings).filter((part) => 'setting' in part).length).toBeGreaterThan(0)
  })

  for (const channels of [1, 3] as const) {
    for (const depth of [8, 16] as const) {
      it(`leaves what is outside its zone, and is the same on any part as on the whole (${channels === 1 ? 'grey' : 'colour'}, ${depth} bit)`, { timeout: 60_000 }, () => {
        const raster = scene(channels, depth)
        const zone = disc(60, 55, 34, 6)
        for (const { name, byHand: isByHand } of CORRECTIONS) {
          const step = stepOf(raster, name, zone, isByHand ? byHand : { ...(name === 'even-out' ? { keeps: 'structure' } : {}), ...(name === 'lighten' ? { stops: 0.5, band: 'dark' } : {}), ...(name === 'clear-specks' ? { sizePx: 6 } : {}), ...(name === 'clear-haze' ? { patchPx: 4 } : {}), ...(name === 'contrast' ? { radiusPx: 10 } : {}) })
          const chain = new Chain(base(raster), { operations: [step], areas: [zone] })
          const read = (region: Region) => crop(raster, region)
          const all = rounded(chain.read(whole(raster), 0, read), 16)
          const before = rounded(toFloat(raster), 16)
          let beyond = 0
          for (let y = 0; y < raster.height; y++) for (let x = 0; x < raster.width; x++) if (Math.sqrt((x + 0.5 - 60) ** 2 + (y + 0.5 - 55) ** 2) > 38) for (let c = 0; c < channels; c++) if (all.data[(y * 150 + x) * channels + c] !== before.data[(y * 150 + x) * channels + c]) beyond++
          expect(beyond, name).toBe(0)
          for (const part of [{ x: 31, y: 22, width: 40, height: 37 }, { x: 60, y: 0, width: 90, height: 64 }]) expect(rounded(chain.read(part, 0, read), 16).data, name).toEqual(crop(all, part).data)
          const off = new Chain(base(raster), { operations: [{ ...step, enabled: false }], areas: [zone] })
          expect(off.isEmpty, name).toBe(true)
        }
      })
    }
  }
})

describe('clear specks', () => {
  const ground = (normal: () => number) => (x: number, y: number) => { const tone = 0.4 + 0.001 * x + 0.0008 * y + 0.008 * normal(); return [tone, tone, tone] }
  const clean = picture(200, 160, ground(normalOf(3)))
  const spots = Array.from({ length: 35 }, (_, n) => [16 + 28 * (n % 7) + ((n * 5) % 7), 14 + 30 * Math.floor(n / 7) + ((n * 3) % 8), 1.5 + (n % 4)] as const).filter(([x, y]) => Math.sqrt((x - 150) ** 2 + (y - 40) ** 2) > 36)
  const specked = picture(200, 160, (() => {
    const inner = ground(normalOf(3))
    return (x: number, y: number) => {
      // A rope and a large thing stay.
      const rope = Math.abs(y - 80 - 0.3 * (x - 100)) < 2 ? 0.3 : 0
      const thing = Math.sqrt((x - 150) ** 2 + (y - 40) ** 2) < 22 ? 0.25 : 0
      const spot = spots.some(([sx, sy, r]) => Math.sqrt((x - sx) ** 2 + (y - sy) ** 2) < r) ? 0.35 : 0
      return inner(x, y).map((value) => value + Math.max(rope, thing, spot))
    }
  })())

  it('clears what is small and bright, with the grain of the place, and leaves a rope and a large thing', () => {
    const result = corrected(specked, 'clear-specks', null, { polarity: 'bright', sizePx: 12, threshold: 5 })
    const free = spots.filter(([x, y, r]) => Math.abs(y - 80 - 0.3 * (x - 100)) > 12 + r)
    expect(free.length).toBeGreaterThan(18)
    const left = free.map(([x, y, r]) => apart(result, clean, [x, y, r]))
    // Two grains of deviation 2 (0.008 of 255) that have nothing to do with one another differ by 2.3 on the mean.
    expect(Math.max(...left)).toBeLessThan(6)
    expect(apart(result, specked, [150, 40, 16])).toBeLessThan(0.01)
    expect(result.data[(80 * 200 + 100) * 3]! / 65535).toBeGreaterThan(0.7)
  })

  it('leaves bright ones when dark ones are asked for, and everything that stands out less than the threshold', () => {
    expect(apart(corrected(specked, 'clear-specks', null, { polarity: 'dark', sizePx: 12, threshold: 8 }), specked, [40, 120, 25])).toBeLessThan(0.3)
    expect(corrected(clean, 'clear-specks', null, { polarity: 'both', sizePx: 12, threshold: 8 }).data).toEqual(clean.data)
  })

  it('proposes the kind and the size from the zone', () => {
    const { settings } = stepOf(specked, 'clear-specks', disc(90, 100, 72), {}, true)
    expect(settings.polarity).toBe('bright')
    expect(settings.sizePx).toBeGreaterThan(6)
    expect(settings.sizePx).toBeLessThan(24)
  })
})

describe('tone and colour', () => {
  it('a stop doubles the light, and a band leaves the other tones', () => {
    const raster = picture(60, 20, (x) => [0.05 + 0.012 * x, 0.05 + 0.012 * x, 0.05 + 0.012 * x])
    const light = (value: number) => decodeValue({ type: 'srgb' }, value / 65535)
    const all = corrected(raster, 'lighten', null, { stops: 1, band: 'all' })
    for (const x of [3, 20, 40]) expect(light(all.data[(10 * 60 + x) * 3]!) / light(raster.data[(10 * 60 + x) * 3]!)).toBeCloseTo(2, 2)
    const dark = corrected(raster, 'lighten', null, { stops: 1, band: 'dark' })
    expect(light(dark.data[(10 * 60 + 3) * 3]!) / light(raster.data[(10 * 60 + 3) * 3]!)).toBeGreaterThan(1.7)
    expect(Math.abs(dark.data[(10 * 60 + 58) * 3]! - raster.data[(10 * 60 + 58) * 3]!)).toBeLessThan(300)
  })

  it('proposes the stops that a zone is darker', () => {
    const raster = picture(120, 90, (x, y) => { const v = Math.sqrt((x - 60) ** 2 + (y - 45) ** 2) < 25 ? 0.4 : 0.5; return [v, v, v] })
    const wanted = Math.log2(decodeValue({ type: 'srgb' }, 0.5) / decodeValue({ type: 'srgb' }, 0.4))
    expect(stepOf(raster, 'lighten', disc(60, 45, 24), {}, true).settings.stops).toBeCloseTo(wanted, 1)
  })

  it('a streak sinks into its surroundings with what is proposed, and a red rope in it stays', () => {
    const truth = (x: number, y: number) => (Math.abs(y - 45 - 0.1 * x) < 2 ? [0.6, 0.15, 0.12] : [0.42 + 0.0005 * x, 0.45, 0.5])
    const raster = picture(160, 100, (x, y) => { const m = Math.abs(x - 80) < 22 ? 1 : 0; const [r, g, b] = truth(x, y) as [number, number, number]; return Math.abs(y - 45 - 0.1 * x) < 2 ? [r, g, b] : [r - 0.02 * m, g + 0.12 * m, b + 0.02 * m] })
    const zone: Area = { ...disc(0, 0, 1), parts: [{ mode: 'add', shape: { type: 'stroke', points: [[80, -30], [80, 130]], width: 44 } }] }
    const clean = picture(160, 100, truth)
    const result = corrected(raster, 'shift-colour', zone, {}, true)
    expect(apart(result, clean, [80, 20, 14])).toBeLessThan(0.3 * apart(raster, clean, [80, 20, 14]))
    expect(apart(result, raster, [80, 53, 1.2])).toBeLessThan(6)
  })

  it('a patch of another tone and colour is brought to what is around it', () => {
    const normal = normalOf(8)
    const noise = Array.from({ length: 160 * 120 }, () => 0.01 * normal())
    const truth = (x: number, y: number) => [0.4 + 0.001 * x, 0.42 + 0.0007 * y, 0.45].map((v) => v + noise[y * 160 + x]!)
    const clean = picture(160, 120, truth)
    const raster = picture(160, 120, (x, y) => truth(x, y).map((v, c) => v - (Math.sqrt((x - 80) ** 2 + (y - 60) ** 2) < 30 ? [0.08, 0.12, 0.05][c]! : 0)))
    const result = corrected(raster, 'match', disc(80, 60, 31), { finestPx: 16 })
    expect(apart(result, clean, [80, 60, 24])).toBeLessThan(0.25 * apart(raster, clean, [80, 60, 24]))
  })
})

describe('what covers', () => {
  it('haze of a known depth is cleared to less than half, and the sky is kept (Koschmieder; He, Sun and Tang 2009)', () => {
    const scene3 = (x: number, y: number) => (y < 30 ? [0.86, 0.87, 0.88] : [(x + y) % 14 < 5 ? 0.08 : 0.5, (x * 3 + y) % 22 < 9 ? 0.1 : 0.45, x % 9 < 3 ? 0.06 : 0.4])
    const [decode, encode] = [(v: number) => decodeValue({ type: 'srgb' }, v), (l: number) => (l <= 0.0031308 ? 12.92 * l : 1.055 * l ** (1 / 2.4) - 0.055)]
    const clean = picture(180, 160, scene3)
    const hazy = picture(180, 160, (x, y) => { const t = Math.exp(-0.4 - 0.006 * (160 - y)); return scene3(x, y).map((v) => encode(decode(v) * t + decode(0.87) * (1 - t))) })
    const result = corrected(hazy, 'clear-haze', null, { patchPx: 8, taken: 95, sky: 90 })
    expect(apart(result, clean, [90, 110, 40])).toBeLessThan(0.5 * apart(hazy, clean, [90, 110, 40]))
    expect(apart(result, hazy, [90, 12, 9])).toBeLessThan(4)
  })

  it('contrast that a veil has taken comes back in brightness, and chromaticity stays', () => {
    const truth = (x: number, y: number) => { const t = 0.45 + 0.12 * Math.sin(x / 2.3) * Math.sin(y / 2.9); return [t, 0.8 * t, 0.6 * t] }
    const veiled = picture(200, 160, (x, y) => { const m = Math.max(0, Math.min(1, (45 - Math.sqrt((x - 100) ** 2 + (y - 80) ** 2)) / 8 + 0.5)); return truth(x, y).map((v, c) => v + m * 0.6 * ([0.55, 0.44, 0.33][c]! - v)) })
    const result = corrected(veiled, 'contrast', disc(100, 80, 47, 6), { radiusPx: 14 }, true)
    const clean = picture(200, 160, truth)
    expect(apart(result, clean, [100, 80, 34])).toBeLessThan(0.5 * apart(veiled, clean, [100, 80, 34]))
    const at = (80 * 200 + 100) * 3
    const ratio = (raster: IntegerRaster) => decodeValue({ type: 'srgb' }, raster.data[at]! / 65535) / decodeValue({ type: 'srgb' }, raster.data[at + 2]! / 65535)
    expect(ratio(result)).toBeCloseTo(ratio(veiled), 2)
  })

  it('a ring on a brown print is lifted with no ring left and no rest in its middle', () => {
    const tone = (x: number, y: number) => 0.5 + 0.25 * Math.sin(x / 19) * Math.cos(y / 15)
    const truth = (x: number, y: number) => { const t = tone(x, y); return [0.15 + 0.75 * t, 0.12 + 0.68 * t, 0.08 + 0.55 * t] }
    const [decode, encode] = [(v: number) => decodeValue({ type: 'srgb' }, v), (l: number) => (l <= 0.0031308 ? 12.92 * l : 1.055 * l ** (1 / 2.4) - 0.055)]
    const stained = picture(260, 220, (x, y) => { const r = Math.sqrt((x - 130) ** 2 + (y - 110) ** 2); const depth = (r < 60 ? 0.25 : 0) + 0.6 * Math.exp(-(((r - 58) / 5) ** 2)); return truth(x, y).map((v, c) => encode(decode(v) * Math.exp(-depth * [0.4, 0.8, 1.2][c]!))) })
    const clean = picture(260, 220, truth)
    const result = corrected(stained, 'lift-stain', disc(130, 110, 82), {}, true)
    expect(apart(result, clean, [130, 110, 40])).toBeLessThan(0.25 * apart(stained, clean, [130, 110, 40]))
    const ring = [0, 1, 2, 3, 4, 5].map((k) => [130 + 58 * Math.cos(k), 110 + 58 * Math.sin(k), 4] as const)
    for (const place of ring) expect(apart(result, clean, place)).toBeLessThan(0.3 * apart(stained, clean, place))
  })

  it('false colour and beats of moire go, the weave stays', () => {
    const weave = (x: number, y: number) => 0.45 + 0.06 * (((x >> 1) + (y >> 1)) % 2 ? 1 : -1)
    const truth = (x: number, y: number) => { const t = weave(x, y); return [t, 0.5 * t, 0.45 * t] }
    const clean = picture(220, 200, truth)
    const raster = picture(220, 200, (x, y) => truth(x, y).map((v, c) => v * (1 + 0.14 * Math.sin(0.3 * x + 0.22 * y + 2.1 * c))))
    const result = corrected(raster, 'calm-moire', disc(110, 100, 80), { periodPx: 30, brightness: 100 })
    expect(apart(result, clean, [110, 100, 60])).toBeLessThan(0.7 * apart(raster, clean, [110, 100, 60]))
    let [both, own] = [0, 0]
    for (let x = 70; x < 150; x++) { both += (weave(x, 100) - 0.45) * (result.data[(100 * 220 + x) * 3]! / 65535 - 0.45); own += (weave(x, 100) - 0.45) ** 2 }
    expect(both / own).toBeGreaterThan(0.8)
  })

  it('evening out takes noise away and keeps an edge', () => {
    const normal = normalOf(12)
    const raster = picture(160, 100, (x) => { const v = (x < 80 ? 0.3 : 0.6) + 0.02 * normal(); return [v, v, v] })
    const clean = picture(160, 100, (x) => { const v = x < 80 ? 0.3 : 0.6; return [v, v, v] })
    const result = corrected(raster, 'even-out', null, { radiusPx: 6, edges: 5 })
    expect(apart(result, clean, [40, 50, 30])).toBeLessThan(0.35 * apart(raster, clean, [40, 50, 30]))
    expect(result.data[(50 * 160 + 82) * 3]! - result.data[(50 * 160 + 77) * 3]!).toBeGreaterThan(0.2 * 65535)
  })

  it('evening out keeps a fine pattern that repeats where structure is kept, and so it is proposed', () => {
    // Plain on the left, where the noise is told.
    const weave = (x: number, y: number) => 0.45 + (x < 60 ? 0 : 0.1 * Math.sin((x * Math.PI) / 2) * Math.sin((2 * Math.PI * y) / 5))
    const normal = normalOf(13)
    const clean = picture(160, 100, (x, y) => { const v = weave(x, y); return [v, v, v] })
    const noisy = picture(160, 100, (x, y) => { const v = weave(x, y); return [v + 0.03 * normal(), v + 0.03 * normal(), v + 0.03 * normal()] })
    const [structure, edges] = (['structure', 'edges'] as const).map((keeps) => corrected(noisy, 'even-out', null, { radiusPx: 7, edges: 4, keeps }))
    const away = (result: IntegerRaster) => apart(result, clean, [110, 50, 40]) / apart(noisy, clean, [110, 50, 40])
    expect(away(structure!)).toBeLessThan(0.75)
    expect(away(structure!)).toBeLessThan(0.7 * away(edges!))
    expect(stepOf(noisy, 'even-out', null, {}, true).settings).toMatchObject({ keeps: 'structure' })
    // A step from before this could be chosen goes on keeping edges, and says so.
    const { keeps, ...before } = stepOf(noisy, 'even-out', null, { radiusPx: 7, edges: 4 }).settings
    expect(keeps).toBe('edges')
    const step = { ...stepOf(noisy, 'even-out', null, { radiusPx: 7, edges: 4 }), settings: before }
    checkOperationSteps([step])
    expect(rounded(new Chain(base(noisy), { operations: [step] }).read(whole(noisy), 0, (region) => crop(noisy, region)), 16).data).toEqual(edges!.data)
    expect(sentenceOf(operationOf('even-out'), before).map(({ text }) => text).join('')).toContain('keeping edges from')
  })
})

describe('grain', () => {
  /** Grain of deviation 0.02, correlated over neighbours and in part between channels. */
  const grainy = (seed: number) => {
    const planes = [0, 1, 2, 3].map((k) => { const normal = normalOf(seed + k); return Float32Array.from({ length: 300 * 240 }, normal) })
    const soft = (p: Float32Array, x: number, y: number) => 0.7 * p[y * 300 + x]! + 0.5 * p[y * 300 + Math.min(299, x + 1)]! + 0.5 * p[Math.min(239, y + 1) * 300 + x]!
    return (x: number, y: number, c: number) => 0.02 * (0.8 * soft(planes[3]!, x, y) + 0.6 * soft(planes[c]!, x, y))
  }
  const of = grainy(20)
  const raster = picture(300, 240, (x, y) => [0, 1, 2].map((c) => 0.45 + (Math.sqrt((x - 150) ** 2 + (y - 120) ** 2) < 60 ? 0 : of(x, y, c))))
  const result = corrected(raster, 'grain', disc(150, 120, 60), {}, true)

  /** Power of a row of 64 samples at so many periods, by definition of the Fourier transform, mean over rows and channels. */
  function power(source: IntegerRaster, left: number, top: number, k: number): number {
    let sum = 0
    for (let y = top; y < top + 60; y++) {
      for (let c = 0; c < 3; c++) {
        let [re, im] = [0, 0]
        for (let x = 0; x < 64; x++) {
          const v = source.data[(y * 300 + left + x) * 3 + c]! / 65535 - 0.45
          re += v * Math.cos((2 * Math.PI * k * x) / 64)
          im += v * Math.sin((2 * Math.PI * k * x) / 64)
        }
        sum += re * re + im * im
      }
    }
    return sum / 180
  }

  it('has the strength of the surroundings (0.85 to 1.15) and its spectrum within 2 dB in every band', () => {
    const band = (left: number, top: number, from: number, to: number) => { let sum = 0; for (let k = from; k < to; k++) sum += power(result, left, top, k); return sum }
    expect(Math.sqrt(band(118, 90, 8, 32) / band(8, 8, 8, 32))).toBeGreaterThan(0.85)
    expect(Math.sqrt(band(118, 90, 8, 32) / band(8, 8, 8, 32))).toBeLessThan(1.15)
    for (const [from, to] of [[3, 8], [8, 14], [14, 20], [20, 26], [26, 32]] as const) expect(Math.abs(10 * Math.log10(band(118, 90, from, to) / band(8, 8, from, to))), `${from} to ${to}`).toBeLessThan(2)
  })

  it('changes neither brightness nor colour on the mean, by no more than 0.2 of 255', () => {
    for (let c = 0; c < 3; c++) {
      let [sum, count] = [0, 0]
      for (let y = 80; y < 160; y++) for (let x = 110; x < 190; x++) { sum += result.data[(y * 300 + x) * 3 + c]!; count++ }
      expect(Math.abs(sum / count / 257 - 0.45 * 255)).toBeLessThan(0.2)
    }
  })
})

describe('mends on the corrected picture', () => {
  it('see the corrections below them, at full size and on smaller levels', () => {
    const normal = normalOf(30)
    const raster = picture(200, 160, (x, y) => { const v = (Math.sqrt((x - 100) ** 2 + (y - 80) ** 2) < 9 ? 0.15 : 0.4) + 0.004 * normal(); return [v, v, v] })
    const lighter = stepOf(raster, 'lighten', null, { stops: 1 })
    const below = new Chain(base(raster), { operations: [lighter] }).survey(undefined, levelsOf(raster).read)
    const mend = makeOperationStep('m', 'heal', { points: [[100, 80]], widthPx: 24 }, below, contextOf(base(raster)))
    checkOperationSteps([mend])
    const chain = new Chain(base(raster), { operations: [lighter, mend] })
    const full = chain.read(whole(raster), 0, (region) => crop(raster, region))
    const around = full.data[(80 * 200 + 40) * 3]!
    expect(full.data[(80 * 200 + 100) * 3]!).toBeCloseTo(around, 1)
    expect(around).toBeGreaterThan(0.5)
    const half = chain.read({ x: 0, y: 0, width: 100, height: 80 }, 1, levelsOf(raster).read)
    expect(half.data[(40 * 100 + 50) * 3]!).toBeCloseTo(around, 1)
  })
})

describe('telltales of an area', () => {
  const normal = normalOf(40)
  const noise = Float32Array.from({ length: 260 * 200 }, () => 0.012 * normal())
  const dark = picture(260, 200, (x, y) => { const v = 0.45 + 0.05 * Math.sin(x / 9) * Math.sin(y / 11) + noise[y * 260 + x]!; return [v, v, v] })
  const light = picture(260, 200, (x, y) => { const v = 0.85 + noise[y * 260 + x]!; return [v, v, v] })
  const measure = (name: string, settings: Record<string, unknown>, softEdgePx: number, raster = dark) => {
    const zone = disc(130, 100, 60, softEdgePx)
    const step = stepOf(raster, name, zone, settings)
    const [before, after] = [[], [step]].map((operations) => new Chain(base(raster), { operations, areas: [zone] }).survey('z', levelsOf(raster).read))
    return measureAreaStep(before!, after!, contextOf(base(raster)), operationOf(name))
  }

  it('are silent where nothing is wrong', () => {
    const { zoneEdge, grain, detailLost, clipped, leftOver } = measure('lighten', { stops: 0 }, 0)
    expect(zoneEdge.value).toBeLessThan(zoneEdge.limit)
    expect(Math.abs(grain.value - 1)).toBeLessThan(grain.limit)
    expect(detailLost.value).toBeLessThan(0.05)
    expect(clipped.value).toBe(0)
    expect(leftOver!.value).toBeLessThan(leftOver!.limit)
  })

  it('tell a step along a sharp edge, grain that is gone, detail lost, clipping and another tone', () => {
    const bright = measure('lighten', { stops: 0.6 }, 0)
    expect(bright.zoneEdge.value).toBeGreaterThan(bright.zoneEdge.limit)
    expect(bright.leftOver!.value).toBeGreaterThan(bright.leftOver!.limit)
    // What makes nothing alike leaves nothing over: its zone may lie beside a subject of any colour.
    expect(measure('clear-specks', { radiusPx: 4 }, 4).leftOver).toBeNull()
    const flat = measure('even-out', { radiusPx: 12, edges: 20, blurPx: 3 }, 4)
    expect(1 - flat.grain.value).toBeGreaterThan(flat.grain.limit)
    expect(flat.detailLost.value).toBeGreaterThan(flat.detailLost.limit)
    const clipped = measure('lighten', { stops: 1 }, 4, light)
    expect(clipped.clipped.value).toBeGreaterThan(clipped.clipped.limit)
  })
})

describe('what explains telltales of an area', () => {
  const normal = normalOf(41)
  const flat = picture(260, 200, () => { const v = 0.5 + 0.012 * normal(); return [v, v, v] })
  const explain = (name: string, settings: Record<string, unknown>, softEdgePx = 0) => {
    const zone = disc(130, 100, 60, softEdgePx)
    const [before, after] = [[], [stepOf(flat, name, zone, settings)]].map((operations) => new Chain(base(flat), { operations, areas: [zone] }).survey('z', levelsOf(flat).read))
    return explainAreaStep(before!, after!, contextOf(base(flat)))
  }
  it('the profile steps at the edge by what the correction lightens, and only inside', () => {
    const { profile, tones } = explain('lighten', { stops: 0.5 })
    expect(profile.map(({ distance }) => distance)).toEqual([...profile.map(({ distance }) => distance)].sort((a, b) => a - b))
    for (const { distance, before, after } of profile) {
      expect(before).toBeCloseTo(0.5, 1)
      if (distance > 1) expect(after).toBeCloseTo(before, 6)
      if (distance < -1) expect(after - before).toBeGreaterThan(0.06)
    }
    const mean = (shares: readonly number[]) => shares.reduce((sum, share, k) => sum + share * (k + 0.5), 0) / shares.length
    expect(tones.before.reduce((sum, share) => sum + share, 0)).toBeCloseTo(1, 9)
    expect(mean(tones.after) - mean(tones.before)).toBeGreaterThan(0.06)
  })
  it('the spectrum of white noise is level, and what is smoothed away is missing from it', () => {
    // The power of white noise of deviation s in a line of n samples is n s^2 at every frequency but the ends (periodogram).
    const { spectrum } = explain('even-out', { radiusPx: 12, edges: 20, blurPx: 3 }, 4)
    for (const { frequency, before, outside } of spectrum.slice(1, -1)) {
      expect(before / (16 * 0.012 * 0.012), `${frequency}`).toBeGreaterThan(0.6)
      expect(before / (16 * 0.012 * 0.012), `${frequency}`).toBeLessThan(1.6)
      expect(outside / before).toBeGreaterThan(0.6)
      expect(outside / before).toBeLessThan(1.6)
    }
    expect(spectrum.at(-2)!.inside / spectrum.at(-2)!.outside).toBeLessThan(0.3)
  })
  it('says nothing of an edge that a correction of the whole picture has not', () => {
    const before = new Chain(base(flat), { operations: [], areas: [] }).survey(undefined, levelsOf(flat).read)
    const { profile, spectrum } = explainAreaStep(before, before, contextOf(base(flat)))
    expect(profile).toEqual([])
    expect(spectrum).toEqual([])
  })
})

describe('proposed zones', () => {
  it('are a sky, the dark ground, and the border of a print, each within a few pixels of the truth', () => {
    const normal = normalOf(50)
    const landscape = picture(240, 180, (x, y) => { const hill = 90 + 12 * Math.sin(x / 30); return y < hill ? [0.5 + 0.0008 * y, 0.62, 0.85].map((v) => v + 0.004 * normal()) : [0.14, 0.2, 0.1].map((v) => v + 0.05 * Math.abs(normal())) })
    const zones = proposeZones(toFloat(landscape), 4, contextOf(base(landscape)))
    const sky = zones.find(({ name }) => name === 'the sky')!
    expect(sky.share).toBeCloseTo(0.5, 1)
    expect(zones.some(({ name }) => name === 'the dark ground')).toBe(true)
    const print = picture(240, 180, (x, y) => (x < 14 || y < 14 || x >= 226 || y >= 166 ? [0.92, 0.9, 0.84] : [0.3 + 0.2 * Math.sin(x / 7), 0.3, 0.25]))
    const border = proposeZones(toFloat(print), 1, contextOf(base(print))).find(({ name }) => name === 'paper border')!
    expect(border.share).toBeCloseTo(1 - (212 * 152) / (240 * 180), 1)
    expect(operationOf('match').stage).toBe('correct')
  })
})
