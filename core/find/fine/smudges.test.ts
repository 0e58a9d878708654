import { describe, expect, it } from 'vitest'
import { makeRandom } from '../../random.js'
import { makeRaster, rasterSource, type IntegerRaster } from '../../raster/raster.js'
import { makeTransfer } from '../../raster/transfer.js'
import { distanceAt, shapeArea } from '../../shape/shape.js'
import { chooseMend } from '../../mend/choose.js'
import { flawsOfFinds } from '../found-flaws.js'
import { findFlaws, findInTile, gatherFinds } from '../find.js'
import type { Find } from '../finds.js'
import { SampleTable } from '../../kernels/samples/samples.js'
import { FINE_CELL, fineDetailOfTile } from './smudges.js'

const transfer = makeTransfer({ type: 'srgb' }, 8)
const [width, height] = [720, 512]
interface Wiped { readonly x: number; readonly y: number; readonly r: number }

/** A sky with grain over a dark hill; where something was wiped out, each pixel is a mean of those around it. */
function picture(wiped: readonly Wiped[], more: (x: number, y: number, tone: number) => number = (_x, _y, tone) => tone): IntegerRaster {
  const random = makeRandom(9)
  const plain = new Float32Array(width * height)
  for (let i = 0; i < plain.length; i++) {
    const y = Math.floor(i / width)
    const tone = y > 380 + 0.2 * Math.abs((i % width) - 300) ? 55 : 120 + 0.1 * y
    plain[i] = tone + 8 * (random.uniform() + random.uniform() + random.uniform() - 1.5)
  }
  const raster = makeRaster(width, height, 1, 8)
  for (let i = 0; i < plain.length; i++) {
    const x = i % width
    const y = Math.floor(i / width)
    let tone = plain[i]!
    if (wiped.some((place) => Math.hypot(place.x - x, place.y - y) < place.r)) {
      tone = 0
      for (let dy = -3; dy <= 3; dy++) for (let dx = -3; dx <= 3; dx++) tone += plain[i + dy * width + dx]! / 49
    }
    raster.data[i] = Math.max(0, Math.min(255, Math.round(more(x, y, tone))))
  }
  return raster
}
const smudgesIn = (raster: IntegerRaster): Find[] => findFlaws(rasterSource(raster), transfer, { kinds: ['flat'], falseFinds: 3 }).filter(({ kind }) => kind === 'smudge')

describe('fine detail of cells', () => {
  it('is the mean size of the second differences, and their tone', () => {
    const raster = picture([])
    const tile = { x: 8, y: 4, width: 60, height: 21 }
    const { detail, tone, columns, column, row } = fineDetailOfTile(new SampleTable(raster), { x: 0, y: 0, width, height }, tile)
    expect([columns, column, row, detail.length]).toEqual([15, 2, 1, 75])
    const at = (x: number, y: number) => raster.data[y * width + x]!
    let sum = 0
    let light = 0
    for (let y = 4 + FINE_CELL; y < 4 + 2 * FINE_CELL; y++) {
      for (let x = 8 + 3 * FINE_CELL; x < 8 + 4 * FINE_CELL; x++) {
        sum += Math.abs(2 * at(x, y) - at(x - 1, y) - at(x + 1, y)) / 16
        light += at(x, y) / 16 / 255
      }
    }
    expect(detail[columns + 3]).toBeCloseTo(sum, 5)
    expect(tone[columns + 3]).toBeCloseTo(light, 5)
  })
})

describe('smudges', () => {
  const wiped: Wiped[] = [{ x: 100, y: 90, r: 10.5 }, { x: 340, y: 200, r: 12 }, { x: 560, y: 120, r: 17 }, { x: 300, y: 460, r: 12 }]
  it('are found where something was wiped out, as large as they are, in the sky and in the dark', () => {
    const finds = smudgesIn(picture(wiped))
    expect(finds).toHaveLength(wiped.length)
    for (const { x, y, r } of wiped) {
      const find = finds.find(({ shape }) => distanceAt(shape, x, y) < 0)
      expect(find, `at ${x}, ${y}`).toBeDefined()
      const area = shapeArea(find!.shape) / (Math.PI * r * r)
      expect(area).toBeGreaterThan(0.6)
      expect(area).toBeLessThan(2.4)
      expect(find!.confidence).toBeGreaterThan(0.5)
    }
  })
  it('are the same whether a tile ends in one of them or not', () => {
    const raster = picture(wiped)
    const options = { kinds: ['flat' as const], falseFinds: 3 }
    const tiles = [{ x: 0, y: 0, width: 344, height }, { x: 344, y: 0, width: width - 344, height }]
    const whole = { x: 0, y: 0, width, height }
    const parted = gatherFinds(tiles.map((tile) => findInTile(raster, whole, tile, transfer, options, whole)), options, { width, height })
    expect(parted.filter(({ kind }) => kind === 'smudge')).toEqual(smudgesIn(raster))
  })
  it('are no places without grain of their own: blown out, or large', () => {
    expect(smudgesIn(picture([], (x, y, tone) => (Math.hypot(x - 200, y - 150) < 14 ? 255 : tone)))).toEqual([])
    expect(smudgesIn(picture([{ x: 340, y: 180, r: 60 }]))).toEqual([])
  })
  it('are not told in a picture that compression has made uneven all over', () => {
    const random = makeRandom(3)
    const left = Float32Array.from({ length: 90 * 64 }, () => random.uniform())
    const base = (x: number, y: number) => (y > 380 + 0.2 * Math.abs(x - 300) ? 55 : 120 + 0.1 * y)
    expect(smudgesIn(picture([], (x, y, tone) => base(x, y) + left[(y >> 3) * 90 + (x >> 3)]! * 2 * (tone - base(x, y))))).toEqual([])
  })
  it('are mended with the grain of what is around, and not lifted: no shadow made them', () => {
    const raster = picture([wiped[1]!])
    const [flaw] = flawsOfFinds(smudgesIn(raster), () => 'f')
    const step = chooseMend({ picture: rasterSource(raster), transfer, flaw: flaw!, openFlaws: [], id: 'm' })
    expect(step.method).not.toBe('lift')
    expect(step.telltales!.grain.value).toBeGreaterThan(0.85)
    expect(step.telltales!.grain.value).toBeLessThan(1.15)
  })
  it('are none in grain alone', () => {
    expect(smudgesIn(picture([]))).toEqual([])
  })
})
