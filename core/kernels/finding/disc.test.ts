import { describe, expect, it } from 'vitest'
import { makeRandom } from '../../random.js'
import { DISC_PARAMETERS, DiscWindow } from './disc.js'

/** Both sums against the slow, obvious ones, on windows of odd and even sides. */

type State = readonly [number, number, number, number, number, number, number, number]

function softDisc([cx, cy, r, w, a, b, bx, by]: State, x: number, y: number): number {
  const u = (Math.hypot(x - cx, y - cy) - r) / w
  return a * (0.5 - (0.5 * u) / Math.sqrt(1 + u * u)) + b + bx * (x - cx) + by * (y - cy)
}

const STATE: State = [6.3, 5.4, 2.7, 0.9, -0.6, 0.2, 0.01, -0.02]

function windowOf(size: number): Float32Array {
  const random = makeRandom(size)
  // A disc that is somewhat off the state, noise, and a few pixels that are far out.
  return Float32Array.from({ length: size * size }, (_value, i) => softDisc([6, 5.7, 3, 1, -0.5, 0.22, 0, 0], (i % size) + 0.5, Math.floor(i / size) + 0.5) + 0.02 * (random.uniform() - 0.5) + (random.uniform() < 0.05 ? 1 : 0))
}

describe.each([11, 14])('a disc in a window of %i pixels', (size) => {
  const window = windowOf(size)
  const spread = 0.03
  const pixels = Array.from({ length: size * size }, (_value, i) => ({ x: (i % size) + 0.5, y: Math.floor(i / size) + 0.5, value: window[i]! }))

  it('costs the sum of z / (1 + z), z the square of a residual over that of three spreads', () => {
    const expected = pixels.reduce((sum, { x, y, value }) => {
      const z = ((value - softDisc(STATE, x, y)) / (3 * spread)) ** 2
      return sum + z / (1 + z)
    }, 0)
    expect(new DiscWindow(window, size).robustCost(Float64Array.from(STATE), spread)).toBeCloseTo(expected, 9)
  })

  it('has normal equations of its derivatives, here taken by differences', () => {
    const normal = new Float64Array(DISC_PARAMETERS * DISC_PARAMETERS)
    const right = new Float64Array(DISC_PARAMETERS)
    new DiscWindow(window, size).normalEquations(Float64Array.from(STATE), spread, normal, right)
    const changed = (k: number, by: number) => STATE.map((value, n) => (n === k ? value + by : value)) as unknown as State
    const step = 1e-5
    const rows = pixels.map(({ x, y, value }) => {
      const residual = value - softDisc(STATE, x, y)
      const z = residual / (3 * spread)
      return { residual, weight: 1 / (1 + z * z), slopes: STATE.map((_value, k) => (softDisc(changed(k, step), x, y) - softDisc(changed(k, -step), x, y)) / (2 * step)) }
    })
    for (let i = 0; i < DISC_PARAMETERS; i++) {
      expect(right[i]).toBeCloseTo(rows.reduce((sum, { residual, weight, slopes }) => sum + weight * slopes[i]! * residual, 0), 4)
      for (let j = 0; j <= i; j++) expect(normal[DISC_PARAMETERS * i + j], `${i}, ${j}`).toBeCloseTo(rows.reduce((sum, { weight, slopes }) => sum + weight * slopes[i]! * slopes[j]!, 0), 3)
    }
  })
})
