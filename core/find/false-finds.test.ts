import { describe, expect, it } from 'vitest'
import { expectedFalseFinds, mostOf } from './false-finds.js'

describe('how many false finds a picture has', () => {
  // scipy.stats.nbinom.ppf(0.95, alike, alike / (alike + mean)) of SciPy 1.17.1; alike of a billion is what Poisson's law gives.
  it.each([[0, 0.5, 0], [0.05, 0.5, 0], [0.3, 0.5, 2], [1, 0.5, 4], [3, 0.5, 12], [3, 2, 8], [20, 1.5, 53], [0.3, 1e9, 1], [3, 1e9, 6]])('of mean %d, and as alike as %d: at most %d in 95 of 100', (mean, alike, most) => {
    expect(mostOf(mean, alike)).toBe(most)
  })
  it('on average is what was asked for in a picture of 24 megapixels', () => {
    expect(expectedFalseFinds(3, { width: 6000, height: 4000 }).mean).toBeCloseTo(3, 10)
  })
  it('grows with the picture and with what one is willing to look at', () => {
    const [small, large] = [{ width: 600, height: 400 }, { width: 6000, height: 4000 }]
    expect(expectedFalseFinds(3, small).mean).toBeLessThan(expectedFalseFinds(3, large).mean)
    expect(expectedFalseFinds(12, large).mean).toBeCloseTo(4 * expectedFalseFinds(3, large).mean, 10)
    expect(expectedFalseFinds(12, large).most).toBeGreaterThan(expectedFalseFinds(3, large).most)
    expect(expectedFalseFinds(3, small).most).toBeLessThan(expectedFalseFinds(3, large).most)
  })
  it('is as large as the share that is searched', () => {
    const picture = { width: 3000, height: 2000 }
    expect(expectedFalseFinds(12, picture, 0.25).mean).toBeCloseTo(expectedFalseFinds(12, picture).mean / 4, 10)
    expect(expectedFalseFinds(12, picture, 0.25).most).toBeLessThan(expectedFalseFinds(12, picture).most)
    expect(expectedFalseFinds(12, picture, 0)).toEqual({ mean: 0, most: 0 })
  })
})
