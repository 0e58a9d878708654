import { describe, expect, it } from 'vitest'
import { makeRandom } from '../../random.js'
import type { Plane } from '../../raster/raster.js'
import { RingLook } from './rings.js'

/** What rings tell is held against the obvious way in core/find/rings.test.ts; here what a look does beside. */

const random = makeRandom(31)
const noise = (width: number, height: number): Plane => ({ width, height, data: Float32Array.from({ length: width * height }, () => random.uniform()) })
const range = (count: number) => Array.from({ length: count }, (_value, i) => i)

const TURNS = range(16).map((k) => [Math.cos((k * Math.PI) / 8), Math.sin((k * Math.PI) / 8)] as const)
const FEATURES = 3 + 4 * 4 + 2
const JUDGE = { units: range(4).map(() => range(FEATURES + 1).map(() => 2 * random.uniform() - 1)), constant: 0.3, leak: 0.05 }
const look = new RingLook({ rings: [[0.5, 0], [1, 1], [1.5, 2], [2, 3]], turns: TURNS, ground: 2, spoke: [1, 3], ahead: 3 }, JUDGE)

describe('a look at rings', () => {
  const plane = noise(40, 30)
  it('is weighed by units, what is known ahead with what the rings tell', () => {
    const features = [...look.disc(plane, 20, 15, 3, 0.4, [1, -2, 0.5])]
    expect(features).toHaveLength(FEATURES)
    expect(features.slice(0, 3)).toEqual([1, -2, 0.5])
    const answers = JUDGE.units.map((unit) => {
      const sum = features.reduce((all, value, i) => all + value * unit[i]!, 0)
      return unit.at(-1)! * (sum > 0 ? sum : 0.05 * sum)
    })
    // Both ways of a unit are gone.
    expect(new Set(JUDGE.units.map((unit) => Math.sign(features.reduce((all, value, i) => all + value * unit[i]!, 0)))).size).toBe(2)
    expect(look.score()).toBeCloseTo(answers.reduce((all, answer) => all + answer, 0.3), 9)
  })
  it('tells a pixel from the mean of eight around it, those beyond the edge being the edge', () => {
    const at = (x: number, y: number) => plane.data[Math.max(0, Math.min(29, Math.floor(y))) * 40 + Math.max(0, Math.min(39, Math.floor(x)))]!
    for (const [x, y] of [[20.3, 14.8], [1.2, 28.4]] as const) {
      const around = range(8).map((k) => at(x + 3.3 * Math.cos((k * Math.PI) / 4), y + 3.3 * Math.sin((k * Math.PI) / 4)))
      expect(look.differenceAround(plane, x, y, 3.3)).toBeCloseTo(at(x, y) - around.reduce((all, value) => all + value) / 8, 6)
    }
  })
  it('goes on from plane to plane and back, however many there were', () => {
    const planes = range(40).map((k) => noise(64 + k, 50))
    const told = planes.map((one) => [...look.disc(one, 30, 25, 4, 0.2, [0, 0, 0])])
    expect(new Set(told.map((features) => features.join())).size).toBe(40)
    planes.forEach((one, k) => expect([...look.disc(one, 30, 25, 4, 0.2, [0, 0, 0])]).toEqual(told[k]))
  })
})
