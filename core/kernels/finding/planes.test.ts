import { describe, expect, it } from 'vitest'
import { makeRandom } from '../../random.js'
import { halvePlane, PlaneWorkshop } from './planes.js'

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
  it('halve a plane, the mean of two by two', () => {
    const data = noise(width, height)
    const half = halvePlane({ width, height, data })
    expect([half.width, half.height]).toEqual([width >> 1, height >> 1])
    half.data.forEach((value, i) => {
      const [x, y] = [2 * (i % half.width), 2 * Math.floor(i / half.width)]
      expect(value).toBeCloseTo((data[y * width + x]! + data[y * width + x + 1]! + data[(y + 1) * width + x]! + data[(y + 1) * width + x + 1]!) / 4, 5)
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
      const exact = sizes.sort((p, q) => p - q)[sizes.length >> 1]!
      expect(value).toBeLessThanOrEqual(exact)
      expect(value).toBeGreaterThan(exact * (1 - 1 / 1000))
    })
  })

  it('gives the places that are larger than all around them, from a bound on', () => {
    const workshop = new PlaneWorkshop(width, height, 2)
    const data = noise(width, height)
    workshop.plane(0).data.set(data)
    const side = 4
    const [columns, rows] = [Math.max(1, Math.floor(width / side)), Math.max(1, Math.floor(height / side))]
    const deviations = { width: columns, height: rows, data: Float32Array.from({ length: columns * rows }, (_value, k) => 0.3 + 0.05 * (k % 5)) }
    const expected: number[] = []
    for (let y = 2; y < height - 2; y++) for (let x = 2; x < width - 2; x++) {
      const own = data[y * width + x]!
      const bound = 2 * deviations.data[Math.min(rows - 1, Math.floor(y / side)) * columns + Math.min(columns - 1, Math.floor(x / side))]!
      const around = [-1, 0, 1].flatMap((dy) => [-1, 0, 1].filter((dx) => dx !== 0 || dy !== 0).map((dx) => Math.sign(own) * data[(y + dy) * width + x + dx]!))
      if (Math.abs(own) >= bound && around.every((value) => value < Math.abs(own))) expected.push(y * width + x)
    }
    expect([...workshop.extrema(workshop.plane(0), 2, deviations, side, 2, workshop.plane(1))].sort((a, b) => a - b)).toEqual(expected)
  })

  it('gives the places whose mean is the largest around, strong enough and even enough', () => {
    const workshop = new PlaneWorkshop(width, height, 3)
    const [mean, variance] = [noise(width, height), noise(width, height).map((value) => value * value)]
    workshop.plane(0).data.set(mean)
    workshop.plane(1).data.set(variance.reverse())
    const expected: number[] = []
    for (let y = 2; y < height - 2; y++) for (let x = 2; x < width - 2; x++) {
      const i = y * width + x
      const around = [-1, 0, 1].flatMap((dy) => [-1, 0, 1].filter((dx) => dx !== 0 || dy !== 0).map((dx) => mean[i + dy * width + dx]!))
      if (mean[i]! >= 0.2 && mean[i]! >= 1.2 * Math.sqrt(variance[i]!) && around.every((value) => value < mean[i]!)) expected.push(i)
    }
    if (width > 8) expect(expected.length).toBeGreaterThan(0)
    expect([...workshop.evenMaxima(workshop.plane(0), workshop.plane(1), 2, 0.2, 1.2, workshop.plane(2))]).toEqual(expected)
  })

  it('finds where lines run, by the direction in which the plane curves most', () => {
    const workshop = new PlaneWorkshop(width, height, 6)
    const data = noise(width, height)
    workshop.plane(0).data.set(data)
    workshop.ridgeStrength(workshop.plane(0), workshop.plane(1))
    const strength = workshop.plane(1).data.slice()
    const deviations = { width: 1, height: 1, data: Float32Array.of(0.5) }
    const { answers, across, seeds } = workshop.middlesOfRidges(workshop.plane(0), workshop.plane(1), deviations, 64, { goOn: 1, start: 2, side: 1.5 }, 2)
    const steps = [[1, 0], [1, 1], [0, 1], [-1, 1]] as const
    let runs = 0
    for (let y = 3; y < height - 3; y++) for (let x = 3; x < width - 3; x++) {
      const i = y * width + x
      const v = (dx: number, dy: number) => data[(y + dy) * width + x + dx]!
      const xx = v(-1, 0) + v(1, 0) - 2 * v(0, 0)
      const yy = v(0, -1) + v(0, 1) - 2 * v(0, 0)
      const xy = (v(-1, -1) + v(1, 1) - v(1, -1) - v(-1, 1)) / 4
      // The main axis of the matrix of second derivatives, turned to that of the eigenvalue that is larger in size.
      const angle = Math.atan2(2 * xy, xx - yy) / 2 + (xx + yy < 0 ? Math.PI / 2 : 0)
      const eighths = angle / (Math.PI / 4)
      if (Math.abs(eighths - Math.round(eighths)) > 0.49) continue
      const direction = ((Math.round(eighths) % 4) + 4) % 4
      const s = Math.sign(strength[i]!)
      const at = (k: number) => s * strength[(y + k * steps[direction]![1]) * width + x + k * steps[direction]![0]]!
      const isMiddle = at(0) >= 0.5 && at(-1) <= at(0) && at(1) < at(0) && [-3, -2, 2, 3].every((k) => -at(k) <= 1.5 * at(0))
      expect(answers[i], `${x}, ${y}`).toBe(isMiddle ? Math.fround(strength[i]! / 0.5) : 0)
      if (!isMiddle) continue
      runs++
      expect(across[i]).toBe(direction)
      expect(seeds.includes(i)).toBe(Math.abs(answers[i]!) >= 2)
    }
    if (width > 8) expect(runs).toBeGreaterThan(2)
    const strengths = Array.from(seeds, (seed) => Math.abs(answers[seed]!))
    expect(strengths).toEqual([...strengths].sort((a, b) => a - b))
  })
})

describe('a ridge that is followed', () => {
  const [width, height] = [60, 24]
  /** Where answers of a bright line lie, on a workshop whose middles are otherwise empty. */
  function following(places: readonly (readonly [number, number])[]) {
    const workshop = new PlaneWorkshop(width, height, 6)
    for (let n = 0; n < 2; n++) workshop.plane(n).data.fill(0)
    const middles = workshop.middlesOfRidges(workshop.plane(0), workshop.plane(1), { width: 1, height: 1, data: Float32Array.of(1) }, 64, { goOn: 1, start: 2, side: 1.5 }, 2)
    for (const [x, y] of places) {
      middles.answers[y * width + x] = 3
      // The step across a line that runs from left to right is that down.
      middles.across[y * width + x] = 2
    }
    return (...begin: readonly (readonly [number, number])[]) => {
      const seeds = new Int32Array(middles.answers.buffer, middles.seeds.byteOffset, begin.length)
      seeds.set(begin.map(([x, y]) => y * width + x).reverse())
      const next = workshop.followNextRidge({ ...middles, seeds }, begin.length, 9, workshop.plane(0), workshop.plane(1))
      return { path: Array.from(next?.pixels ?? [], (i) => [i % width, Math.floor(i / width)]), left: next?.left }
    }
  }
  const row = (from: number, to: number, y = 12) => Array.from({ length: to - from }, (_value, k) => [from + k, y] as const)

  it('runs from end to end, wherever it was begun, and only once', () => {
    const follow = following(row(8, 50))
    const { path, left } = follow([30, 12], [9, 12])
    expect(left).toBe(1)
    expect(path[0]![0]! < path.at(-1)![0]! ? path : path.reverse()).toEqual(row(8, 50))
    expect(follow([20, 12])).toEqual({ path: [], left: undefined })
  })
  it('is passed over when it is too short', () => {
    const { path, left } = following([...row(8, 16), ...row(8, 17, 18)])([10, 12], [10, 18], [11, 18])
    expect(path).toHaveLength(9)
    expect(path.every(([, y]) => y === 18)).toBe(true)
    expect(left).toBe(1)
  })
  it('goes on over a gap of six pixels and not over one of eight', () => {
    expect(following([...row(8, 28), ...row(34, 50)])([12, 12]).path).toHaveLength(36)
    expect(following([...row(8, 28), ...row(36, 50)])([12, 12]).path).toHaveLength(20)
  })
  it('bends with its line and leaves a stranger beside it alone', () => {
    const slope = Array.from({ length: 10 }, (_value, k) => [30 + k, 12 - k] as const)
    const { path } = following([...row(8, 30), ...slope, ...row(8, 30, 17)])([10, 12])
    expect(path).toHaveLength(32)
    expect(path.some(([, y]) => y === 17)).toBe(false)
  })
})
