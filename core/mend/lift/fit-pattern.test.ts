import { describe, expect, it } from 'vitest'
import { makeRandom } from '../../random.js'
import { makeRaster, rasterSource, type IntegerRaster } from '../../raster/raster.js'
import { makeTransfer } from '../../raster/transfer.js'
import { layOver, mendableRaster } from '../patches/patch.js'
import { stepExtent } from '../patches/patch-keys.js'
import type { Flaw } from '../../treatment/schema.js'
import { mendAll } from '../picture/mend-all.js'
import { chooseMend } from '../choose.js'
import { fitPattern } from './fit-pattern.js'
import { lift } from './lift.js'
import { lossOfPattern } from './light-loss.js'
import { patternField, type Pattern } from './pattern.js'

const transfer = makeTransfer({ type: 'srgb' }, 16)
const [width, height] = [360, 320]
const shape = { type: 'outline' as const, points: [[60, 50], [310, 50], [310, 270], [60, 270]] as [number, number][] }
const within = (x: number, y: number) => x >= 60 && x < 310 && y >= 50 && y < 270

/** A slope with a hut, bushes and grain; over the area a pattern, what it does to the log of the light. */
function picture(pattern: (x: number, y: number) => number, channels: 1 | 3 = 1, shares = [1, 1, 1]): IntegerRaster {
  const random = makeRandom(4)
  const raster = makeRaster(width, height, channels, 16)
  const bushes = Array.from({ length: 40 }, () => ({ x: width * random.uniform(), y: height * random.uniform(), r: 4 + 8 * random.uniform() }))
  for (let y = 0; y < height; y++) {
    for (let x = 0; x < width; x++) {
      let light = 0.2 + 0.1 * Math.sin(x / 70) + 0.0006 * y
      if (x > 150 && x < 220 && y > 120 && y < 180) light = 0.6
      for (const bush of bushes) if (Math.hypot(x - bush.x, y - bush.y) < bush.r) light *= 0.6
      const lost = within(x, y) ? pattern(x + 0.5, y + 0.5) : 0
      const grain = 0.02 * (random.uniform() + random.uniform() - 1)
      for (let c = 0; c < channels; c++) raster.data[(y * width + x) * channels + c] = transfer.encode(light * Math.exp(shares[c]! * lost + grain))
    }
  }
  return raster
}

const wave = (x: number, y: number) => 0.08 * Math.sin(1.05 * x + 0.42 * y + 0.3)
/** A printed screen: two directions, stronger to the right, with its overtone. */
const screen = (x: number, y: number) => (0.04 + 0.0002 * x) * (Math.cos(0.9 * x + 0.9 * y) + Math.cos(0.9 * x - 0.9 * y)) + 0.02 * Math.cos(1.8 * x + 1.8 * y)
const none = () => 0

/** Mean difference well inside the area, in parts of 255. */
function difference(a: IntegerRaster, b: IntegerRaster): number {
  let sum = 0
  let count = 0
  for (let y = 70; y < 250; y++) for (let x = 80; x < 290; x++) for (let c = 0; c < a.channels; c++) {
    sum += Math.abs(a.data[(y * width + x) * a.channels + c]! - b.data[(y * width + x) * a.channels + c]!) / 257
    count++
  }
  return sum / count
}

function lifted(raster: IntegerRaster, pattern: Pattern): IntegerRaster {
  const whole = { ...raster, data: raster.data.slice() }
  layOver(whole, { x: 0, y: 0, width, height }, lift(rasterSource(raster), transfer, lossOfPattern(pattern), 1))
  return whole
}

describe('a pattern over a picture', () => {
  it.each([['of one wave', wave, 1], ['of a printed screen', screen, 3]] as const)('%s is lifted, and the hut and the bushes under it stay', (_name, put, least) => {
    const [clean, hurt] = [picture(none), picture(put)]
    const pattern = fitPattern(rasterSource(hurt), transfer, shape)!
    expect(pattern.waves.length).toBeGreaterThanOrEqual(least)
    expect(difference(hurt, clean)).toBeGreaterThan(3)
    expect(difference(lifted(hurt, pattern), clean)).toBeLessThan(0.2 * difference(hurt, clean))
  })

  it('has its frequency found between those of a window', () => {
    const { waves: [found] } = fitPattern(rasterSource(picture(wave)), transfer, shape)!
    expect(found!.across).toBeCloseTo(1.05, 2)
    expect(found!.down).toBeCloseTo(0.42, 2)
  })

  it('may be stronger in one channel than in another', () => {
    const [clean, hurt] = [picture(none, 3), picture(wave, 3, [0.5, 1, 1.5])]
    const pattern = fitPattern(rasterSource(hurt), transfer, shape)!
    expect(pattern.channels[2]! / pattern.channels[0]!).toBeCloseTo(3, 0)
    expect(difference(lifted(hurt, pattern), clean)).toBeLessThan(0.2 * difference(hurt, clean))
  })

  it('is none where nothing repeats, or where the area is too small to say', () => {
    expect(fitPattern(rasterSource(picture(none)), transfer, shape)).toBeNull()
    expect(fitPattern(rasterSource({ ...makeRaster(50, 50, 1, 16) }), transfer, { type: 'disc', x: 25, y: 25, r: 10 })).toBeNull()
  })

  it('is lifted when the restorer asks, and never unasked: a railing repeats too', () => {
    const hurt = picture(wave)
    const flaw: Flaw = { id: 'f', kind: 'moire', shape, state: 'open', contrast: 9, weight: 60, confidence: 0.9, origin: 'found' }
    const step = chooseMend({ picture: rasterSource(hurt), transfer, flaw, openFlaws: [], id: 'm' })
    expect(step.method).toBe('lift')
    expect(step.pattern!.waves.length).toBeGreaterThan(0)
    expect(mendAll(mendableRaster(hurt), transfer, [flaw], { id: () => 'm' })).toEqual([])
  })
})

describe('what a pattern takes', () => {
  const pattern: Pattern = { x: 20, y: 30, spacing: 10, columns: 2, waves: [{ across: 0.7, down: -0.2, real: [0.1, 0, 0.2, 0.1], imaginary: [0, 0.1, 0, -0.1] }], channels: [1] }

  it('is a wave whose strength lies on straight lines between knots, and nothing beyond', () => {
    const { depth, region } = patternField(pattern)
    expect(depth(20, 30)).toBeCloseTo(-0.1 * Math.cos(0.7 * 20 - 0.2 * 30), 9)
    expect(depth(30, 30)).toBeCloseTo(0.1 * Math.sin(0.7 * 30 - 0.2 * 30), 9)
    expect(depth(25, 30)).toBeCloseTo(-(0.05 * Math.cos(0.7 * 25 - 0.2 * 30) - 0.05 * Math.sin(0.7 * 25 - 0.2 * 30)), 9)
    for (let y = 0; y < 80; y++) for (let x = 0; x < 80; x++) {
      if (depth(x + 0.5, y + 0.5) === 0) continue
      expect(x >= region.x && y >= region.y && x < region.x + region.width && y < region.y + region.height).toBe(true)
    }
  })

  it('is all that its mend may touch', () => {
    const source = rasterSource(picture(none))
    const mended = lift(source, transfer, lossOfPattern(pattern), 1)
    const { writes } = stepExtent({ method: 'lift', methodVersion: 1, shape, softEdgePx: 0, strength: 1, seed: 0, pattern }, source)
    expect(mended.region).toEqual(writes)
    const { depth } = patternField(pattern)
    mended.touched.forEach((is, i) => {
      if (depth(mended.region.x + (i % mended.region.width) + 0.5, mended.region.y + Math.floor(i / mended.region.width) + 0.5) === 0) expect(is).toBe(0)
    })
  })
})
