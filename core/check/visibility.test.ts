import { describe, expect, it } from 'vitest'
import { makeRandom } from '../random.js'
import { isSeenAtSize, LEAST_SEEN, weightAtSize } from './visibility.js'

const disc = (r: number, weight = 100) => ({ shape: { type: 'disc' as const, x: 200, y: 200, r }, weight })
const stroke = (width: number, weight = 100) => ({ shape: { type: 'stroke' as const, points: [[20, 200], [380, 200]] as [number, number][], width }, weight })

/** Weight of a flaw in white noise, by its definition: the sum of what it changes over the noise of that sum; averaged by `times` first. */
function measured(covers: (x: number, y: number) => number, contrast: number, times: number): number {
  const side = 400 / times
  const random = makeRandom(times)
  let [square, sum, count] = [0, 0, 0]
  for (let y = 0; y < side; y++) {
    for (let x = 0; x < side; x++) {
      let [cover, noise] = [0, 0]
      for (let v = 0; v < times; v++) for (let u = 0; u < times; u++) {
        cover += covers(x * times + u, y * times + v) / (times * times)
        noise += (random.uniform() + random.uniform() + random.uniform() + random.uniform() - 2) / (times * times)
      }
      square += cover * cover
      sum += noise * noise
      count++
    }
  }
  const deviation = Math.sqrt(sum / count)
  // A matched filter answers with the root of the summed squares of what it looks for, in deviations.
  return (contrast * Math.sqrt(square)) / deviation
}

describe('the weight of a flaw in a smaller picture', () => {
  const spot = (r: number) => ({ flaw: disc(r), covers: (x: number, y: number) => (Math.hypot(x + 0.5 - 203.7, y + 0.5 - 203.2) < r ? 1 : 0) })
  const line = (width: number) => ({ flaw: stroke(width), covers: (x: number, y: number) => (x >= 20 && x < 380 && y >= 200 && y < 200 + width ? 1 : 0) })
  it.each([['a spot of 1', spot(1)], ['a spot of 2', spot(2)], ['a spot of 12', spot(12)], ['a line of 1', line(1)], ['a line of 2', line(2)], ['a line of 10', line(10)]] as const)('is what a matched filter sees of %s px', (_what, { flaw, covers }) => {
    const whole = measured(covers, 1, 1)
    for (const times of [2, 4, 8]) {
      const ratio = weightAtSize(flaw, 1 / times) / 100 / (measured(covers, 1, times) / whole)
      // Where a flaw lies on the grid of pixels decides within a half.
      expect(ratio).toBeGreaterThan(0.66)
      expect(ratio).toBeLessThan(1.5)
    }
  })

  it('never grows, and stays in the picture as it is', () => {
    for (const flaw of [disc(0.5), disc(30), stroke(3)]) {
      expect(weightAtSize(flaw, 2)).toBe(weightAtSize(flaw, 1))
      let before = Infinity
      for (const scale of [1, 0.5, 0.2, 0.1, 0.01]) {
        const now = weightAtSize(flaw, scale)
        expect(now).toBeLessThanOrEqual(before)
        before = now
      }
    }
    expect(weightAtSize(disc(30), 1)).toBe(100)
  })

  it('says whether it will be seen; what was not measured is', () => {
    expect(isSeenAtSize(disc(2, LEAST_SEEN), 1)).toBe(true)
    expect(isSeenAtSize(disc(2, LEAST_SEEN), 0.1)).toBe(false)
    expect(isSeenAtSize(stroke(1, 40), 0.1)).toBe(true)
    expect(isSeenAtSize(disc(2, 0), 0.01)).toBe(true)
  })
})
