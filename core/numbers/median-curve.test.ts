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

it('its parts are those of the places in order, equal ones as they come', () => {
  const random = makeRandom(9)
  // A few places only, so that bounds of parts fall among equal ones.
  const at = Float32Array.from({ length: 500 }, () => Math.floor(7 * random.uniform()))
  const values = at.map(() => random.uniform())
  const parts = 12
  const order = Array.from(at.keys()).sort((a, b) => at[a]! - at[b]! || a - b)
  const middle = (list: number[]) => [...list].sort((a, b) => a - b)[list.length >> 1]!
  const slow = Array.from({ length: parts }, (_value, k) => order.slice(Math.floor((k * 500) / parts), Math.floor(((k + 1) * 500) / parts)))
  const curve = medianCurve(at, values, parts)
  expect(curve(-1)).toBe(middle(slow[0]!.map((i) => values[i]!)))
  expect(curve(9)).toBe(middle(slow.at(-1)!.map((i) => values[i]!)))
  // Between two places that are the middle of one part each, the straight line between their levels.
  const levels = slow.map((part) => ({ place: middle(part.map((i) => at[i]!)), level: middle(part.map((i) => values[i]!)) }))
  const k = levels.findIndex(({ place }, i) => i > 0 && place > levels[i - 1]!.place && place - levels[i - 1]!.place === 1)
  expect(curve(levels[k]!.place - 0.5)).toBeCloseTo((levels[k - 1]!.level + levels[k]!.level) / 2, 5)
})
