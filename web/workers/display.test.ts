import { describe, expect, it } from 'vitest'
import { makeMatrixProfile } from '@fennip/codec/test-profile.js'
import { greyProfile, readProfile, srgbProfile } from '@fennip/core/raster/profile.js'
import { makeRaster } from '@fennip/core/raster/raster.js'
import { asChange, asGrain, asNegative, asRelief, Display } from './display.js'

function painted(display: Display, samples: readonly number[], channels: 1 | 3, depth: 8 | 16): number[] {
  const raster = makeRaster(samples.length / channels, 1, channels, depth)
  raster.data.set(samples)
  const pixels = new Uint8ClampedArray(4 * raster.width)
  display.paint(raster, pixels)
  return [...pixels]
}

describe('true colours', () => {
  it('an sRGB picture of 8 bits is shown as it is', () => {
    expect(painted(new Display(srgbProfile(false), 8), [0, 17, 255, 130, 131, 132], 3, 8)).toEqual([0, 17, 255, 255, 130, 131, 132, 255])
  })
  it('16 bits are rounded to the nearest of 8', () => {
    const display = new Display(srgbProfile(true), 16)
    for (const value of [0, 1, 127, 128, 254, 255]) expect(painted(display, [257 * value, 257 * value + 128, 257 * value], 3, 16)[0]).toBe(value)
  })
  it('a grey picture is shown in three equal channels', () => {
    const [red, green, blue, alpha] = painted(new Display(greyProfile(false), 8), [99], 1, 8)
    expect([red, green, blue, alpha]).toEqual([99, 99, 99, 255])
  })
  it('a wider space is brought to the screen: its grey stays grey, its colours get stronger', () => {
    // Wide primaries with a gamma of 563/256, made as a profile by the rules of ICC.1:2022.
    const display = new Display(readProfile(makeMatrixProfile('Wide', 2.2), 3), 8)
    const [red, green, blue] = painted(display, [128, 128, 128], 3, 8) as [number, number, number]
    expect(Math.abs(red - green)).toBeLessThanOrEqual(1)
    expect(Math.abs(red - blue)).toBeLessThanOrEqual(1)
    // Gamma 2.2 at 128 is 0.2195 of the light, which is 128 in sRGB (IEC 61966-2-1) to within one level.
    expect(Math.abs(green - 128)).toBeLessThanOrEqual(1)
    const [r, g] = painted(display, [100, 200, 100], 3, 8) as [number, number]
    expect(r).toBeLessThan(100)
    expect(g).toBeGreaterThanOrEqual(200)
  })
})

describe('lenses', () => {
  const grey = (...values: number[]) => Uint8ClampedArray.from(values.flatMap((value) => [value, value, value, 255]))

  it('negative turns dark and light round and leaves alpha alone', () => {
    const pixels = grey(0, 80, 255)
    asNegative(pixels, 0.5)
    expect(pixels[0]).toBe(255)
    expect(pixels[8]).toBe(0)
    expect(pixels[4]).toBeGreaterThan(pixels[8]!)
    expect([pixels[3], pixels[7], pixels[11]]).toEqual([255, 255, 255])
  })
  it('negative opens dark tones further the stronger it is', () => {
    const weak = grey(200)
    const strong = grey(200)
    asNegative(weak, 0.1)
    asNegative(strong, 0.9)
    expect(strong[0]).toBeGreaterThan(weak[0]!)
  })
  it('relief shows an even ground as mid grey and raises a faint spot, more with strength', () => {
    const size = 41
    const picture = () => {
      const pixels = new Uint8ClampedArray(4 * size * size).fill(180)
      for (let i = 3; i < pixels.length; i += 4) pixels[i] = 255
      const middle = 4 * (20 * size + 20)
      pixels[middle] = pixels[middle + 1] = pixels[middle + 2] = 177
      return pixels
    }
    const weak = picture()
    const strong = picture()
    asRelief(weak, size, size, 8, 0.2)
    asRelief(strong, size, size, 8, 0.9)
    expect(weak[0]).toBe(128)
    const middle = 4 * (20 * size + 20)
    expect(128 - weak[middle]!).toBeGreaterThan(3)
    expect(128 - strong[middle]!).toBeGreaterThan(128 - weak[middle]!)
  })
  it('relief takes the mean of what there is at a corner', () => {
    const pixels = grey(100, 100, 100, 140)
    asRelief(pixels, 2, 2, 1, 0)
    // Gain 2 at strength 0; the mean is 110.
    expect([pixels[0], pixels[12]]).toEqual([108, 188])
  })
  it('grain shows what is fine and takes away what is broad', () => {
    const size = 32
    const ramp = new Uint8ClampedArray(4 * size * size)
    for (let i = 0; i < size * size; i++) for (let c = 0; c < 3; c++) ramp[4 * i + c] = 60 + 3 * (i % size) + (c === 1 && i % 2 === 0 && i % size > 15 ? 4 : 0)
    asGrain(ramp, size, size, 0)
    const at = (x: number, y: number) => [...ramp.slice(4 * (y * size + x), 4 * (y * size + x) + 3)]
    // A ramp differs nowhere from the mean around it; a chequer of 4 in green stands out by half of it, twice.
    expect(at(8, 16)).toEqual([128, 128, 128])
    const [red, green, blue] = at(24, 16)
    expect([red, blue]).toEqual([128, 128])
    expect(Math.abs(green! - 128)).toBeGreaterThanOrEqual(3)
    expect(Math.abs(green! - 128)).toBeLessThanOrEqual(5)
  })
  it('change is mid grey where nothing changed and multiplied elsewhere', () => {
    const before = grey(100, 100)
    const after = grey(100, 104)
    asChange(before, after, after, 6)
    expect([after[0], after[4], after[7]]).toEqual([128, 152, 255])
  })
})
