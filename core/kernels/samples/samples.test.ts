import { describe, expect, it } from 'vitest'
import { makeRandom } from '../../random.js'
import { makeRaster, type IntegerRaster } from '../../raster/raster.js'
import { SampleTable, weighTable } from './samples.js'

/** Each kernel against the slow, obvious sum, on samples of both depths, on sizes that are and are not multiples of four. */

function noise(width: number, height: number, channels: number, depth: 8 | 16): IntegerRaster {
  const random = makeRandom(width + 7 * channels + depth)
  const raster = makeRaster(width, height, channels, depth)
  raster.data.forEach((_value, i) => (raster.data[i] = Math.floor(random.uniform() * (depth === 8 ? 256 : 65536))))
  return raster
}

/** Sum of a pixel's samples. */
const sumAt = ({ width, channels, data }: IntegerRaster, x: number, y: number) => Array.from({ length: channels }, (_value, c) => data[(y * width + x) * channels + c]!).reduce((a, b) => a + b)

/** Size of the second difference along a row; at the ends that of the pixel beside. */
function differenceAt(raster: IntegerRaster, x: number, y: number): number {
  const middle = Math.max(1, Math.min(raster.width - 2, x))
  return Math.abs(2 * sumAt(raster, middle, y) - sumAt(raster, middle - 1, y) - sumAt(raster, middle + 1, y))
}

const range = (count: number) => Array.from({ length: count }, (_value, i) => i)
const CASES = [[32, 20, 3, 8], [41, 23, 3, 16], [37, 18, 1, 8], [48, 16, 1, 16]] as const

describe.each(CASES)('kernels on samples of %i x %i, %i channels of %i bit', (width, height, channels, depth) => {
  const raster = noise(width, height, channels, depth)

  it('weigh the values of a table', () => {
    const table = Float32Array.from({ length: depth === 8 ? 256 : 65536 }, (_value, i) => Math.sqrt(i) / 10)
    const shares = [0.3, 0.45, 0.25] as const
    const values = weighTable(raster, table, shares)
    expect(values).toHaveLength(width * height)
    values.forEach((value, i) => {
      const samples = [...raster.data.subarray(i * channels, (i + 1) * channels)]
      expect(value).toBe(channels === 1 ? table[samples[0]!] : Math.fround(shares[0] * table[samples[0]!]! + shares[1] * table[samples[1]!]! + shares[2] * table[samples[2]!]!))
    })
    // Another table at the same place counts at once.
    expect(weighTable(raster, table.map((value) => 2 * value), shares)[5]).toBeCloseTo(2 * values[5]!, 5)
  })

  it('sum squares, smaller ones along the right edge and below', () => {
    const [left, top, across, down] = [3, 2, width - 5, height - 4]
    const planes = new SampleTable(raster).sumCells(left, top, across, down, 4)
    expect(planes).toHaveLength(channels)
    planes.forEach((plane, c) => plane.forEach((sum, i) => {
      const [column, row] = [i % Math.ceil(across / 4), Math.floor(i / Math.ceil(across / 4))]
      let expected = 0
      for (let y = 4 * row; y < Math.min(down, 4 * row + 4); y++) for (let x = 4 * column; x < Math.min(across, 4 * column + 4); x++) expected += raster.data[((y + top) * width + x + left) * channels + c]!
      expect(sum).toBe(expected)
    }))
  })

  it('sum fine detail and tone over cells, also at both ends of a row', () => {
    for (const left of [0, 1, width - 4 * Math.floor(width / 4)]) {
      const [columns, rows, top] = [Math.floor((width - left) / 4), 3, 2]
      const { detail, tone } = new SampleTable(raster).detailOfCells({ left, top, columns, rows })
      for (const row of range(rows)) for (const column of range(columns)) {
        const places = range(16).map((k) => [left + 4 * column + (k % 4), top + 4 * row + (k >> 2)] as const)
        expect(tone[row * columns + column]).toBe(places.reduce((sum, [x, y]) => sum + sumAt(raster, x, y), 0))
        expect(detail[row * columns + column]).toBe(places.reduce((sum, [x, y]) => sum + differenceAt(raster, x, y), 0))
      }
    }
  })

  it('give the median of the second differences within blocks, and the sum of their samples', () => {
    for (const side of [5, 8]) {
      const [left, top, columns, rows] = [1, Math.min(2, height - 2 * side), Math.floor((width - 1) / side), 2]
      const { middle, total } = new SampleTable(raster).grainOfBlocks({ left, top, columns, rows }, side)
      for (const row of range(rows)) for (const column of range(columns)) {
        const places = range(side * side).map((k) => [left + side * column + (k % side), top + side * row + Math.floor(k / side)] as const)
        expect(total[row * columns + column]).toBe(places.reduce((sum, [x, y]) => sum + sumAt(raster, x, y), 0))
        const sizes = places.filter(([x]) => x > left + side * column && x < left + side * (column + 1) - 1).map(([x, y]) => differenceAt(raster, x, y)).sort((a, b) => a - b)
        expect(middle[row * columns + column]).toBe(sizes[sizes.length >> 1])
      }
    }
  })
})

describe('a median of numbers that are all 0', () => {
  it('is 0', () => {
    expect([...new SampleTable(makeRaster(16, 16, 1, 8)).grainOfBlocks({ left: 0, top: 0, columns: 2, rows: 2 }, 8).middle]).toEqual([0, 0, 0, 0])
  })
})
