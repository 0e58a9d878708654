import { describe, expect, it } from 'vitest'
import { makeRandom } from '../../random.js'
import { shareOfUsual } from './usual-by-tone.js'

describe('what is usual in a tone', () => {
  const plain = { share: 0.15, ofUsual: 1, least: 100, rounded: 0.1 }
  /** Noise that grows with the root of the light; texture on top of it in two thirds of all places, half of it in a few. */
  const random = makeRandom(1)
  const tone = Float32Array.from({ length: 40000 }, () => random.uniform())
  const times = tone.map((_light, i) => (i % 400 === 7 ? 0.5 : random.uniform() < 2 / 3 ? 2 + 5 * random.uniform() : 1))
  const values = tone.map((light, i) => Math.sqrt(light) * times[i]! * (0.9 + 0.2 * random.uniform()))
  const shares = shareOfUsual(values, tone, plain)

  it('is that of the plainer places, tone by tone', () => {
    const mean = (wanted: number, from: number, to: number) => {
      const list = [...shares].filter((_share, i) => times[i] === wanted && tone[i]! > from && tone[i]! < to)
      return list.reduce((sum, share) => sum + share, 0) / list.length
    }
    for (const from of [0.1, 0.4, 0.7]) {
      expect(mean(1, from, from + 0.2)).toBeCloseTo(1, 1)
      expect(mean(0.5, from, from + 0.2)).toBeCloseTo(0.5, 1)
    }
  })
  it('may be said to lie above what plain places have', () => {
    shareOfUsual(values, tone, { ...plain, ofUsual: 0.8 }).forEach((share, i) => expect(share).toBeCloseTo(shares[i] === 1 ? share : 0.8 * shares[i]!, 4))
  })
  it('is no more than the tones beside it allow, where all of a tone has texture', () => {
    const rough = values.map((value, i) => (tone[i]! > 0.52 && tone[i]! < 0.6 ? Math.max(value, 0.9 * Math.sqrt(tone[i]!)) * 4 : value))
    const told = shareOfUsual(rough, tone, plain)
    const within = [...told].filter((_share, i) => times[i] === 1 && tone[i]! > 0.53 && tone[i]! < 0.59)
    // Noise may grow by 1.15 from one of the 32 tones to the next; the rough ones are no further than two from others.
    expect(Math.min(...within)).toBeGreaterThan((0.85 * 4) / 1.15 ** 2)
    const beside = [...told].filter((_share, i) => times[i] === 1 && tone[i]! > 0.62 && tone[i]! < 0.7)
    expect(beside.reduce((sum, share) => sum + share, 0) / beside.length).toBeCloseTo(1, 1)
  })
  it('is not bounded by tones in which noise is lost in rounding', () => {
    const faint = values.map((value, i) => (tone[i]! < 0.3 ? 0.2 * value : value))
    const told = shareOfUsual(faint, tone, { ...plain, rounded: 0.3 })
    told.forEach((share, i) => expect(share).toBeCloseTo(tone[i]! < 0.28 ? 1 : tone[i]! > 0.32 ? shares[i]! : share, 4))
  })
  it('is not told of tones that hardly occur, where noise is cut off, or lost in rounding', () => {
    const mostly = Float32Array.from({ length: 500 }, (_value, i) => [0.5, 0.01, 0.9][i < 480 ? 0 : i % 2 === 0 ? 1 : 2]!)
    const halved = Float32Array.from({ length: 500 }, (_value, i) => (i > 470 ? 1 : 3))
    const told = shareOfUsual(halved, mostly, plain)
    expect(told[475]).toBeCloseTo(1 / 3, 6)
    expect([...told.subarray(480)].every((share) => share === 1)).toBe(true)
    expect([...shareOfUsual(halved, mostly, { ...plain, rounded: 4 })].every((share) => share === 1)).toBe(true)
  })
})
