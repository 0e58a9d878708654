import { expect, it } from 'vitest'
import { makeRandom } from '../../random.js'
import { touching } from './touching.js'

const [columns, rows] = [30, 20]

/** The slow, obvious one: every cell takes the least label of those it touches until nothing changes. */
function labels(filled: Uint8Array, corners: boolean): Int32Array {
  const label = Int32Array.from(filled, (is, i) => (is ? i : -1))
  for (let again = true; again; ) {
    again = false
    for (let i = 0; i < label.length; i++) for (let j = 0; j < label.length; j++) {
      const [dx, dy] = [Math.abs((i % columns) - (j % columns)), Math.abs(Math.floor(i / columns) - Math.floor(j / columns))]
      if (!filled[i] || !filled[j] || (corners ? Math.max(dx, dy) : dx + dy) !== 1 || label[j]! >= label[i]!) continue
      label[i] = label[j]!
      again = true
    }
  }
  return label
}

it.each([false, true])('cells are grouped with those that they touch, at corners too: %s', (corners) => {
  const random = makeRandom(3)
  const filled = Uint8Array.from({ length: columns * rows }, () => (random.uniform() < 0.5 ? 1 : 0))
  const expected = new Map<number, number[]>()
  labels(filled, corners).forEach((label, i) => label >= 0 && expected.set(label, [...(expected.get(label) ?? []), i]))
  const groups = touching(columns, rows, (i) => filled[i] === 1, (_from, next) => filled[next] === 1, corners)
  expect(groups.map((group) => [...group].sort((a, b) => a - b))).toEqual([...expected.values()])
})

it('a group begins where it may and goes on where it is joined', () => {
  const height = Float32Array.from({ length: 12 }, (_value, i) => [1, 3, 5, 3, 1, 0, 3, 3, 0, 5, 2, 0][i]!)
  expect(touching(12, 1, (i) => height[i]! >= 5, (_from, next) => height[next]! >= 2, false).map((group) => [...group].sort((a, b) => a - b))).toEqual([[1, 2, 3], [9, 10]])
})
