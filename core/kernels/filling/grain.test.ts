import { describe, expect, it } from 'vitest'
import { makeRandom } from '../../random.js'
import { gaussianBlur, gaussianWeights } from '../../raster/blur.js'
import { GrainTable } from './grain.js'

const [width, height] = [40, 26]
const random = makeRandom(5)
const channels = [0, 1, 2].map(() => Float32Array.from({ length: width * height }, () => random.uniform()))
const role = Uint8Array.from({ length: width * height }, (_value, i) => (i % 11 === 0 ? 1 : 0))
const weights = gaussianWeights(1.5)
const table = () => new GrainTable({ width, height, channels, role }, 200, width * (height + weights.length), weights.length)

describe('the fine detail of places', () => {
  it('is what the Gaussian filter takes away, in the corners too', () => {
    const places = Int32Array.from([0, 3, width - 1, 5 * width + 7, 5 * width + 8, 13 * width + 20, 25 * width, 26 * width - 1])
    channels.forEach((data, c) => {
      const smooth = gaussianBlur({ width, height, data }, 1.5).data
      const detail = table().fineDetail(c, places, { left: 0, top: 0, columns: width, rows: height }, weights)
      places.forEach((i, k) => expect(detail[k]).toBeCloseTo(data[i]! - smooth[i]!, 5))
    })
  })

  it('of the plane to work in is that of zeros', () => {
    expect([...table().fineDetail(3, Int32Array.of(0, 99), { left: 0, top: 0, columns: width, rows: 3 }, weights)]).toEqual([0, 0])
  })
})

describe('the cost of a place that lends', () => {
  const gaps = [5 * width + 6, 5 * width + 7]
  const witnesses = [4 * width + 5, 4 * width + 8, 6 * width + 6, 6 * width + 9]

  it('is the difference to it over the square of what is known of it', () => {
    const costOf = table().ask(gaps, witnesses)
    for (let shift = 1; shift < 400; shift++) {
      const lendable = gaps.every((i) => role[i + shift] === 0)
      const seen = witnesses.filter((i) => role[i + shift] === 0)
      const difference = seen.reduce((sum, i) => sum + channels.reduce((all, plane) => all + Math.abs(plane[i]! - plane[i + shift]!), 0), 0)
      expect(costOf(shift)).toBeCloseTo(lendable ? difference / (seen.length + 1) ** 2 : Infinity, 6)
    }
  })
})
