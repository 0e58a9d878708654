import { describe, expect, it } from 'vitest'
import { makeRandom } from '../random.js'
import { usualByTone } from './usual-by-tone.js'

describe('what is usual in a tone', () => {
  /** Noise that grows with the root of the light, and texture on top of it in two thirds of all places. */
  function measured(count: number, seed: number) {
    const random = makeRandom(seed)
    const tone = Float32Array.from({ length: count }, () => random.uniform())
    const values = tone.map((light) => Math.sqrt(light) * (0.9 + 0.2 * random.uniform()) * (random.uniform() < 2 / 3 ? 2 + 5 * random.uniform() : 1))
    return { values, tone }
  }
  it('is that of the plainer places, tone by tone', () => {
    const usual = usualByTone([measured(40000, 1)], 0.15, 100)
    for (const light of [0.1, 0.3, 0.5, 0.7, 0.9]) expect(usual(light) / Math.sqrt(light)).toBeCloseTo(1, 1)
    expect(usual(0.8) / usual(0.2)).toBeGreaterThan(1.7)
  })
  it('is the same whether a picture comes whole or in parts', () => {
    const { values, tone } = measured(8000, 2)
    const whole = usualByTone([{ values, tone }], 0.3, 50)
    const parts = usualByTone([0, 1000, 5000].map((from, k) => ({ values: values.subarray(from, [1000, 5000, 8000][k]), tone: tone.subarray(from, [1000, 5000, 8000][k]) })), 0.3, 50)
    for (let light = 0; light < 1; light += 0.05) expect(parts(light)).toBe(whole(light))
  })
  it('is not told of tones that hardly occur, nor where noise is cut off', () => {
    const tone = Float32Array.from({ length: 500 }, (_value, i) => (i < 480 ? 0.5 : 0.9))
    const usual = usualByTone([{ values: new Float32Array(500).fill(3), tone }], 0.3, 100)
    expect(usual(0.5)).toBe(3)
    expect([usual(0.9), usual(0.01), usual(0.99)]).toEqual([0, 0, 0])
  })
})
