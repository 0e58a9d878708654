import { describe, expect, it } from 'vitest'
import { makeRandom } from '../../random.js'
import { crop, makeRaster, type IntegerRaster } from '../../raster/raster.js'
import { makeTransfer } from '../../raster/transfer.js'
import { ColourLook } from './colour.js'

const transfer = makeTransfer({ type: 'srgb' }, 8)
const SIDE = 60
const at = { x: 30, y: 30, r: 5 }

/** Ground of one colour with noise, and a disc of another. */
function picture(ground: readonly number[], disc: readonly number[], noise = 4): IntegerRaster {
  const random = makeRandom(3)
  const raster = makeRaster(SIDE, SIDE, ground.length as 1 | 3, 8)
  for (let y = 0; y < SIDE; y++) for (let x = 0; x < SIDE; x++) {
    const inside = Math.hypot(x + 0.5 - at.x, y + 0.5 - at.y) < at.r
    for (let c = 0; c < ground.length; c++) raster.data[(y * SIDE + x) * ground.length + c] = Math.round((inside ? disc : ground)[c]! + noise * (random.uniform() - 0.5))
  }
  return raster
}

const colour = (raster: IntegerRaster) => new ColourLook(raster, transfer).ofDisc({ ...at, radius: at.r })

describe('the colour of a disc', () => {
  it('is paler where it is grey on a ground of colour, bright or dark', () => {
    for (const grey of [220, 70]) {
      const { change, paler } = colour(picture([90, 140, 60], [grey, grey, grey]))
      expect(change).toBeGreaterThan(5)
      expect(paler).toBeGreaterThan(0.7)
    }
  })
  it('is the same where more or less of the same light falls', () => {
    // A third of the light in each channel: IEC 61966-2-1 decodes 140 to 0.263, and 0.0877 is encoded as 84.
    const { change, paler } = colour(picture([90, 140, 60], [52, 84, 33]))
    expect(change).toBeLessThan(3)
    expect(Math.abs(paler)).toBeLessThan(0.1)
  })
  it('is more of a colour on grey', () => {
    const { change, paler } = colour(picture([120, 120, 120], [160, 110, 90]))
    expect(change).toBeGreaterThan(5)
    expect(paler).toBeLessThan(-0.5)
  })
  it('says nothing on grey pictures, and next to nothing on pictures of one grey in three channels', () => {
    expect(colour(picture([120], [200]))).toEqual({ change: 0, paler: 0, colourful: 0 })
    const { change, paler } = colour(picture([120, 120, 120], [200, 200, 200], 0))
    expect(change).toBeCloseTo(0, 6)
    expect(paler).toBeCloseTo(0, 6)
  })
  it('tells how much colour there is around, whatever lies there', () => {
    // Encoded 90, 140, 60 is light of .102, .263, .045 (IEC 61966-2-1); with .01 added, (r - g, b - g) / sum is (-.383, -.519).
    expect(colour(picture([90, 140, 60], [200, 200, 200])).colourful).toBeCloseTo(0.645, 1)
    expect(colour(picture([120, 120, 120], [200, 40, 40])).colourful).toBeLessThan(0.05)
  })
  it('changes little where a ground of many colours goes on', () => {
    const raster = picture([120, 120, 120], [120, 120, 120], 100)
    expect(colour(raster).change).toBeLessThan(3)
  })
  it('is told at the edges of a picture too', () => {
    const raster = picture([90, 140, 60], [90, 140, 60])
    for (const [x, y] of [[0, 0], [59.5, 30], [30, 59.9]] as const) expect(Number.isFinite(new ColourLook(raster, transfer).ofDisc({ x, y, radius: 4 }).change)).toBe(true)
  })
})

describe('the colour of a line', () => {
  /** Ground of one colour with noise, and a line of another down the middle, three pixels wide. */
  function crossed(ground: readonly number[], line: readonly number[]): IntegerRaster {
    const raster = picture(ground, ground)
    for (let y = 0; y < SIDE; y++) for (let x = 29; x < 32; x++) for (let c = 0; c < ground.length; c++) raster.data[(y * SIDE + x) * ground.length + c] = line[c]!
    return raster
  }
  const down = Float64Array.from({ length: 2 * SIDE }, (_value, k) => (k % 2 === 0 ? 30.5 : (k - 1) / 2 + 0.5))
  const across = Float64Array.from({ length: 2 * SIDE }, (_value, k) => (k % 2 === 0 ? 1 : 0))
  const along = (raster: IntegerRaster) => new ColourLook(raster, transfer).ofLine(down, across, 1.5)

  it('is paler where it is grey on a ground of colour', () => {
    const { change, paler } = along(crossed([90, 140, 60], [200, 200, 200]))
    expect(change).toBeGreaterThan(5)
    expect(paler).toBeGreaterThan(0.7)
  })
  it('is the same where more or less of the same light falls, and says nothing on grey pictures', () => {
    expect(Math.abs(along(crossed([90, 140, 60], [52, 84, 33])).paler)).toBeLessThan(0.1)
    expect(along(crossed([120], [200]))).toEqual({ change: 0, paler: 0, colourful: 0 })
  })
  it('leaves out points whose sides lie outside, and says nothing where all do', () => {
    const raster = crossed([90, 140, 60], [200, 200, 200])
    const edge = Float64Array.from({ length: 2 * SIDE }, (_value, k) => (k % 2 === 0 ? 2.5 : (k - 1) / 2 + 0.5))
    expect(new ColourLook(raster, transfer).ofLine(edge, across, 1.5)).toEqual({ change: 0, paler: 0, colourful: 0 })
    expect(new ColourLook(raster, transfer).ofLine(Float64Array.of(2.5, 30.5, ...down), Float64Array.of(1, 0, ...across), 1.5)).toEqual(along(raster))
  })
})

it('from an origin on is told as in a copy of the pixels from there on', () => {
  const raster = picture([90, 140, 60], [200, 190, 180])
  const part = crop(raster, { x: 4, y: 7, width: 50, height: 50 })
  const [there, copied] = [new ColourLook(raster, transfer, { x: 4, y: 7 }), new ColourLook(part, transfer)]
  expect(there.ofDisc({ x: 26, y: 23, radius: 5 })).toEqual(copied.ofDisc({ x: 26, y: 23, radius: 5 }))
  const [points, normals] = [Float64Array.of(26, 21.5, 26, 23.5, 26, 25.5), Float64Array.of(1, 0, 0.8, 0.6, 1, 0)]
  expect(there.ofLine(points, normals, 5)).toEqual(copied.ofLine(points, normals, 5))
  expect(there.ofLine(points, normals, 5).change).toBeGreaterThan(1)
})
