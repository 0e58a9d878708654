import { describe, expect, it } from 'vitest'
import { makeRandom } from '../random.js'
import { transformSquare } from '../raster/fourier.js'
import { continueWindow } from './waves.js'

const SIDE = 8
const HALF = SIDE / 2 + 1
const wrap = (k: number) => ((k % SIDE) + SIDE) % SIDE

function spectrum(values: Float64Array): { real: Float64Array; imaginary: Float64Array } {
  const real = values.slice()
  const imaginary = new Float64Array(values.length)
  transformSquare(real, imaginary, SIDE)
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

/** Weights with holes, and planes that mean nothing. */
function noise(seed: number, count: number): { weights: Float64Array; channels: Float64Array[] } {
  const random = makeRandom(seed)
  const weights = Float64Array.from({ length: SIDE * SIDE }, () => (random.uniform() < 0.25 ? 0 : 0.2 + random.uniform()))
  return { weights, channels: Array.from({ length: count }, () => Float64Array.from(weights, () => random.uniform() - 0.5)) }
}

const weightedBy = (weights: Float64Array) => (plane: Float64Array) => plane.map((value, i) => value * weights[i]!)
const everywhere = Int32Array.from({ length: SIDE * SIDE }, (_value, i) => i)

describe('the continuation of a window', () => {
  it.each([1, 2, 3, 4])('in %i channels equals the slow, obvious one', (count) => {
    const { weights, channels } = noise(40 + count, count)
    const random = makeRandom(count)
    const prior = Float32Array.from({ length: SIDE * HALF }, () => 0.5 + 0.5 * random.uniform())
    const fast = continueWindow({ side: SIDE, weights, weighted: channels.map(weightedBy(weights)) }, prior, { most: 12, share: 0.5, least: 0 }, everywhere)
    const slow = slowSum(weights, channels, prior, 12, 0.5)
    for (const place of everywhere) for (let c = 0; c < count; c++) expect(fast[place * count + c]).toBeCloseTo(slow[c]![place]!, 4)
  })

  it('with likelihoods up to a frequency only equals the slow one: rows and columns beyond are left out', () => {
    const { weights, channels } = noise(90, 3)
    const prior = Float32Array.from({ length: SIDE * HALF }, (_value, i) => (Math.max(i % HALF, Math.abs(wrap(Math.floor(i / HALF) + SIDE / 2) - SIDE / 2)) > 2 ? 0 : 1))
    const fast = continueWindow({ side: SIDE, weights, weighted: channels.map(weightedBy(weights)) }, prior, { most: 12, share: 0.5, least: 0 }, everywhere)
    const slow = slowSum(weights, channels, prior, 12, 0.5)
    for (const place of everywhere) for (let c = 0; c < 3; c++) expect(fast[place * 3 + c]).toBeCloseTo(slow[c]![place]!, 4)
  })

  it('is told of the places that were asked for, in their order', () => {
    const { weights, channels } = noise(7, 3)
    const prior = new Float32Array(SIDE * HALF).fill(1)
    const seen = { side: SIDE, weights, weighted: channels.map(weightedBy(weights)) }
    const limits = { most: 20, share: 0.5, least: 0 }
    const all = continueWindow(seen, prior, limits, everywhere)
    expect([...continueWindow(seen, prior, limits, Int32Array.of(9, 63, 0))]).toEqual([9, 63, 0].flatMap((place) => [...all.subarray(3 * place, 3 * place + 3)]))
  })

  it('stops when what is left is small beside the first wave', () => {
    const weights = new Float64Array(SIDE * SIDE).fill(1)
    const plane = Float64Array.from(weights, (_value, i) => Math.cos((2 * Math.PI * 2 * (i % SIDE)) / SIDE))
    const sum = continueWindow({ side: SIDE, weights, weighted: [plane] }, new Float32Array(SIDE * HALF).fill(1), { most: 50, share: 0.5, least: 0.01 }, everywhere)
    // Halved four times, its energy is below a hundredth: one part in sixteen is left.
    plane.forEach((value, i) => expect(sum[i]).toBeCloseTo((15 / 16) * value, 5))
  })
})
