import { describe, expect, it } from 'vitest'
import { makeRandom } from '../random.js'
import { PlaneWorkshop } from './planes.js'

/** Each kernel against the slow, obvious sum, on sizes that are and are not multiples of four pixels. */
const SIZES = [[21, 13], [32, 9], [8, 8], [19, 30]] as const

function noise(width: number, height: number): Float32Array {
  const random = makeRandom(width * 31 + height)
  return Float32Array.from({ length: width * height }, () => random.uniform() * 4 - 2)
}

const clamp = (value: number, last: number) => Math.max(0, Math.min(last, value))

describe.each(SIZES)('kernels on planes of %i x %i', (width, height) => {
  const at = (data: Float32Array, x: number, y: number) => data[clamp(y, height - 1) * width + clamp(x, width - 1)]!

  it('blur by the binomial coefficients 1 4 6 4 1, the edge repeated', () => {
    const workshop = new PlaneWorkshop(width, height, 2)
    const data = noise(width, height)
    workshop.plane(0).data.set(data)
    workshop.blur(workshop.plane(0), workshop.plane(1))
    const weights = [1, 4, 6, 4, 1]
    workshop.plane(1).data.forEach((value, i) => {
      let sum = 0
      for (let dy = -2; dy <= 2; dy++) for (let dx = -2; dx <= 2; dx++) sum += weights[dx + 2]! * weights[dy + 2]! * at(data, (i % width) + dx, Math.floor(i / width) + dy)
      expect(value).toBeCloseTo(sum / 256, 5)
    })
    expect(workshop.plane(0).data).toEqual(data)
  })

  it('subtract one plane from another', () => {
    const workshop = new PlaneWorkshop(width, height, 3)
    const a = noise(width, height)
    const b = a.map((value) => value * value)
    workshop.plane(0).data.set(a)
    workshop.plane(1).data.set(b)
    workshop.subtract(workshop.plane(0), workshop.plane(1), workshop.plane(2))
    expect(workshop.plane(2).data).toEqual(a.map((value, i) => value - b[i]!))
  })

  it('take the mean of a box from every pixel', () => {
    const workshop = new PlaneWorkshop(width, height, 1)
    const data = noise(width, height)
    workshop.plane(0).data.set(data)
    workshop.subtractBoxMean(workshop.plane(0), 3)
    workshop.plane(0).data.forEach((value, i) => {
      let sum = 0
      for (let dy = -3; dy <= 3; dy++) for (let dx = -3; dx <= 3; dx++) sum += at(data, (i % width) + dx, Math.floor(i / width) + dy)
      expect(value).toBeCloseTo(data[i]! - sum / 49, 4)
    })
  })

  it('give mean and variance of the differences between an inner and an outer place in all directions', () => {
    const workshop = new PlaneWorkshop(width, height, 3)
    const data = noise(width, height)
    workshop.plane(0).data.set(data)
    const steps = [[1, 0], [0, 1], [-1, 0], [0, -1], [1, 1]] as const
    const inner = Int32Array.from(steps, ([dx, dy]) => dy * width + dx)
    const outer = Int32Array.from(steps, ([dx, dy]) => 2 * dy * width + 2 * dx)
    workshop.radialStatistics(workshop.plane(0), 2, inner, outer, -1, workshop.plane(1), workshop.plane(2))
    for (let y = 2; y < height - 2; y++) {
      for (let x = 2; x < width - 2; x++) {
        const differences = steps.map(([dx, dy]) => at(data, x + dx, y + dy) - at(data, x + 2 * dx, y + 2 * dy))
        const mean = differences.reduce((sum, value) => sum + value, 0) / steps.length
        const variance = differences.reduce((sum, value) => sum + (value - mean) ** 2, 0) / steps.length
        expect(workshop.plane(1).data[y * width + x]).toBeCloseTo(-mean, 5)
        expect(workshop.plane(2).data[y * width + x]).toBeCloseTo(variance, 4)
      }
    }
  })
})

describe('a workshop', () => {
  it('refuses planes too small for four pixels at a time', () => {
    expect(() => new PlaneWorkshop(7, 20, 1)).toThrow(RangeError)
  })
  it('spreads a point to a deviation of one pixel and keeps its sum', () => {
    const workshop = new PlaneWorkshop(21, 21, 2)
    workshop.plane(0).data.fill(0)
    workshop.plane(0).data[10 * 21 + 10] = 1
    workshop.blur(workshop.plane(0), workshop.plane(1))
    let sum = 0
    let spread = 0
    workshop.plane(1).data.forEach((value, i) => {
      sum += value
      spread += value * ((i % 21) - 10) ** 2
    })
    // The binomial distribution of four throws has variance 4 x 1/2 x 1/2 = 1.
    expect(sum).toBeCloseTo(1, 6)
    expect(spread).toBeCloseTo(1, 6)
  })
})

describe.each(SIZES)('lines and their surroundings on planes of %i x %i', (width, height) => {
  it('answer to a line by the eigenvalues of the second derivatives', () => {
    const workshop = new PlaneWorkshop(width, height, 2)
    const data = noise(width, height)
    workshop.plane(0).data.set(data)
    workshop.plane(1).data.fill(9)
    workshop.ridgeStrength(workshop.plane(0), workshop.plane(1))
    workshop.plane(1).data.forEach((value, i) => {
      const x = i % width
      const y = Math.floor(i / width)
      if (x < 2 || y < 2 || x >= width - 2 || y >= height - 2) return expect(value).toBe(0)
      const v = (dx: number, dy: number) => data[(y + dy) * width + x + dx]!
      const xx = v(-1, 0) + v(1, 0) - 2 * v(0, 0)
      const yy = v(0, -1) + v(0, 1) - 2 * v(0, 0)
      const xy = (v(-1, -1) + v(1, 1) - v(1, -1) - v(-1, 1)) / 4
      // Eigenvalues of [[xx, xy], [xy, yy]] by the formula of quadratic equations; the lesser in size is what is curved along.
      const root = Math.sqrt((xx + yy) ** 2 - 4 * (xx * yy - xy * xy))
      const [a, b] = [(xx + yy + root) / 2, (xx + yy - root) / 2]
      const [large, small] = Math.abs(a) > Math.abs(b) ? [a, b] : [b, a]
      expect(value).toBeCloseTo(-Math.sign(large) * (Math.abs(large) - Math.abs(small)), 4)
    })
  })
  it.each([4, 8, 16])('give the median of the sizes in blocks of %i', (side) => {
    const workshop = new PlaneWorkshop(width, height, 1)
    const data = noise(width, height)
    workshop.plane(0).data.set(data)
    const columns = Math.max(1, Math.floor(width / side))
    workshop.blockMedians(workshop.plane(0), side).forEach((value, k) => {
      const left = (k % columns) * side
      const top = Math.floor(k / columns) * side
      const sizes: number[] = []
      for (let y = top; y < Math.min(height, top + side); y += 2) for (let x = left; x < Math.min(width, left + side); x++) sizes.push(Math.abs(data[y * width + x]!))
      expect(value).toBe(sizes.sort((p, q) => p - q)[sizes.length >> 1])
    })
  })
})
