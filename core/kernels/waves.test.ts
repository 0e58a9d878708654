import { describe, expect, it } from 'vitest'
import { makeRandom } from '../random.js'
import { transformSquare } from '../raster/fourier.js'
import { chooseWaves, type Spectrum } from './waves.js'

const SIDE = 8
const HALF = SIDE / 2 + 1
const wrap = (k: number) => ((k % SIDE) + SIDE) % SIDE

function spectrum(values: Float64Array): Spectrum {
  const real = values.slice()
  const imaginary = new Float64Array(values.length)
  transformSquare(real, imaginary, SIDE)
  return { real, imaginary }
}

/** The same by the definition: what is left is transformed anew after every wave, in double precision. */
function slowWaves(weights: Float64Array, channels: readonly Float64Array[], prior: Float32Array, most: number, share: number): { column: number; row: number; parts: number[] }[] {
  const left = channels.map((plane) => plane.slice())
  const total = weights.reduce((sum, value) => sum + value, 0)
  const chosen: { column: number; row: number; parts: number[] }[] = []
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
    const parts: number[] = []
    left.forEach((plane, c) => {
      const at = row * SIDE + column
      const real = ((own ? 0.5 : 1) * share * spectra[c]!.real[at]!) / total
      const imaginary = own ? 0 : (share * spectra[c]!.imaginary[at]!) / total
      parts.push(real, imaginary)
      plane.forEach((_value, i) => {
        const phase = (2 * Math.PI * (column * (i % SIDE) + row * Math.floor(i / SIDE))) / SIDE
        plane[i]! -= 2 * (real * Math.cos(phase) - imaginary * Math.sin(phase))
      })
    })
    chosen.push({ column, row, parts })
  }
  return chosen
}

describe('the choice of waves', () => {
  it.each([1, 3])('in %i channels equals the slow, obvious one', (count) => {
    const random = makeRandom(40 + count)
    const weights = Float64Array.from({ length: SIDE * SIDE }, () => (random.uniform() < 0.25 ? 0 : 0.2 + random.uniform()))
    const channels = Array.from({ length: count }, () => Float64Array.from(weights, () => random.uniform() - 0.5))
    const prior = Float32Array.from({ length: SIDE * HALF }, () => 0.5 + 0.5 * random.uniform())
    const fast = chooseWaves(SIDE, spectrum(weights), channels.map((plane) => spectrum(plane.map((value, i) => value * weights[i]!))), prior, 12, 0.5, 0)
    const slow = slowWaves(weights, channels, prior, 12, 0.5)
    expect(fast.count).toBe(12)
    slow.forEach(({ column, row, parts }, n) => {
      // A wave in the first or the middle column has its mirror image there too.
      const mirrored = fast.rows[n] === wrap(-row) && fast.rows[n] !== row
      expect([fast.columns[n], mirrored ? wrap(-row) : row]).toEqual([column, fast.rows[n]])
      parts.forEach((part, k) => expect(fast.parts[2 * count * n + k]).toBeCloseTo(mirrored && k % 2 === 1 ? -part : part, 4))
    })
  })

  it('stops when what is left is small beside the first wave', () => {
    const weights = new Float64Array(SIDE * SIDE).fill(1)
    const plane = Float64Array.from(weights, (_value, i) => Math.cos((2 * Math.PI * 2 * (i % SIDE)) / SIDE))
    const waves = chooseWaves(SIDE, spectrum(weights), [spectrum(plane)], new Float32Array(SIDE * HALF).fill(1), 50, 0.5, 0.01)
    // Halved four times, the energy is below a hundredth.
    expect(waves.count).toBe(4)
    expect([...waves.columns]).toEqual([2, 2, 2, 2])
  })
})
