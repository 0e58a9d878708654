import { expect, it } from 'vitest'
import { makeRandom } from '../random.js'
import { medianCurve } from './median-curve.js'

it('a curve of medians follows what is usual, past values that are not, and stays level beyond its ends', () => {
  const random = makeRandom(5)
  const at = Float32Array.from({ length: 4000 }, () => 10 * random.uniform())
  // One value in five has nothing to do with the course.
  const values = at.map((place) => (random.uniform() < 0.2 ? 90 : place * place + random.uniform() - 0.5))
  const curve = medianCurve(at, values, 20)
  for (const place of [1, 2.5, 4, 7.3, 9]) expect(Math.abs(curve(place) - place * place)).toBeLessThan(0.1 + 0.25 * place)
  expect(curve(-5)).toBe(curve(0))
  expect(curve(40)).toBe(curve(10))
})

it('a curve over places that are all the same is level', () => {
  const curve = medianCurve(new Float32Array(50).fill(3), Float32Array.from({ length: 50 }, (_value, i) => i % 5), 4)
  expect([curve(0), curve(3), curve(9)]).toEqual([2, 2, 2])
})
