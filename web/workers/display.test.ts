import { describe, expect, it } from 'vitest'
import { makeMatrixProfile, makeTableProfile } from '@fennip/codec/test-profile.js'
import { measureTableProfile, openTables } from '@fennip/core/colour/colour-library.js'
import { greyProfile, readProfile, srgbProfile } from '@fennip/core/colour/profile.js'
import { makeRaster } from '@fennip/core/raster/raster.js'
import { Display } from './display.js'

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
  it('on a screen of Display P3 the red of sRGB is 234, 51, 35 (CSS Color Module 4, conversion of color(srgb 1 0 0))', () => {
    expect(painted(new Display(srgbProfile(false), 8, 'display-p3'), [255, 0, 0, 255, 255, 255], 3, 8)).toEqual([234, 51, 35, 255, 255, 255, 255, 255])
  })
  it('a profile of tables is shown as the matrix profile of the same space', async () => {
    const bytes = makeTableProfile('Scanner', [2.2, 2.2, 2.2])
    const samples = [100, 200, 100, 128, 128, 128, 30, 10, 220]
    const byMatrix = painted(new Display(readProfile(makeMatrixProfile('Wide', 2.2), 3), 8), samples, 3, 8)
    const byTables = painted(new Display(await measureTableProfile(bytes), 8, 'srgb', await openTables(bytes)), samples, 3, 8)
    byTables.forEach((value, i) => expect(Math.abs(value - byMatrix[i]!)).toBeLessThanOrEqual(1))
  })
})
