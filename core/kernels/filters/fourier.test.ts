import { createRequire } from 'node:module'
import type cvModule from '@techstark/opencv-js'
import { beforeAll, describe, expect, it } from 'vitest'
import { makeRandom } from '../../random.js'
import { FourierSquare } from './fourier.js'

let cv: typeof cvModule
beforeAll(async () => {
  cv = createRequire(import.meta.url)('@techstark/opencv-js') as typeof cvModule
  if (!cv.Mat) await new Promise<void>((resolve) => (cv.onRuntimeInitialized = () => resolve()))
}, 60000)

function noise(side: number): { real: Float64Array; imaginary: Float64Array } {
  const random = makeRandom(side)
  const plane = () => Float64Array.from({ length: side * side }, () => random.uniform() - 0.5)
  return { real: plane(), imaginary: plane() }
}

function transformed(real: Float64Array, imaginary: Float64Array, side: number): FourierSquare {
  const square = new FourierSquare(side)
  square.real.set(real)
  square.imaginary.set(imaginary)
  square.transform()
  return square
}

describe('the Fourier transform of a square', () => {
  // cv.dft of @techstark/opencv-js, a general-purpose library.
  it.each([2, 8, 32])('of side %i equals that of the computer-vision library', (side) => {
    const { real, imaginary } = noise(side)
    const source = new cv.Mat(side, side, cv.CV_32FC2)
    real.forEach((value, i) => {
      source.data32F[2 * i] = value
      source.data32F[2 * i + 1] = imaginary[i]!
    })
    const result = new cv.Mat()
    cv.dft(source, result, 0, 0)
    const square = transformed(real, imaginary, side)
    square.real.forEach((value, i) => {
      expect(value).toBeCloseTo(result.data32F[2 * i]!, 3)
      expect(square.imaginary[i]!).toBeCloseTo(result.data32F[2 * i + 1]!, 3)
    })
    source.delete()
    result.delete()
  })

  it('keeps the energy (Parseval)', () => {
    const { real, imaginary } = noise(16)
    const energy = (a: Float64Array, b: Float64Array) => a.reduce((sum, value, i) => sum + value * value + b[i]! * b[i]!, 0)
    const square = transformed(real, imaginary, 16)
    expect(energy(square.real, square.imaginary) / 256).toBeCloseTo(energy(real, imaginary), 9)
  })

  it('refuses a side that is no power of two', () => {
    expect(() => new FourierSquare(12)).toThrow(RangeError)
  })

  it('tells two real squares apart that were taken in as one, less their means and faded', () => {
    const side = 8
    const random = makeRandom(3)
    const plane = { width: 21, height: 9, data: Float32Array.from({ length: 21 * 9 }, () => random.uniform()) }
    const fade = Float64Array.from({ length: side }, (_value, k) => (k + 1) * (side - k))
    const faded = (left: number, top: number) => {
      const values = Float64Array.from({ length: side * side }, (_value, i) => plane.data[(top + Math.floor(i / side)) * 21 + left + (i % side)]!)
      const mean = values.reduce((sum, value) => sum + value, 0) / values.length
      return values.map((value, i) => fade[i % side]! * fade[Math.floor(i / side)]! * (value - mean))
    }
    const square = new FourierSquare(side)
    square.fadeIn('real', plane, 2, 0, fade)
    square.fadeIn('imaginary', plane, 12, 1, fade)
    square.transform()
    const [first, second] = [square.energiesOf('real').slice(), square.energiesOf('imaginary').slice()]
    for (const [energies, values] of [[first, faded(2, 0)], [second, faded(12, 1)]] as const) {
      const alone = transformed(values, new Float64Array(side * side), side)
      const most = Math.max(...energies)
      energies.forEach((energy, i) => expect(energy / most).toBeCloseTo((alone.real[i]! ** 2 + alone.imaginary[i]! ** 2) / most, 5))
    }
  })

  it('says of which groups of places one may have many times the median of its energies', () => {
    const side = 16
    const random = makeRandom(8)
    // By the energies: places of every length, from one to as many as there are rows.
    const groups = Array.from({ length: side }, (_value, n) => Int32Array.from({ length: n + 1 }, (_place, k) => side * k + n))
    const square = new FourierSquare(side, groups)
    square.imaginary.fill(0)
    square.real.set(Float64Array.from({ length: side * side }, (_value, i) => (i % 37 === 0 ? 9 : 1) * (random.uniform() - 0.5)))
    square.transform()
    const energies = square.energiesOf('real').slice()
    const told = [2, 15, 60].map((times) => Array.from(square.standOut(times)))
    const expected = [2, 15, 60].map((times) => groups.map((places) => {
      const values = Array.from(places, (place) => energies[place]!)
      return 2 * values.filter((value) => value > Math.max(...values) / times).length <= values.length ? 1 : 0
    }))
    expect(told).toEqual(expected)
    expect(new Set(told.flat())).toEqual(new Set([0, 1]))
  })
})
