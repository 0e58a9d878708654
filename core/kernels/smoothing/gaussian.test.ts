import { describe, expect, it } from 'vitest'
import { makeRandom } from '../../random.js'
import { filterBothWays } from './gaussian.js'

/** The same by the definition, tap after tap in double precision. */
function slowFilter(data: Float32Array, width: number, height: number, taps: Float64Array): Float32Array {
  const radius = (taps.length - 1) / 2
  const clamp = (value: number, most: number) => Math.max(0, Math.min(most, value))
  const once = (source: Float32Array, dx: number, dy: number) =>
    Float32Array.from(source, (_value, i) => {
      const [x, y] = [i % width, Math.floor(i / width)]
      return taps.reduce((sum, tap, k) => sum + tap * source[clamp(y + dy * (k - radius), height - 1) * width + clamp(x + dx * (k - radius), width - 1)]!, 0)
    })
  return once(once(data, 1, 0), 0, 1)
}

describe('the compiled filter', () => {
  const random = makeRandom(5)
  it.each([[1, 1, 1], [5, 3, 4], [8, 8, 1], [37, 21, 3], [64, 9, 12]])('of %i x %i pixels with radius %i equals the definition to the last bit', (width, height, radius) => {
    const data = Float32Array.from({ length: width * height }, () => random.uniform() - 0.3)
    const taps = Float64Array.from({ length: 2 * radius + 1 }, () => random.uniform())
    expect(filterBothWays(data, width, height, taps)).toEqual(slowFilter(data, width, height, taps))
  })
  it('leaves its argument and earlier results as they are', () => {
    const data = Float32Array.from({ length: 64 }, (_value, i) => i)
    const taps = Float64Array.from([0.25, 0.5, 0.25])
    const first = filterBothWays(data, 8, 8, taps)
    const kept = first.slice()
    filterBothWays(first, 8, 8, taps)
    expect(first).toEqual(kept)
    expect(data[9]).toBe(9)
  })
})
