import { describe, expect, it } from 'vitest'
import { SampleTable } from '../../kernels/samples/samples.js'
import { makeRandom } from '../../random.js'
import { makeRaster, type IntegerRaster, type Region } from '../../raster/raster.js'
import { CELL_SIDE, cellsOfPicture, cellsOfTile } from './cells.js'

function noise(width: number, height: number, channels: 1 | 3, depth: 8 | 16): IntegerRaster {
  const random = makeRandom(width + height)
  const raster = makeRaster(width, height, channels, depth)
  for (let i = 0; i < raster.data.length; i++) raster.data[i] = Math.floor(random.uniform() * (depth === 8 ? 256 : 65536))
  return raster
}

/** The mean by its definition. */
function meanOver(raster: IntegerRaster, { x, y, width, height }: Region, c: number): number {
  let sum = 0
  let count = 0
  for (let row = y; row < Math.min(raster.height, y + height); row++) {
    for (let column = x; column < Math.min(raster.width, x + width); column++) {
      sum += raster.data[(row * raster.width + column) * raster.channels + c]!
      count++
    }
  }
  return (255 * sum) / count / (raster.data instanceof Uint16Array ? 65535 : 255)
}

const tileOf = (raster: IntegerRaster): Region => ({ x: 0, y: 0, width: raster.width, height: raster.height })

describe('cells', () => {
  it('hold the mean of their pixels, of fewer along the edge', () => {
    const raster = noise(10, 7, 1, 16)
    const { columns, planes } = cellsOfTile(new SampleTable(raster), tileOf(raster), tileOf(raster))
    expect([columns, planes.length, planes[0]!.length]).toEqual([3, 1, 6])
    for (let i = 0; i < 6; i++) expect(planes[0]![i]).toBeCloseTo(meanOver(raster, { x: (i % 3) * CELL_SIDE, y: Math.floor(i / 3) * CELL_SIDE, width: CELL_SIDE, height: CELL_SIDE }, 0), 3)
  })

  it('are the same whichever part of the picture was read, channel by channel', () => {
    const raster = noise(640, 480, 3, 8)
    const part = cellsOfTile(new SampleTable(raster), tileOf(raster), { x: 320, y: 240, width: 64, height: 48 })
    expect([part.column, part.row, part.planes.length]).toEqual([80, 60, 3])
    for (let c = 0; c < 3; c++) expect(part.planes[c]![0]).toBeCloseTo(meanOver(raster, { x: 320, y: 240, width: CELL_SIDE, height: CELL_SIDE }, c), 3)
  })

  it('of tiles make those of the picture, put together by fours while there are too many', () => {
    const raster = noise(90, 50, 3, 8)
    const tiles = [{ x: 0, y: 0, width: 64, height: 50 }, { x: 64, y: 0, width: 26, height: 50 }].map((tile) => cellsOfTile(new SampleTable(raster), tileOf(raster), tile))
    const whole = cellsOfTile(new SampleTable(raster), tileOf(raster), tileOf(raster))
    const fine = cellsOfPicture(tiles, raster, 1e6)
    expect([fine.columns, fine.rows, fine.side]).toEqual([23, 13, CELL_SIDE])
    expect(fine.planes.map((plane) => [...plane])).toEqual(whole.planes.map((plane) => [...plane]))
    const coarse = cellsOfPicture(tiles, raster, 100)
    expect([coarse.columns, coarse.rows, coarse.side]).toEqual([12, 7, 2 * CELL_SIDE])
    expect(coarse.planes[1]![0]).toBeCloseTo(meanOver(raster, { x: 0, y: 0, width: 8, height: 8 }, 1), 3)
  })
})
