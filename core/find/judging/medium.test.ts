import { describe, expect, it } from 'vitest'
import { makeRandom } from '../../random.js'
import { makeRaster, rasterSource, type IntegerRaster } from '../../raster/raster.js'
import { makeTransfer } from '../../raster/transfer.js'
import { findFlaws } from '../find.js'
import { isOfOneColour, tellMedium, type Medium } from './medium.js'

const picture = (of: (t: number, k: number) => readonly [number, number, number]): IntegerRaster => {
  const raster = makeRaster(120, 80, 3, 8)
  const random = makeRandom(4)
  for (let i = 0; i < 120 * 80; i++) of(0.1 + 0.8 * Math.abs(Math.sin(i / 37)), i).forEach((value, c) => (raster.data[3 * i + c] = Math.max(0, Math.min(255, Math.round(255 * value + 4 * (random.uniform() - 0.5))))))
  return raster
}
const grey = picture((t) => [t, t, t])
const sepia = picture((t) => [Math.min(1, 1.05 * t + 0.04), t, 0.8 * t])
const colourful = picture((t, k) => (k % 120 < 60 ? [t, 0.6 * t, 0.3 * t] : [0.4 * t, 0.7 * t, t]))

describe('the medium', () => {
  it('is told from the camera, from the resolution of a scanner, and from a single colour', () => {
    expect(tellMedium({ camera: { aperture: 8 }, resolutionPerInch: 300, pixels: grey })).toBe('frame')
    expect(tellMedium({ camera: {}, resolutionPerInch: 600, pixels: colourful })).toBe('scan')
    expect(tellMedium({ camera: {}, resolutionPerInch: 72, pixels: colourful })).toBe('frame')
    expect(tellMedium({ camera: {}, resolutionPerInch: null, pixels: sepia })).toBe('scan')
  })
  it('grey and toned pictures are of one colour, others are not', () => {
    expect([grey, sepia, colourful].map(isOfOneColour)).toEqual([true, true, false])
    expect(isOfOneColour(makeRaster(10, 10, 1, 16))).toBe(true)
  })
})

describe('a search by medium', () => {
  const transfer = makeTransfer({ type: 'srgb' }, 8)
  // A sky with dark round shadows of 3 and 4 px radius, as a small picture has them.
  const spots = Array.from({ length: 12 }, (_, k) => ({ x: 40 + 70 * (k % 4), y: 45 + 75 * Math.floor(k / 4), r: 3 + (k % 2) }))
  const sky = makeRaster(320, 260, 3, 8)
  const random = makeRandom(12)
  for (let i = 0; i < 320 * 260; i++) {
    const [x, y] = [(i % 320) + 0.5, Math.floor(i / 320) + 0.5]
    const shade = spots.reduce((light, spot) => light * (1 - 0.3 / (1 + Math.exp((Math.sqrt((x - spot.x) ** 2 + (y - spot.y) ** 2) - spot.r) / 0.7))), 1)
    for (let c = 0; c < 3; c++) sky.data[3 * i + c] = Math.round(shade * (130 + 25 * c + 0.05 * y) + 3 * (random.uniform() + random.uniform() - 1))
  }
  const finds = (medium?: Medium) => findFlaws(rasterSource(sky), transfer, { kinds: ['dust', 'speck', 'mould'], falseFinds: 3, ...(medium ? { medium } : {}) })

  it('names what is dark and round in a frame dust, and never mould', () => {
    const found = finds('frame')
    const right = spots.filter(({ x, y, r }) => found.some(({ shape }) => shape.type === 'disc' && Math.sqrt((shape.x - x) ** 2 + (shape.y - y) ** 2) < r))
    expect(right.length).toBeGreaterThanOrEqual(11)
    expect(new Set(found.map(({ kind }) => kind))).toEqual(new Set(['dust']))
  })
  it('leaves the kinds to compete on a scan', () => {
    expect(finds('scan').length).toBeGreaterThanOrEqual(11)
  })
})
