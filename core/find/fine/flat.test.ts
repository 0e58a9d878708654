import { describe, expect, it } from 'vitest'
import { makeRandom } from '../../random.js'
import { depthOf, makeRaster, rasterSource, type IntegerRaster } from '../../raster/raster.js'
import { makeTransfer } from '../../raster/transfer.js'
import { insideOutline, type Outline } from '../../shape/shape.js'
import { findFlaws } from '../find.js'
import type { Find } from '../finds.js'
import { SampleTable } from '../../kernels/samples/samples.js'
import { flatPatches, GRAIN_BLOCK, grainBlocks } from './flat.js'

const transfer = makeTransfer({ type: 'srgb' }, 8)
const [width, height] = [640, 480]

/** A sky that darkens upward, with grain and a dark roof; of the grain only a share is left where a patch says so. */
function picture(left: (x: number, y: number) => number, seed = 5): IntegerRaster {
  const random = makeRandom(seed)
  const raster = makeRaster(width, height, 3, 8)
  for (let y = 0; y < height; y++) {
    for (let x = 0; x < width; x++) {
      const roof = y > 330 + 0.3 * Math.abs(x - 320)
      const base = roof ? 60 : 130 + 0.15 * y
      for (let c = 0; c < 3; c++) raster.data[3 * (y * width + x) + c] = Math.round(base + left(x, y) * (roof ? 5 : 7) * (random.uniform() + random.uniform() + random.uniform() - 1.5))
    }
  }
  return raster
}
const flatIn = (raster: IntegerRaster): Find[] => findFlaws(rasterSource(raster), transfer, { kinds: ['flat'], falseFinds: 3 })
const patch = { x: 200, y: 90, width: 150, height: 110 }
const inPatch = (x: number, y: number) => x >= patch.x && x < patch.x + patch.width && y >= patch.y && y < patch.y + patch.height

describe('grain of blocks', () => {
  it('is the deviation that was put in, whatever slope lies under it', () => {
    const raster = picture(() => 1)
    const { deviation, columns } = grainBlocks(new SampleTable(raster), { x: 0, y: 0, width, height }, { x: 0, y: 0, width, height })
    // Three uniform numbers have a deviation of a half, and each channel its own.
    const expected = 7 * 0.5
    expect(depthOf(raster)).toBe(8)
    const sky = Array.from({ length: 12 }, (_value, row) => deviation[(row + 2) * columns + 5]!)
    expect(sky.reduce((sum, value) => sum + value, 0) / sky.length / expected).toBeGreaterThan(0.9)
    expect(sky.reduce((sum, value) => sum + value, 0) / sky.length / expected).toBeLessThan(1.15)
  })
})

describe('flat patches', () => {
  it.each([0, 0.3])('with %d of the grain left are found, to a block', (left) => {
    const finds = flatIn(picture((x, y) => (inPatch(x, y) ? left : 1)))
    expect(finds).toHaveLength(1)
    const [find] = finds
    expect(find!.kind).toBe('flat')
    const inside = insideOutline(find!.shape as Outline, { x: 0, y: 0, width, height })
    let both = 0
    let either = 0
    for (let i = 0; i < inside.length; i++) {
      const truth = inPatch(i % width, Math.floor(i / width))
      if (truth && inside[i]) both++
      if (truth || inside[i]) either++
    }
    // A patch of 150 x 110 px in whole blocks of 16.
    expect(GRAIN_BLOCK).toBe(16)
    expect(both / either).toBeGreaterThan(0.75)
    expect(find!.confidence).toBeGreaterThan(0.8)
  })
  it('are found where grain is hardly more than a step of the samples, as in a bright sky', () => {
    // Deviation of 0.98 in each channel; of the mean of three it is 0.57, which would be taken for lost in rounding.
    const finds = flatIn(picture((x, y) => (inPatch(x, y) ? 0 : 0.28)))
    expect(finds.map(({ kind }) => kind)).toEqual(['flat'])
    expect(finds[0]!.confidence).toBeGreaterThan(0.8)
  })
  it('are two where two lie in ground of other tones, each held against its own', () => {
    const onRoof = (x: number, y: number) => x >= 260 && x < 400 && y >= 380 && y < 470
    const finds = flatIn(picture((x, y) => (inPatch(x, y) || onRoof(x, y) ? 0.2 : 1)))
    expect(finds).toHaveLength(2)
    const middles = finds.map(({ shape }) => (shape as Outline).points.reduce((sum, [, y]) => sum + y, 0) / (shape as Outline).points.length).sort((a, b) => a - b)
    expect(Math.abs(middles[0]! - 145)).toBeLessThan(16)
    expect(Math.abs(middles[1]! - 425)).toBeLessThan(24)
  })
  it('that are smaller than a few blocks are left alone', () => {
    expect(flatIn(picture((x, y) => (x >= 208 && x < 232 && y >= 96 && y < 130 ? 0 : 1)))).toEqual([])
  })
  it('are the same however the picture is cut into tiles of whole blocks', () => {
    const raster = picture((x, y) => (inPatch(x, y) ? 0 : 1))
    const whole = { x: 0, y: 0, width, height }
    const tiles = [{ x: 0, y: 0, width: 320, height }, { x: 320, y: 0, width: 320, height }].map((tile) => grainBlocks(new SampleTable(raster), whole, tile))
    expect(flatPatches(tiles, whole)).toEqual(flatPatches([grainBlocks(new SampleTable(raster), whole, whole)], whole))
  })
  it('are not seen in a whole picture, nor where a tone has less grain everywhere', () => {
    expect(flatIn(picture(() => 1))).toEqual([])
  })
  it('are not seen where light is clipped', () => {
    const raster = picture(() => 1)
    for (let y = patch.y; y < patch.y + patch.height; y++) for (let x = patch.x; x < patch.x + patch.width; x++) for (let c = 0; c < 3; c++) raster.data[3 * (y * width + x) + c] = 255
    expect(flatIn(raster)).toEqual([])
  })
})
