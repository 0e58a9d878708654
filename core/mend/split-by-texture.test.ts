import { describe, expect, it } from 'vitest'
import { makeRandom } from '../random.js'
import { makeRaster, rasterSource, type IntegerRaster } from '../raster/raster.js'
import { makeTransfer } from '../raster/transfer.js'
import type { Stroke } from '../shape/shape.js'
import { splitByTexture } from './split-by-texture.js'

const transfer = makeTransfer({ type: 'srgb' }, 8)
const [width, height] = [500, 200]
/** Ground by column: a tone and how coarse its grain is. */
function ground(at: (x: number) => { tone: number; grain: number }, seed: number): IntegerRaster {
  const random = makeRandom(seed)
  const picture = makeRaster(width, height, 3, 8)
  for (let i = 0; i < width * height; i++) {
    const { tone, grain } = at(i % width)
    const value = Math.round(tone + grain * (random.uniform() + random.uniform() - 1))
    for (let c = 0; c < 3; c++) picture.data[3 * i + c] = Math.max(0, Math.min(255, value))
  }
  return picture
}
const stroke: Stroke = { type: 'stroke', points: [[20, 90], [250, 110], [480, 95]], width: 12 }
const split = (picture: IntegerRaster) => splitByTexture(rasterSource(picture), transfer, stroke)

describe('a stroke over two grounds', () => {
  it('is cut where the tone changes, to about its width, and its parts keep its ends', () => {
    const parts = split(ground((x) => ({ tone: x < 300 ? 190 : 90, grain: 6 }), 1))
    expect(parts).toHaveLength(2)
    expect(parts[0]!.points[0]).toEqual([20, 90])
    expect(parts[1]!.points.at(-1)).toEqual([480, 95])
    expect(Math.abs(parts[0]!.points.at(-1)![0] - 300)).toBeLessThan(12)
    expect(Math.abs(parts[1]!.points[0]![0] - 300)).toBeLessThan(12)
    expect(parts.every((part) => part.width === 12)).toBe(true)
  })
  it('is cut where only the texture changes', () => {
    const parts = split(ground((x) => ({ tone: 140, grain: x < 180 ? 5 : 60 }), 2))
    expect(parts).toHaveLength(2)
    expect(Math.abs(parts[0]!.points.at(-1)![0] - 180)).toBeLessThan(16)
  })
  it('is cut twice over three', () => expect(split(ground((x) => ({ tone: x < 160 ? 200 : x < 330 ? 110 : 50, grain: 6 }), 3))).toHaveLength(3))
  it('stays whole where the ground is the same, slopes, or the stroke is short', () => {
    expect(split(ground(() => ({ tone: 140, grain: 30 }), 4))).toEqual([stroke])
    expect(split(ground((x) => ({ tone: 90 + 0.2 * x, grain: 8 }), 5))).toEqual([stroke])
    const short: Stroke = { ...stroke, points: [[290, 100], [310, 100]] }
    expect(splitByTexture(rasterSource(ground((x) => ({ tone: x < 300 ? 190 : 90, grain: 6 }), 6)), transfer, short)).toEqual([short])
  })
})
