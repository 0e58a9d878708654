import { LEAK } from '@fennip/core/find/judging/judge.js'
import { makeRandom } from '@fennip/core/random.js'
import { solveCholesky } from '@fennip/core/numbers/solve.js'

/** Logistic regression by Newton's method with a little ridge; the constant is free. */
export function fitLogistic(rows: readonly (readonly number[])[], labels: readonly boolean[], ridge: number): number[] {
  const n = rows[0]!.length
  const weights = new Array<number>(n).fill(0)
  for (let round = 0; round < 40; round++) {
    const matrix = new Float64Array(n * n)
    const right = new Float64Array(n)
    rows.forEach((row, k) => {
      const p = 1 / (1 + Math.exp(-row.reduce((sum, value, i) => sum + value * weights[i]!, 0)))
      const w = Math.max(1e-9, p * (1 - p))
      for (let i = 0; i < n; i++) {
        right[i]! += row[i]! * ((labels[k] ? 1 : 0) - p)
        for (let j = 0; j <= i; j++) matrix[i * n + j]! += w * row[i]! * row[j]!
      }
    })
    for (let i = 1; i < n; i++) {
      matrix[i * n + i]! += ridge
      right[i]! -= ridge * weights[i]!
    }
    if (!solveCholesky(matrix, right, n)) throw new Error('The evidence does not suffice for a fit')
    for (let i = 0; i < n; i++) weights[i]! += right[i]!
  }
  return weights
}

/** How a layer is fitted. */
export interface LayerFit {
  readonly units: number
  /** Steps of the fit, ever smaller; each looks at so many samples drawn at random. */
  readonly rounds?: number
  readonly batch?: number
  readonly seed?: number
  /** Fitted so many times with that many units each, and put together: what one made too much of, the others do not. */
  readonly starts?: number
  /** How strongly weights are drawn to 0: the more, the less is learned by heart. */
  readonly decay?: number
  /** By how much of its spread each item of a sample's evidence is jogged whenever it is looked at: what hangs by a hair is not learned. */
  readonly jog?: number
}

/**
 * A layer of units under a logistic regression, as core/find/judging/judge.ts reads it, by stochastic gradients (Kingma and Ba
 * 2015, "Adam: a method for stochastic optimization", with their constants).
 *
 * @param rows  Evidence of each sample; the first item is 1.
 */
export function fitLayered(rows: readonly (readonly number[])[], labels: readonly boolean[], { units, rounds = 2500, batch = 8192, seed = 1, starts = 1, decay = 1e-4, jog = 0 }: LayerFit): Fitted {
  const fits = Array.from({ length: starts }, (_start, k) => fitOnce(rows, labels, { units, rounds, batch: Math.min(batch, rows.length), seed: seed + k, decay, jog }))
  return {
    units: fits.flatMap((fit) => fit.units.map((unit) => [...unit.slice(0, -1), unit.at(-1)! / starts])),
    constant: fits.reduce((sum, { constant }) => sum + constant / starts, 0),
  }
}

/** Uniform between 0 and 1, times this, has a deviation of 1. */
const EVEN_SPREAD = Math.sqrt(12)

interface Fitted { readonly units: number[][]; readonly constant: number }

function fitOnce(rows: readonly (readonly number[])[], labels: readonly boolean[], { units, rounds, batch, seed, decay, jog }: Required<Omit<LayerFit, 'starts'>>): Fitted {
  const random = makeRandom(seed)
  const n = rows[0]!.length
  // Evidence of one mean and spread for the fit; both go into the weights in the end.
  const mean = rows[0]!.map((_value, i) => (i === 0 ? 0 : rows.reduce((sum, row) => sum + row[i]!, 0) / rows.length))
  const spread = mean.map((middle, i) => (i === 0 ? 1 : Math.sqrt(rows.reduce((sum, row) => sum + (row[i]! - middle) ** 2, 0) / rows.length) + 1e-9))
  const even = rows.map((row) => Float64Array.from(row, (value, i) => (value - mean[i]!) / spread[i]!))
  const size = n + 1
  const weights = Float64Array.from({ length: units * size + 1 }, (_value, k) => {
    if (k === units * size) return -3
    const i = k % size
    // Uniform with a deviation of one over the root of what it adds up.
    return i === 0 ? 0 : (EVEN_SPREAD * (random.uniform() - 0.5)) / Math.sqrt(i === n ? units : n)
  })
  const first = new Float64Array(weights.length)
  const second = new Float64Array(weights.length)
  const slope = new Float64Array(weights.length)
  const sums = new Float64Array(units)
  const row = new Float64Array(n)
  for (let round = 1; round <= rounds; round++) {
    slope.fill(0)
    for (let b = 0; b < batch; b++) {
      const k = Math.floor(random.uniform() * rows.length)
      row.set(even[k]!)
      if (jog > 0) for (let i = 1; i < n; i++) row[i]! += jog * EVEN_SPREAD * (random.uniform() - 0.5)
      let score = weights[units * size]!
      for (let u = 0; u < units; u++) {
        let sum = 0
        for (let i = 0; i < n; i++) sum += weights[u * size + i]! * row[i]!
        sums[u] = sum
        score += weights[u * size + n]! * Math.max(sum, LEAK * sum)
      }
      const miss = 1 / (1 + Math.exp(-score)) - (labels[k] ? 1 : 0)
      slope[units * size]! += miss / batch
      for (let u = 0; u < units; u++) {
        const passed = sums[u]! > 0 ? 1 : LEAK
        slope[u * size + n]! += (miss * passed * sums[u]!) / batch
        const share = (miss * weights[u * size + n]! * passed) / batch
        for (let i = 0; i < n; i++) slope[u * size + i]! += share * row[i]!
      }
    }
    const rate = 0.01 * (1 - round / rounds) + 1e-4
    for (let k = 0; k < weights.length; k++) {
      const free = k === units * size || k % size === 0
      const g = slope[k]! + (free ? 0 : decay * weights[k]!)
      first[k] = 0.9 * first[k]! + 0.1 * g
      second[k] = 0.999 * second[k]! + 0.001 * g * g
      weights[k]! -= (rate * (first[k]! / (1 - 0.9 ** round))) / (Math.sqrt(second[k]! / (1 - 0.999 ** round)) + 1e-8)
    }
  }
  return {
    constant: weights[units * size]!,
    units: Array.from({ length: units }, (_unit, u) => {
      const plain = Array.from({ length: n }, (_value, i) => weights[u * size + i]! / spread[i]!)
      plain[0]! -= plain.reduce((sum, value, i) => sum + value * mean[i]!, 0)
      return [...plain, weights[u * size + n]!]
    }),
  }
}
