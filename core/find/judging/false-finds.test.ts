import { describe, expect, it } from 'vitest'
import { expectedFalseFinds, mostOf, rateInPicture } from './false-finds.js'

describe('how many false finds a picture has', () => {
  // scipy.stats.nbinom.ppf(0.95, alike, alike / (alike + mean)) of SciPy 1.17.1; alike of a billion is what Poisson's law gives.
  it.each([[0, 0.5, 0], [0.05, 0.5, 0], [0.3, 0.5, 2], [1, 0.5, 4], [3, 0.5, 12], [3, 2, 8], [20, 1.5, 53], [0.3, 1e9, 1], [3, 1e9, 6]])('of mean %d, and as alike as %d: at most %d in 95 of 100', (mean, alike, most) => {
    expect(mostOf(mean, alike)).toBe(most)
  })
  it('is what was asked for, and as large as the share that is searched', () => {
    expect(expectedFalseFinds(3).mean).toBe(3)
    expect(expectedFalseFinds(12).most).toBeGreaterThan(expectedFalseFinds(3).most)
    expect(expectedFalseFinds(12, 0.25).mean).toBe(3)
    expect(expectedFalseFinds(12, 0.25).most).toBeLessThan(expectedFalseFinds(12).most)
    expect(expectedFalseFinds(12, 0)).toEqual({ mean: 0, most: 0 })
  })
  it('is the rate of the judges in a picture of 24 megapixels; a smaller one may have more a megapixel, and fewer altogether by the same rate', () => {
    const [small, large] = [{ width: 600, height: 400 }, { width: 6000, height: 4000 }]
    expect(rateInPicture(3, large)).toBeCloseTo(3 / 24, 10)
    expect(rateInPicture(12, large)).toBeCloseTo(4 * rateInPicture(3, large), 10)
    expect(rateInPicture(3, small)).toBeGreaterThan(rateInPicture(3, large))
    expect(rateInPicture(3, small) * 0.24).toBeLessThan(3)
  })
})
