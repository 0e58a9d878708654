import { describe, expect, it } from 'vitest'
import * as fc from 'fast-check'
import { gaussianBlur } from './blur.js'
import { differenceCiede2000 } from '../colour/colour-difference.js'
import * as exact from '../numbers/exact-math.js'
import { readProfile } from '../colour/profile.js'
import { halve, levelCount, packTile, tileGrid, tileRegion, unpackTile } from './pyramid.js'
import { clipRegion, crop, makeRaster, paste, type Plane } from './raster.js'
import { solveCholesky } from '../numbers/solve.js'
import { median, placeOfGreatest, robustDeviation, valuesAt } from '../numbers/statistics.js'
import { decodeValue, makeTransfer } from './transfer.js'
import { makeRandom } from '../random.js'
import { makeMatrixProfile } from '@fennip/codec/test-profile.js'

describe('exact mathematics against the platform\'s own', () => {
  const near = (a: number, b: number) => expect(Math.abs(a - b)).toBeLessThanOrEqual(4e-15 * Math.max(1, Math.abs(b)))
  it('ln, exp, pow and cube root', () => {
    fc.assert(fc.property(fc.double({ min: 1e-300, max: 1e300, noNaN: true }), (x) => {
      near(exact.ln(x), Math.log(x))
    }))
    fc.assert(fc.property(fc.double({ min: -300, max: 300, noNaN: true }), (x) => {
      expect(Math.abs(exact.exp(x) / Math.exp(x) - 1)).toBeLessThan(2e-13)
    }))
    fc.assert(fc.property(fc.double({ min: 1e-6, max: 100, noNaN: true }), (x) => {
      near(exact.pow(x, 2.4), x ** 2.4)
      near(exact.cubeRoot(x), Math.cbrt(x))
    }))
  })
  it('sine, cosine and the angle of a point', () => {
    fc.assert(fc.property(fc.double({ min: -50, max: 50, noNaN: true }), (x) => {
      expect(Math.abs(exact.cos(x) - Math.cos(x))).toBeLessThan(1e-13)
      expect(Math.abs(exact.sin(x) - Math.sin(x))).toBeLessThan(1e-13)
    }))
    fc.assert(fc.property(fc.double({ min: -9, max: 9, noNaN: true }), fc.double({ min: -9, max: 9, noNaN: true }), (y, x) => {
      // Signed zeros are one place; the platform tells them apart.
      const away = Math.abs(exact.atan2(y, x) - Math.atan2(y + 0, x + 0))
      expect(Math.min(away, Math.abs(away - 2 * Math.PI))).toBeLessThan(1e-12)
    }))
  })
  it('keeps the edges of the range', () => {
    expect(exact.ln(0)).toBe(-Infinity)
    expect(exact.ln(-1)).toBeNaN()
    expect(exact.exp(1000)).toBe(Infinity)
    expect(exact.exp(-1000)).toBe(0)
  })
})

describe('CIEDE2000', () => {
  // All 34 pairs of Sharma, Wu and Dalal 2005, table 1; values from memory of the published table.
  const pairs: number[][] = [
    [50, 2.6772, -79.7751, 50, 0, -82.7485, 2.0425], [50, 3.1571, -77.2803, 50, 0, -82.7485, 2.8615], [50, 2.8361, -74.02, 50, 0, -82.7485, 3.4412],
    [50, -1.3802, -84.2814, 50, 0, -82.7485, 1], [50, -1.1848, -84.8006, 50, 0, -82.7485, 1], [50, -0.9009, -85.5211, 50, 0, -82.7485, 1],
    [50, 0, 0, 50, -1, 2, 2.3669], [50, -1, 2, 50, 0, 0, 2.3669], [50, 2.49, -0.001, 50, -2.49, 0.0009, 7.1792], [50, 2.49, -0.001, 50, -2.49, 0.001, 7.1792],
    [50, 2.49, -0.001, 50, -2.49, 0.0011, 7.2195], [50, 2.49, -0.001, 50, -2.49, 0.0012, 7.2195], [50, -0.001, 2.49, 50, 0.0009, -2.49, 4.8045],
    [50, -0.001, 2.49, 50, 0.001, -2.49, 4.8045], [50, -0.001, 2.49, 50, 0.0011, -2.49, 4.7461], [50, 2.5, 0, 50, 0, -2.5, 4.3065],
    [50, 2.5, 0, 73, 25, -18, 27.1492], [50, 2.5, 0, 61, -5, 29, 22.8977], [50, 2.5, 0, 56, -27, -3, 31.903], [50, 2.5, 0, 58, 24, 15, 19.4535],
    [50, 2.5, 0, 50, 3.1736, 0.5854, 1], [50, 2.5, 0, 50, 3.2972, 0, 1], [50, 2.5, 0, 50, 1.8634, 0.5757, 1], [50, 2.5, 0, 50, 3.2592, 0.335, 1],
    [60.2574, -34.0099, 36.2677, 60.4626, -34.1751, 39.4387, 1.2644], [63.0109, -31.0961, -5.8663, 62.8187, -29.7946, -4.0864, 1.263],
    [61.2901, 3.7196, -5.3901, 61.4292, 2.248, -4.962, 1.8731], [35.0831, -44.1164, 3.7933, 35.0232, -40.0716, 1.5901, 1.8645],
    [22.7233, 20.0904, -46.694, 23.0331, 14.973, -42.5619, 2.0373], [36.4612, 47.858, 18.3852, 36.2715, 50.5065, 21.2231, 1.4146],
    [90.8027, -2.0831, 1.441, 91.1528, -1.6435, 0.0447, 1.4441], [90.9257, -0.5406, -0.9208, 88.6381, -0.8985, -0.7239, 1.5381],
    [6.7747, -0.2908, -2.4247, 5.8714, -0.0985, -2.2286, 0.6377], [2.0776, 0.0795, -1.135, 0.9033, -0.0636, -0.5514, 0.9082],
  ]
  it.each(pairs)('%f %f %f to %f %f %f is %f', (l1, a1, b1, l2, a2, b2, expected) => {
    expect(differenceCiede2000({ l: l1!, a: a1!, b: b1! }, { l: l2!, a: a2!, b: b2! })).toBeCloseTo(expected!, 4)
  })
})

describe('transfer curves', () => {
  it('follows IEC 61966-2-1 at its published points', () => {
    // The two parts meet at 0.04045 encoded, 0.0031308 linear; mid grey 0.5 is 0.21404 linear.
    expect(decodeValue({ type: 'srgb' }, 0.04045)).toBeCloseTo(0.0031308, 6)
    expect(decodeValue({ type: 'srgb' }, 0.5)).toBeCloseTo(0.2140411, 6)
    expect(decodeValue({ type: 'srgb' }, 1)).toBe(1)
  })
  for (const depth of [8, 16] as const) {
    it(`encodes every ${depth} bit sample back to itself, and the nearest otherwise`, () => {
      for (const curve of [{ type: 'srgb' }, { type: 'gamma', gamma: 2.2 }] as const) {
        const transfer = makeTransfer(curve, depth)
        let wrong = 0
        for (let i = 0; i < transfer.light.length; i++) if (transfer.light[transfer.encode(transfer.light[i]!)] !== transfer.light[i]) wrong++
        expect(wrong).toBe(0)
        const random = makeRandom(3)
        for (let n = 0; n < 2000; n++) {
          const light = random.uniform()
          const at = transfer.encode(light)
          const away = Math.abs(transfer.light[at]! - light)
          expect(away).toBeLessThanOrEqual(Math.abs((transfer.light[at + 1] ?? 9) - light))
          expect(away).toBeLessThanOrEqual(Math.abs((transfer.light[at - 1] ?? 9) - light))
        }
      }
    })
  }
  it('reads a matrix profile made by the rules of ICC.1:2022', () => {
    const profile = readProfile(makeMatrixProfile('Hand made', 2.2), 3)
    expect(profile.name).toBe('Hand made')
    expect(profile.curve).toEqual({ type: 'gamma', gamma: 563 / 256 })
    expect(profile.toXyz![0]).toBeCloseTo(0.6097, 4)
    expect(() => readProfile(makeMatrixProfile('Hand made', 2.2), 1)).toThrow(/RGB/)
    expect(() => readProfile(new Uint8Array(200), 3)).toThrow(/begin/)
  })
})

describe('regions and rasters', () => {
  it('crops and pastes back without loss', () => {
    const raster = makeRaster(17, 11, 3, 16)
    raster.data.forEach((_value, i) => (raster.data[i] = (i * 977) & 65535))
    const copy = makeRaster(17, 11, 3, 16)
    for (const region of [{ x: 0, y: 0, width: 9, height: 11 }, { x: 9, y: 0, width: 8, height: 11 }]) paste(copy, crop(raster, region), region.x, region.y)
    expect(copy.data).toEqual(raster.data)
    expect(() => crop(raster, { x: 10, y: 0, width: 9, height: 2 })).toThrow(RangeError)
    expect(clipRegion({ x: -5, y: 20, width: 8, height: 4 }, 17, 11)).toMatchObject({ width: 3, height: 0 })
  })
})

describe('tiles and pyramids', () => {
  it('packs and unpacks any samples', () => {
    for (const depth of [8, 16] as const) {
      const raster = makeRaster(37, 5, 3, depth)
      const random = makeRandom(9)
      raster.data.forEach((_value, i) => (raster.data[i] = random.integer() & (depth === 8 ? 255 : 65535)))
      expect(unpackTile(packTile(raster), 37, 5, 3, depth).data).toEqual(raster.data)
      expect(() => unpackTile(packTile(raster), 36, 5, 3, depth)).toThrow(RangeError)
    }
  })
  it('halves in linear light: black and white give the mean of light, not of samples', () => {
    const raster = makeRaster(2, 2, 1, 8)
    raster.data.set([0, 255, 255, 0])
    const transfer = makeTransfer({ type: 'srgb' }, 8)
    // Half the light is 188 in sRGB (IEC 61966-2-1), not 128.
    expect(halve(raster, transfer).data[0]).toBe(188)
  })
  it('halves over itself to the same samples', () => {
    for (const [width, height, channels] of [[37, 5, 3], [2, 2, 1], [1, 7, 3], [8, 1, 1]] as const) {
      const raster = makeRaster(width, height, channels, 16)
      const random = makeRandom(width)
      raster.data.forEach((_value, i) => (raster.data[i] = random.integer() & 65535))
      const transfer = makeTransfer({ type: 'srgb' }, 16)
      const apart = halve(raster, transfer)
      expect(apart.data.buffer).not.toBe(raster.data.buffer)
      const over = halve(raster, transfer, true)
      expect(over.data.buffer).toBe(raster.data.buffer)
      expect(over).toEqual(apart)
    }
  })
  it('covers a picture exactly with tiles on every level', () => {
    fc.assert(fc.property(fc.integer({ min: 1, max: 3000 }), fc.integer({ min: 1, max: 3000 }), (width, height) => {
      for (let level = 0; level < levelCount(width, height); level++) {
        const grid = tileGrid(width, height, level)
        let area = 0
        for (let row = 0; row < grid.rows; row++) for (let column = 0; column < grid.columns; column++) {
          const region = tileRegion(width, height, level, column, row)
          area += region.width * region.height
        }
        expect(area).toBe(Math.ceil(width / 2 ** level) * Math.ceil(height / 2 ** level))
      }
    }), { numRuns: 60 })
  })
})

describe('filters', () => {
  const noise = (width: number, height: number): Plane => {
    const random = makeRandom(2)
    return { width, height, data: Float32Array.from({ length: width * height }, () => random.uniform()) }
  }
  it('Gaussian blur equals the slow, obvious sum', () => {
    const plane = noise(23, 19)
    const deviation = 1.5
    const blurred = gaussianBlur(plane, deviation)
    for (const [x, y] of [[0, 0], [11, 9], [22, 18], [3, 17]] as const) {
      let sum = 0
      let weight = 0
      for (let dy = -5; dy <= 5; dy++) for (let dx = -5; dx <= 5; dx++) {
        const w = Math.exp(-(dx * dx + dy * dy) / (2 * deviation * deviation))
        sum += w * plane.data[Math.max(0, Math.min(18, y + dy)) * 23 + Math.max(0, Math.min(22, x + dx))]!
        weight += w
      }
      expect(blurred.data[y * 23 + x]).toBeCloseTo(sum / weight, 5)
    }
  })
})

describe('statistics and equations', () => {
  it('median equals that of a sorted list', () => {
    fc.assert(fc.property(fc.array(fc.float({ noNaN: true, min: -1e6, max: 1e6 }), { minLength: 1, maxLength: 60 }), (values) => {
      expect(median(Float32Array.from(values))).toBe(Float32Array.from(values).sort()[values.length >> 1])
    }))
  })
  it('robust deviation of normal noise is its deviation, outliers or not', () => {
    const random = makeRandom(5)
    const values = Float32Array.from({ length: 20000 }, (_value, i) => {
      let sum = -6
      for (let k = 0; k < 12; k++) sum += random.uniform()
      return i % 20 === 0 ? 100 : 3 * sum
    })
    expect(robustDeviation(values)).toBeGreaterThan(2.8)
    expect(values.length).toBe(20000)
  })
  it('of some places only', () => {
    const values = Float32Array.of(5, 9, 1, 9, 7)
    expect([...valuesAt(values, [4, 0, 4])]).toEqual([7, 5, 7])
    expect(placeOfGreatest(values, [0, 3, 1])).toBe(3)
    expect(placeOfGreatest(values, Int32Array.of(2, 0))).toBe(0)
  })
  it('solves a positive definite system and refuses another', () => {
    const right = Float64Array.of(1, 2)
    expect(solveCholesky(Float64Array.of(4, 1, 1, 3), right, 2)).toBe(true)
    expect(right[0]).toBeCloseTo(1 / 11, 12)
    expect(right[1]).toBeCloseTo(7 / 11, 12)
    expect(solveCholesky(Float64Array.of(1, 2, 2, 1), Float64Array.of(1, 1), 2)).toBe(false)
  })
})
