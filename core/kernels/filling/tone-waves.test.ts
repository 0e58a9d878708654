import { describe, expect, it } from 'vitest'
import { makeRandom } from '../../random.js'
import { TONE_FINEST, TONE_WINDOW as SIDE, ToneTable, type ToneWindow } from './tone-waves.js'

const PIXELS = SIDE * SIDE
type Spectrum = { real: Float64Array; imaginary: Float64Array }
const frequencies = Array.from({ length: (TONE_FINEST + 1) * (2 * TONE_FINEST + 1) }, (_value, i) => ({ u: Math.floor(i / (2 * TONE_FINEST + 1)), v: (i % (2 * TONE_FINEST + 1)) - TONE_FINEST }))
const phase = (u: number, v: number, i: number) => (2 * Math.PI * (u * (i % SIDE) + v * Math.floor(i / SIDE))) / SIDE

/** Discrete Fourier transform by its definition, at the frequencies that may be chosen. */
function spectrum(values: Float64Array): Spectrum {
  const real = new Float64Array(frequencies.length)
  const imaginary = new Float64Array(frequencies.length)
  frequencies.forEach(({ u, v }, k) => values.forEach((value, i) => {
    real[k]! += value * Math.cos(phase(u, v, i))
    imaginary[k]! -= value * Math.sin(phase(u, v, i))
  }))
  return { real, imaginary }
}

/** The sum of waves by the definition: what is left is transformed anew after every wave, in double precision. */
function slowSum(weights: Float64Array, channels: readonly Float32Array[], { prior, most, share }: Pick<ToneWindow, 'prior' | 'most' | 'share'>): Float64Array[] {
  const total = weights.reduce((sum, value) => sum + value, 0)
  const means = channels.map((plane) => plane.reduce((sum, value, i) => sum + value * weights[i]!, 0) / total)
  const left = channels.map((plane, c) => Float64Array.from(plane, (value) => value - means[c]!))
  for (let n = 0; n < most; n++) {
    const spectra = left.map((plane) => spectrum(plane.map((value, i) => value * weights[i]!)))
    let [best, strongest] = [0, 0]
    frequencies.forEach(({ u, v }, k) => {
      const real = spectra.reduce((sum, one) => sum + one.real[k]!, 0)
      const imaginary = spectra.reduce((sum, one) => sum + one.imaginary[k]!, 0)
      const energy = (real * real + imaginary * imaginary) * prior(u, v)
      if (energy > strongest * (1 + 1e-5)) [best, strongest] = [k, energy]
    })
    const { u, v } = frequencies[best]!
    const own = u === 0 && v === 0
    left.forEach((plane, c) => {
      const real = ((own ? 0.5 : 1) * share * spectra[c]!.real[best]!) / total
      const imaginary = own ? 0 : (share * spectra[c]!.imaginary[best]!) / total
      plane.forEach((_value, i) => { plane[i]! -= 2 * (real * Math.cos(phase(u, v, i)) - imaginary * Math.sin(phase(u, v, i))) })
    })
  }
  return channels.map((plane, c) => Float64Array.from(plane, (value, i) => value - left[c]![i]!))
}

const everywhere = Array.from({ length: PIXELS }, (_value, i) => i)
const window = (says: Float32Array, limits: Partial<ToneWindow> = {}): ToneWindow => ({ says, secondHand: 0.5, prior: () => 1, most: 6, share: 0.5, least: 0, ...limits })

describe('the continuation of a window by the tone of all channels', () => {
  it.each([1, 2, 3, 4])('in %i channels equals the slow, obvious one', (count) => {
    const random = makeRandom(70 + count)
    const says = Float32Array.from({ length: PIXELS }, () => 0.2 + random.uniform())
    const role = Uint8Array.from({ length: PIXELS }, () => (random.uniform() < 0.3 ? 1 : 0))
    const channels = Array.from({ length: count }, () => Float32Array.from({ length: PIXELS }, () => 0.45 + 0.1 * random.uniform()))
    const chances = frequencies.map(() => 0.5 + 0.5 * random.uniform())
    const prior = (u: number, v: number) => chances[u * (2 * TONE_FINEST + 1) + v + TONE_FINEST]!
    const slow = slowSum(Float64Array.from(says, (value, i) => (role[i] === 0 ? value : 0)), channels, { prior, most: 6, share: 0.5 })
    const table = new ToneTable({ width: SIDE, height: SIDE, channels, role }, window(says, { prior }))
    expect(table.continueInto(0, 0, everywhere)).toBe(true)
    for (let c = 0; c < count; c++) {
      const plane = table.plane(c)
      for (const i of everywhere) expect(plane[i]).toBeCloseTo(slow[c]![i]!, 5)
    }
  })

  it('chooses a wave that all channels have before a stronger one of which they have the opposite', () => {
    const common = Float32Array.from(everywhere, (i) => 0.1 * Math.cos(phase(2, 0, i)))
    const opposite = Float32Array.from(everywhere, (i) => 0.2 * Math.cos(phase(0, 5, i)))
    const channels = [common.map((value, i) => 0.5 + value + opposite[i]!), common.map((value, i) => 0.5 + value - opposite[i]!)]
    const table = new ToneTable({ width: SIDE, height: SIDE, channels, role: new Uint8Array(PIXELS) }, window(new Float32Array(PIXELS).fill(1), { most: 1, share: 1 }))
    table.continueInto(0, 0, everywhere)
    for (const c of [0, 1]) common.forEach((value, i) => expect(table.plane(c)[i]).toBeCloseTo(0.5 + value, 4))
  })

  it('stops when what is left is small beside the first wave', () => {
    const wave = Float32Array.from(everywhere, (i) => 0.2 * Math.cos(phase(2, 3, i)))
    const table = new ToneTable({ width: SIDE, height: SIDE, channels: [wave.map((value) => 0.5 + value)], role: new Uint8Array(PIXELS) }, window(new Float32Array(PIXELS).fill(1), { most: 50, least: 0.01 }))
    table.continueInto(0, 0, everywhere)
    // Halved four times, its energy is below a hundredth: one part in sixteen is left.
    wave.forEach((value, i) => expect(table.plane(0)[i]).toBeCloseTo(0.5 + (15 / 16) * value, 4))
  })
})

describe('a window over the edge of a picture', () => {
  const [width, height] = [45, 20]
  const says = new Float32Array(PIXELS).fill(1)
  const mean = { prior: (u: number, v: number) => (u === 0 && v === 0 ? 1 : 0), most: 1 }
  const table = (plane: Float32Array, role: Uint8Array, secondHand: number) => new ToneTable({ width, height, channels: [plane], role }, window(says, { ...mean, secondHand }))

  it('changes the pixels that were asked for, and no others', () => {
    const plane = new Float32Array(width * height).fill(0.4)
    const role = new Uint8Array(plane.length)
    for (const i of [0, 47, 48]) [plane[i], role[i]] = [0.9, i === 48 ? 2 : 1]
    const waves = table(plane, role, 1)
    expect(waves.continueInto(-7, -6, [47])).toBe(true)
    waves.plane(0).forEach((value, i) => expect(value).toBeCloseTo(i === 0 || i === 48 ? 0.9 : 0.4, 5))
  })

  it.each([1, 3, 6])('sees the last %i columns that a window reaches, and nothing where nothing is known', (columns) => {
    const plane = Float32Array.from({ length: width * height }, (_value, i) => (i % width < columns ? 0.3 : 0.8))
    const role = Uint8Array.from(plane, (_value, i) => (i % width < columns ? 0 : 1))
    const waves = table(plane, role, 0.25)
    expect(waves.continueInto(columns, 0, [columns])).toBe(false)
    expect(waves.plane(0)[columns]).toBeCloseTo(0.8, 6)
    expect(waves.continueInto(columns - SIDE, -12, [0])).toBe(true)
    expect(waves.plane(0)[0]).toBeCloseTo(0.3, 5)
  })

  it('lets a filled pixel say less than a known one', () => {
    const plane = new Float32Array(width * height)
    const role = new Uint8Array(plane.length).fill(1)
    ;[plane[0], role[0]] = [0.2, 0]
    ;[plane[44], role[44]] = [0.8, 0]
    const waves = table(plane, role, 0.5)
    // Seen from the left are 0.2 and nothing else: the middle gets it, and is seen from the right beside 0.8.
    waves.continueInto(0, 0, [20])
    expect(waves.plane(0)[20]).toBeCloseTo(0.2, 6)
    waves.continueInto(13, 0, [30])
    expect(waves.plane(0)[30]).toBeCloseTo((0.5 * 0.2 + 0.8) / 1.5, 5)
  })
})
