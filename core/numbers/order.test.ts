import { expect, it } from 'vitest'
import { makeRandom } from '../random.js'
import { inOrder, smallestOfMany } from './order.js'

/** Values of all sizes and both signs, many of them equal. */
function someValues(): Float32Array {
  const random = makeRandom(11)
  const values = Float32Array.from({ length: 3000 }, () => (random.uniform() - 0.5) * 10 ** Math.floor(8 * random.uniform() - 4))
  for (let i = 0; i < values.length; i += 3) values[i] = Math.floor(5 * random.uniform()) - 2
  values.set([0, -0, Infinity, -Infinity, 1e-42, -1e-42], 100)
  return values
}

it('indices are in the order of their values, equal ones as they come', () => {
  const values = someValues()
  const order = Array.from(inOrder(values))
  expect(order).toEqual(Array.from(values.keys()).sort((a, b) => (values[a]! < values[b]! ? -1 : values[a]! > values[b]! ? 1 : a - b)))
  expect(Array.from(inOrder(new Float32Array(0)))).toEqual([])
})

it('the k-th smallest of many is the one that sorting puts there, and they stay as they were', () => {
  const values = someValues()
  const before = values.slice()
  const sorted = values.slice().sort()
  for (let k = 0; k < values.length; k += 7) expect(smallestOfMany(values, k) === sorted[k]).toBe(true)
  expect(values).toEqual(before)
})

it('a part of a larger list is ordered by itself', () => {
  const part = Float32Array.from([9, 3, -1, 2, -7]).subarray(1, 4)
  expect(Array.from(inOrder(part))).toEqual([1, 2, 0])
  expect(smallestOfMany(part, 1)).toBe(2)
})
