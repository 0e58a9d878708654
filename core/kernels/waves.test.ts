import { describe, expect, it } from 'vitest'
import { makeRandom } from '../random.js'
import { WaveTable, type WaveWindow } from './waves.js'

const SIDE = 8
const HALF = SIDE / 2 + 1
const wrap = (k: number) => ((k % SIDE) + SIDE) % SIDE

/** Discrete Fourier transform by its definition. */
function spectrum(values: Float64Array): { real: Float64Array; imaginary: Float64Array } {
  const real = new Float64Array(values.length)
  const imaginary = new Float64Array(values.length)
  for (let v = 0; v < SIDE; v++) for (let u = 0; u < SIDE; u++) values.forEach((value, i) => {
    const phase = (2 * Math.PI * (u * (i % SIDE) + v * Math.floor(i / SIDE))) / SIDE
    real[v * SIDE + u]! += value * Math.cos(phase)
    imaginary[v * SIDE + u]! -= value * Math.sin(phase)
  })
  return { real, imaginary }
}

/** The same by the definition: what is left is transformed anew after every wave, in double precision. */
function slowSum(weights: Float64Array, channels: readonly Float64Array[], prior: Float32Array, most: number, share: number): Float64Array[] {
  const left = channels.map((plane) => plane.slice())
  const total = weights.reduce((sum, value) => sum + value, 0)
  for (let n = 0; n < most; n++) {
    const spectra = left.map((plane) => spectrum(plane.map((value, i) => value * weights[i]!)))
    let [best, column, row] = [0, 0, 0]
    for (let v = 0; v < SIDE; v++) {
      for (let u = 0; u < HALF; u++) {
        const energy = spectra.reduce((sum, { real, imaginary }) => sum + real[v * SIDE + u]! ** 2 + imaginary[v * SIDE + u]! ** 2, 0) * prior[v * HALF + u]!
        if (energy > best * (1 + 1e-6)) [best, column, row] = [energy, u, v]
      }
    }
    const own = wrap(-column) === column && wrap(-row) === row
    left.forEach((plane, c) => {
      const at = row * SIDE + column
      const real = ((own ? 0.5 : 1) * share * spectra[c]!.real[at]!) / total
      const imaginary = own ? 0 : (share * spectra[c]!.imaginary[at]!) / total
      plane.forEach((_value, i) => {
        const phase = (2 * Math.PI * (column * (i % SIDE) + row * Math.floor(i / SIDE))) / SIDE
        plane[i]! -= 2 * (real * Math.cos(phase) - imaginary * Math.sin(phase))
      })
    })
  }
  return channels.map((plane, c) => plane.map((value, i) => value - left[c]![i]!))
}

/** Weights with holes, and planes about the middle that mean nothing. */
function noise(seed: number, count: number): { weights: Float64Array; channels: Float32Array[] } {
  const random = makeRandom(seed)
  const weights = Float64Array.from({ length: SIDE * SIDE }, () => (random.uniform() < 0.25 ? 0 : 0.2 + random.uniform()))
  return { weights, channels: Array.from({ length: count }, () => Float32Array.from(weights, () => 0.45 + 0.1 * random.uniform())) }
}

const everywhere = Int32Array.from({ length: SIDE * SIDE }, (_value, i) => i)
const likely = new Float32Array(SIDE * HALF).fill(1)

/** What a window that covers the whole of a picture says of all of its pixels. */
function fastSum(weights: Float64Array, channels: readonly Float32Array[], prior: Float32Array, limits: Pick<WaveWindow, 'most' | 'share' | 'least'>): Float32Array[] {
  const filled = channels.map((plane) => plane.slice())
  const table = new WaveTable({ width: SIDE, height: SIDE, channels: filled, known: new Uint8Array(SIDE * SIDE).fill(1) }, { side: SIDE, says: weights, secondHand: 0.5, prior, ...limits })
  expect(table.continueInto(0, 0, everywhere)).toBe(true)
  return filled
}

/** The mean that a window takes away before it looks for waves, put back. */
function slowFill(weights: Float64Array, channels: readonly Float32Array[], prior: Float32Array, most: number, share: number): Float64Array[] {
  const total = weights.reduce((sum, value) => sum + value, 0)
  const means = channels.map((plane) => plane.reduce((sum, value, i) => sum + value * weights[i]!, 0) / total)
  const sums = slowSum(weights, channels.map((plane, c) => Float64Array.from(plane, (value) => value - means[c]!)), prior, most, share)
  return sums.map((plane, c) => plane.map((value) => value + means[c]!))
}

describe('the continuation of a window', () => {
  it.each([1, 2, 3, 4])('in %i channels equals the slow, obvious one', (count) => {
    const { weights, channels } = noise(40 + count, count)
    const random = makeRandom(count)
    const prior = Float32Array.from({ length: SIDE * HALF }, () => 0.5 + 0.5 * random.uniform())
    const fast = fastSum(weights, channels, prior, { most: 12, share: 0.5, least: 0 })
    const slow = slowFill(weights, channels, prior, 12, 0.5)
    for (const place of everywhere) for (let c = 0; c < count; c++) expect(fast[c]![place]).toBeCloseTo(slow[c]![place]!, 5)
  })

  it('with likelihoods up to a frequency only equals the slow one: rows and columns beyond are left out', () => {
    const { weights, channels } = noise(90, 3)
    const prior = likely.map((_value, i) => (Math.max(i % HALF, Math.abs(wrap(Math.floor(i / HALF) + SIDE / 2) - SIDE / 2)) > 2 ? 0 : 1))
    const fast = fastSum(weights, channels, prior, { most: 12, share: 0.5, least: 0 })
    const slow = slowFill(weights, channels, prior, 12, 0.5)
    for (const place of everywhere) for (let c = 0; c < 3; c++) expect(fast[c]![place]).toBeCloseTo(slow[c]![place]!, 5)
  })

  it('stops when what is left is small beside the first wave', () => {
    const wave = Float32Array.from(everywhere, (i) => 0.2 * Math.cos((2 * Math.PI * 2 * (i % SIDE)) / SIDE))
    const [sum] = fastSum(new Float64Array(SIDE * SIDE).fill(1), [wave.map((value) => 0.5 + value)], likely, { most: 50, share: 0.5, least: 0.01 })
    // Halved four times, its energy is below a hundredth: one part in sixteen is left.
    wave.forEach((value, i) => expect(sum![i]).toBeCloseTo(0.5 + (15 / 16) * value, 5))
  })
})

describe('a window over the edge of a picture', () => {
  const width = 12
  const limits = { most: 4, share: 0.5, least: 0 }
  const says = new Float64Array(SIDE * SIDE).fill(1)
  const table = (plane: Float32Array, known: Uint8Array, secondHand: number) => new WaveTable({ width, height: SIDE, channels: [plane], known }, { side: SIDE, says, secondHand, prior: likely.map((_value, i) => (i === 0 ? 1 : 0)), ...limits })

  it('changes the pixels that were asked for, and no others', () => {
    const plane = new Float32Array(width * SIDE).fill(0.4)
    const known = new Uint8Array(plane.length).fill(1)
    for (const i of [0, 13]) [plane[i], known[i]] = [0.9, 0]
    expect(table(plane, known, 1).continueInto(-3, -2, [13])).toBe(true)
    plane.forEach((value, i) => expect(value).toBeCloseTo(i === 0 ? 0.9 : 0.4, 6))
  })

  it('sees nothing where nothing is known, and what was filled at second hand', () => {
    const plane = new Float32Array(width * SIDE)
    const known = new Uint8Array(plane.length)
    // Known is one pixel at the far left; the window at the right cannot see it.
    known[0] = 1
    plane[0] = 0.3
    const waves = table(plane, known, 0.25)
    expect(waves.continueInto(7, 0, [11])).toBe(false)
    expect(plane[11]).toBe(0)
    expect(waves.continueInto(0, 0, [7])).toBe(true)
    expect(plane[7]).toBeCloseTo(0.3, 6)
    // Through the window at the left both are seen: the filled one, made to differ, says a quarter.
    expect(waves.continueInto(7, 0, [11])).toBe(true)
    expect(plane[11]).toBeCloseTo(0.3, 6)
  })

  it('lets a filled pixel say less than a known one', () => {
    const plane = new Float32Array(width * SIDE)
    const known = new Uint8Array(plane.length)
    ;[plane[0], known[0]] = [0.2, 1]
    ;[plane[9], known[9]] = [0.8, 1]
    const waves = table(plane, known, 0.5)
    // Seen from the left are 0.2 and nothing else: the middle gets it, and is seen from the right beside 0.8.
    waves.continueInto(0, 0, [6])
    expect(plane[6]).toBeCloseTo(0.2, 6)
    waves.continueInto(4, 0, [5])
    expect(plane[5]).toBeCloseTo((0.5 * 0.2 + 0.8) / 1.5, 6)
  })
})
