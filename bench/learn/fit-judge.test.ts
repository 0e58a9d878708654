import { layered, LEAK } from '@fennip/core/find/judging/judge.js'
import { makeRandom } from '@fennip/core/random.js'
import { describe, expect, it } from 'vitest'
import { fitLayered, fitLogistic } from './fit-judge.js'

const random = makeRandom(4)
const share = (rows: readonly number[][], labels: readonly boolean[], score: (row: readonly number[]) => number) => rows.filter((row, k) => score(row) > 0 === labels[k]).length / rows.length

describe('a judge that weighs', () => {
  it('is fitted to the odds that made its samples', () => {
    const truth = [-0.5, 1.5, -2]
    const rows = Array.from({ length: 20000 }, () => [1, 4 * random.uniform() - 2, 4 * random.uniform() - 2])
    const labels = rows.map((row) => random.uniform() < 1 / (1 + Math.exp(-row.reduce((sum, value, i) => sum + value * truth[i]!, 0))))
    fitLogistic(rows, labels, 0.05).forEach((weight, i) => expect(weight).toBeCloseTo(truth[i]!, 0))
  })
  it('says when its evidence does not suffice', () => {
    expect(() => fitLogistic([[1, Number.NaN], [1, 2]], [true, false], 0)).toThrow('does not suffice')
  })
})

describe('a judge with a layer', () => {
  it('scores as its units are written down', () => {
    const score = layered({ units: [[1, 2, 3], [-4, 1, 5]], constant: 0.25 })
    // Features [1, 2]: the first unit gives 5, counted three times; the second gives -2, of which the leak passes on.
    expect(score([1, 2])).toBeCloseTo(0.25 + 3 * 5 + 5 * LEAK * -2, 12)
  })
  it('tells what no sum of weights can: either of two, and not both', () => {
    // Evidence far from a mean of 0 and a spread of 1, which the fit has to take out and put back.
    const rows = Array.from({ length: 3000 }, () => [1, 300 + 40 * random.uniform(), 0.02 * random.uniform() - 5])
    const labels = rows.map(([, a, b]) => a! > 320 !== b! > -4.99)
    const { units, constant } = fitLayered(rows, labels, { units: 8, rounds: 600, seed: 2 })
    const weights = fitLogistic(rows, labels, 0.05)
    expect(share(rows, labels, layered({ units, constant }))).toBeGreaterThan(0.97)
    expect(share(rows, labels, (row) => row.reduce((sum, value, i) => sum + value * weights[i]!, 0))).toBeLessThan(0.65)
    expect(fitLayered(rows, labels, { units: 8, rounds: 600, seed: 2 })).toEqual({ units, constant })
  })
  it('scores the mean of what fits from several starts score', () => {
    const rows = Array.from({ length: 400 }, () => [1, random.uniform(), random.uniform()])
    const labels = rows.map(([, a, b]) => a! > b!)
    const once = [5, 6, 7].map((seed) => layered(fitLayered(rows, labels, { units: 3, rounds: 40, seed })))
    const together = layered(fitLayered(rows, labels, { units: 3, rounds: 40, seed: 5, starts: 3 }))
    for (const row of rows.slice(0, 20)) expect(together(row)).toBeCloseTo(once.reduce((sum, score) => sum + score(row) / 3, 0), 9)
  })
  it('gives weights less the more they are drawn to nothing', () => {
    const rows = Array.from({ length: 400 }, () => [1, random.uniform() - 0.5])
    const labels = rows.map(([, a]) => a! > 0)
    const spread = (decay: number) => {
      const score = layered(fitLayered(rows, labels, { units: 2, rounds: 300, decay }))
      return score([1, 0.5]) - score([1, -0.5])
    }
    expect(spread(0.1)).toBeLessThan(0.7 * spread(1e-4))
  })
  it('learns less of what hangs by a hair when its evidence is jogged', () => {
    // The one item tells nearly all, by a step far smaller than its spread; the other tells most of it.
    const rows = Array.from({ length: 2000 }, (_row, k) => [1, 0.02 * (k % 2) + (k % 50 < 2 ? random.uniform() - 0.5 : 0), (k % 2) + 3 * (random.uniform() - 0.5)])
    const labels = rows.map((_row, k) => k % 2 === 1)
    const slopes = (jog: number) => {
      const score = layered(fitLayered(rows, labels, { units: 4, rounds: 600, batch: 512, jog }))
      return { hair: score([1, 0.02, 0.5]) - score([1, 0, 0.5]), plain: score([1, 0.01, 1]) - score([1, 0.01, 0]) }
    }
    const [still, jogged] = [slopes(0), slopes(0.5)]
    expect(still.hair).toBeGreaterThan(2 * still.plain)
    expect(jogged.hair).toBeLessThan(jogged.plain)
    expect(jogged.plain).toBeGreaterThan(0.8)
  })
})
