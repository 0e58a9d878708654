import { describe, expect, it } from 'vitest'
import { makeRandom } from '../../random.js'
import { makeRaster, type IntegerRaster } from '../../raster/raster.js'
import { median } from '../../numbers/statistics.js'
import { SourceArea } from './source-area.js'

/** Each kernel against the slow, obvious sum, on samples of both depths and cells of one and of several pixels. */

function noise(width: number, height: number, channels: number, depth: 8 | 16): IntegerRaster {
  const random = makeRandom(width + 7 * channels + depth)
  const raster = makeRaster(width, height, channels, depth)
  raster.data.forEach((_value, i) => (raster.data[i] = Math.floor(random.uniform() * (depth === 8 ? 256 : 65536))))
  return raster
}

const range = (count: number) => Array.from({ length: count }, (_value, i) => i)
const sum = (values: readonly number[]) => values.reduce((a, b) => a + b, 0)
const CASES = [[33, 21, 3, 8, 1], [41, 23, 3, 16, 2], [37, 18, 1, 8, 4], [48, 17, 1, 16, 1]] as const

describe.each(CASES)('an area of %i x %i, %i channels of %i bit, in cells of %i px', (width, height, channels, depth, side) => {
  const raster = noise(width, height, channels, depth)
  const light = channels === 3 ? 1 : 0
  const [columns, rows] = [Math.floor(width / side), Math.floor(height / side)]
  const at = (x: number, y: number, c: number) => raster.data[(Math.min(height - 1, y) * width + Math.min(width - 1, x)) * channels + c]!
  const pixelsOf = (cell: number) => range(side * side).map((k) => [(cell % columns) * side + (k % side), Math.floor(cell / columns) * side + Math.floor(k / side)] as const)
  const tone = (cell: number, c: number) => sum(pixelsOf(cell).map(([x, y]) => at(x, y, c))) / (side * side)
  const cells = range(columns * rows)

  it('has the mean tones, the texture and the structure of its cells', () => {
    const area = new SourceArea(raster)
    const grid = area.cells(side)
    expect([grid.columns, grid.rows]).toEqual([columns, rows])
    area.lightOf(grid).forEach((mean, cell) => expect(mean).toBeCloseTo(tone(cell, light), 2))
    for (const cell of [0, columns - 1, 2 * columns + 3, cells.length - columns - 2]) {
      const one = area.list(Int32Array.of(cell))
      const steps = pixelsOf(cell).map(([x, y]) => Math.abs(at(x, y, light) - at(x + 1, y, light)) + Math.abs(at(x, y, light) - at(x, y + 1, light)))
      expect(area.meanTexture(grid, one)).toBeCloseTo(sum(steps) / (side * side), 2)
      const under = cell + columns < cells.length ? cell + columns : cell
      expect(area.meanStructure(grid, one)).toBeCloseTo(Math.abs(tone(cell, light) - tone(cell + 1, light)) + Math.abs(tone(cell, light) - tone(under, light)), 2)
    }
    const several = [3, 4, columns + 4]
    const moved = several.map((cell) => area.meanTexture(grid, area.list(Int32Array.of(cell + 2))))
    expect(area.meanTexture(grid, area.list(Int32Array.from(several)), 2)).toBeCloseTo(sum(moved) / 3, 3)
  })

  it('says whether a place that is moved lies on a marked one', () => {
    const area = new SourceArea(raster)
    const marks = area.marks(Uint8Array.from(cells, (cell) => (cell === 7 ? 1 : 0)))
    const places = area.list(Int32Array.of(2, 4))
    expect([2, 3, 4, 5].map((shift) => area.reachesMarked(marks, places, shift))).toEqual([false, true, false, true])
  })

  it('matches cells by the upper median of their differences, what is far off counting a quarter', () => {
    const area = new SourceArea(raster)
    const grid = area.cells(side)
    for (const count of [1, 4, 7, 64]) {
      const list = cells.slice(0, Math.min(count, cells.length - columns - 1))
      const places = area.list(Int32Array.from(list))
      const spread = depth === 8 ? 9 : 2500
      const expected = range(channels).map((c) => {
        const differences = list.map((cell) => tone(cell, c) - tone(cell + columns + 1, c))
        const middle = differences.slice().sort((a, b) => a - b)[list.length >> 1]!
        return sum(differences.map((d) => Math.abs(d - middle) / spread).map((z) => (z < 6 ? z : 6 + (z - 6) / 4))) / list.length
      })
      expect(area.match(grid, places, columns + 1, spread, area.roomFor(places))).toBeCloseTo(sum(expected) / channels, 4)
    }
  })

  it('compares witnesses with those of a source, and stops adding up beyond a limit', () => {
    const area = new SourceArea(raster)
    const places = [0, 3, width + 1, 2 * width + 5]
    const own = range(channels).map((c) => Float32Array.from(places, (_place, k) => 40 * k + c))
    const asked = area.witnesses(Int32Array.from(places), own)
    const start = 4 * width + 2
    for (const c of range(channels)) {
      const differences = places.map((place, k) => 40 * k + c - raster.data[(start + place) * channels + c]!)
      expect(area.compare(asked, c, start)).toBe(sum(differences))
      expect([...area.keptDifferences(asked)]).toEqual(differences)
      const about = sum(differences.map((d) => Math.abs(d - 11)))
      expect(area.sumAbout(asked, 11, Infinity)).toBe(about)
      expect(area.sumAbout(asked, 11, about)).toBe(about)
      expect(area.sumAbout(asked, 11, about - 0.5)).toBe(Infinity)
    }
  })
})

describe('the median of differences', () => {
  it('is that of sorting, whatever their signs', () => {
    const random = makeRandom(4)
    for (const [low, high] of [[0, 255], [0, 100], [150, 255]] as const) {
      // One row of tones and one of what they are compared with: differences of one sign or of both.
      const raster = makeRaster(61, 2, 1, 8)
      raster.data.forEach((_value, i) => (raster.data[i] = i < 61 ? 120 : Math.round(low + (high - low) * random.uniform())))
      const area = new SourceArea(raster)
      const grid = area.cells(1)
      const places = area.list(Int32Array.from(range(61)))
      const differences = range(61).map((i) => 120 - raster.data[61 + i]!)
      const middle = median(Float32Array.from(differences))
      const expected = sum(differences.map((d) => Math.abs(d - middle) / 50).map((z) => (z < 6 ? z : 6 + (z - 6) / 4))) / 61
      expect(area.match(grid, places, 61, 50, area.roomFor(places))).toBeCloseTo(expected, 9)
    }
  })
})

describe('a large area', () => {
  it('has a memory of its own, which does not stay: the one that was there before is still good', () => {
    const small = new SourceArea(noise(40, 30, 1, 8))
    const places = small.list(Int32Array.from(range(30)))
    const grid = small.cells(1)
    const before = small.match(grid, places, 41, 9, small.roomFor(places))
    const raster = noise(2100, 2000, 1, 8)
    const large = new SourceArea(raster)
    const step = (i: number) => Math.abs(raster.data[i]! - raster.data[i + 1]!) + Math.abs(raster.data[i]! - raster.data[i + 2100]!)
    expect(large.meanTexture(large.cells(1), large.list(Int32Array.of(700, 1500000)))).toBe((step(700) + step(1500000)) / 2)
    expect(small.match(grid, places, 41, 9, small.roomFor(places))).toBe(before)
  })
})
