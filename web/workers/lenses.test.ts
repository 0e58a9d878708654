import { describe, expect, it } from 'vitest'
import type { FloatRaster } from '@fennip/core/raster/raster.js'
import { asChange, asGrain, asNegative, asRelief } from './lenses.js'

const grey = (width: number, ...values: number[]): FloatRaster => ({ width, height: values.length / width, channels: 1, data: Float32Array.from(values) })

describe('lenses', () => {
  it('negative turns dark and light round', () => {
    const { data } = asNegative(grey(3, 0, 0.3, 1), 0.5)
    expect([data[0], data[2]]).toEqual([1, 0])
    expect(data[1]).toBeGreaterThan(0.7)
  })
  it('negative opens dark tones further the stronger it is', () => {
    const bright = grey(1, 0.8)
    expect(asNegative(bright, 0.9).data[0]).toBeGreaterThan(asNegative(bright, 0.1).data[0]!)
  })
  it('relief shows an even ground as mid grey and raises a faint spot, more with strength', () => {
    const size = 41
    const middle = 20 * size + 20
    const picture = grey(size, ...Array.from({ length: size * size }, (_, i) => (i === middle ? 0.69 : 0.7)))
    const [weak, strong] = [asRelief(picture, 8, 0.2).data, asRelief(picture, 8, 0.9).data]
    expect(weak[0]).toBeCloseTo(0.5, 5)
    expect(0.5 - weak[middle]!).toBeGreaterThan(0.04)
    expect(strong[middle]).toBeLessThan(weak[middle]!)
  })
  it('relief of 16 bit samples shows steps that 8 bits do not have', () => {
    // Two tones a quarter of a level of 8 bits apart: 16 times that is four levels on the screen.
    const step = 0.25 / 255
    const { data } = asRelief(grey(8, ...Array.from({ length: 64 }, (_, i) => 0.5 + (i % 8 < 4 ? 0 : step))), 4, 1)
    expect((Math.max(...data) - Math.min(...data)) * 255).toBeGreaterThan(2)
  })
  it('relief takes the mean of what there is at a corner', () => {
    const { data } = asRelief(grey(2, 0.4, 0.4, 0.4, 0.6), 1, 0)
    // Gain 2 at strength 0; the mean is 0.45.
    expect(data[0]).toBeCloseTo(0.4, 5)
    expect(data[3]).toBeCloseTo(0.8, 5)
  })
  it('grain shows what is fine and takes away what is broad', () => {
    const size = 32
    const ramp: FloatRaster = { width: size, height: size, channels: 3, data: new Float32Array(3 * size * size) }
    for (let i = 0; i < size * size; i++) for (let c = 0; c < 3; c++) ramp.data[3 * i + c] = 0.2 + 0.01 * (i % size) + (c === 1 && i % 2 === 0 && i % size > 15 ? 0.02 : 0)
    const { data } = asGrain(ramp, 0)
    const at = (x: number, y: number, c: number) => data[3 * (y * size + x) + c]!
    // A ramp differs nowhere from the mean around it; a chequer of .02 in green stands out by about half of it, twice.
    for (const c of [0, 1, 2]) expect(at(8, 16, c)).toBeCloseTo(0.5, 4)
    expect(at(24, 16, 0)).toBeCloseTo(0.5, 4)
    expect(Math.abs(at(24, 16, 1) - 0.5)).toBeGreaterThan(0.012)
    expect(Math.abs(at(24, 16, 1) - 0.5)).toBeLessThan(0.026)
  })
  it('change is mid grey where nothing changed and multiplied elsewhere', () => {
    const { data } = asChange(grey(2, 0.4, 0.4), grey(2, 0.4, 0.42), 6)
    expect(data[0]).toBeCloseTo(0.5, 6)
    expect(data[1]).toBeCloseTo(0.62, 5)
  })
})
