import { describe, expect, it } from 'vitest'
import { makeRandom } from '../../random.js'
import type { FloatRaster } from '../../raster/raster.js'
import { nonLocalMeans } from './non-local.js'

/** The same by the definition, pixel after pixel in double precision. */
function slow({ width, height, channels, data }: FloatRaster, noise: number, apart: number, search: number): Float32Array {
  const at = (x: number, y: number, c: number) => data[(Math.max(0, Math.min(height - 1, y)) * width + Math.max(0, Math.min(width - 1, x))) * channels + c]!
  const result = new Float32Array(data.length)
  for (let y = 0; y < height; y++) {
    for (let x = 0; x < width; x++) {
      let [weights, greatest] = [0, 1e-6]
      const sums = Array.from({ length: channels }, () => 0)
      for (let dy = -search; dy <= search; dy++) {
        for (let dx = -search; dx <= search; dx++) {
          if (dx === 0 && dy === 0) continue
          let sum = 0
          for (let v = -1; v <= 1; v++) for (let u = -1; u <= 1; u++) for (let c = 0; c < channels; c++) sum += (at(x + u, y + v, c) - at(x + dx + u, y + dy + v, c)) ** 2
          const u = Math.max(0, sum / (9 * channels) - 2 * noise ** 2) / ((apart ** 2 - 2) * noise ** 2)
          const weight = Math.max(0, 1 - u) ** 8
          weights += weight
          greatest = Math.max(greatest, weight)
          for (let c = 0; c < channels; c++) sums[c]! += weight * at(x + dx, y + dy, c)
        }
      }
      for (let c = 0; c < channels; c++) result[(y * width + x) * channels + c] = (sums[c]! + greatest * at(x, y, c)) / (weights + greatest)
    }
  }
  return result
}

const random = makeRandom(3)
const noisy = (width: number, height: number, channels: 1 | 3): FloatRaster => ({
  width, height, channels,
  data: Float32Array.from({ length: width * height * channels }, (_value, i) => 0.4 + 0.2 * Math.sin((Math.floor(i / channels) % width) / 3) + 0.1 * (random.uniform() - 0.5)),
})

describe('non-local means', () => {
  it.each([[1, 1, 1, 1], [7, 5, 3, 2], [16, 9, 1, 5], [33, 20, 3, 4]] as const)('of %i x %i pixels with %i channels, looking %i pixels around, equal the definition', (width, height, channels, search) => {
    const picture = noisy(width, height, channels)
    const [fast, reference] = [nonLocalMeans(picture, 0.03, 4, search).data, slow(picture, 0.03, 4, search)]
    for (let i = 0; i < fast.length; i++) expect(Math.abs(fast[i]! - reference[i]!)).toBeLessThan(1e-5)
  })

  it('are the same to the last bit wherever a tile begins', () => {
    const picture = noisy(60, 40, 3)
    const [whole, search] = [nonLocalMeans(picture, 0.03, 4, 3), 3]
    for (const [left, top] of [[3, 5], [10, 1], [17, 8]] as const) {
      const [width, height] = [30, 24]
      const part = { width, height, channels: 3 as const, data: Float32Array.from({ length: width * height * 3 }, (_value, i) => picture.data[((top + Math.floor(i / 3 / width)) * 60 + left + (Math.floor(i / 3) % width)) * 3 + (i % 3)]!) }
      const tile = nonLocalMeans(part, 0.03, 4, search)
      for (let y = search + 1; y < height - search - 1; y++) {
        for (let x = 3 * (search + 1); x < 3 * (width - search - 1); x++) expect(tile.data[3 * y * width + x]).toBe(whole.data[3 * ((top + y) * 60 + left) + x])
      }
    }
  })

  it('leave its argument as it is, and keep what is unlike everything around it', () => {
    const data = new Float32Array(81).fill(0.5)
    data[40] = 1
    const kept = data.slice()
    expect(nonLocalMeans({ width: 9, height: 9, channels: 1, data }, 0.01, 4, 3).data[40]).toBeCloseTo(1, 5)
    expect(data).toEqual(kept)
  })
})
