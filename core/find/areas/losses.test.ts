import { describe, expect, it } from 'vitest'
import { makeRandom } from '../../random.js'
import { makeRaster, rasterSource, type IntegerRaster } from '../../raster/raster.js'
import { makeTransfer } from '../../raster/transfer.js'
import { distanceAt, insideOutline, type Outline } from '../../shape/shape.js'
import { SampleTable } from '../../kernels/samples/samples.js'
import { cellsOfTile } from './cells.js'
import { findFlaws } from '../find.js'
import type { Find } from '../finds.js'
import { findLosses, judgedLosses, lossCandidates } from './losses.js'
import LOSS from '../weights/loss.json' with { type: 'json' }

const transfer = makeTransfer({ type: 'srgb' }, 8)
const [width, height] = [640, 480]
const whole = { x: 0, y: 0, width, height }

/** How far a ragged line wanders from a straight one, in pixels; the same each time. */
function raggedness(seed: number): (at: number) => number {
  const random = makeRandom(seed)
  const teeth = Array.from({ length: 400 }, () => 5 * (random.uniform() - 0.5))
  const waves = Array.from({ length: 6 }, (_value, k) => ({ size: (7 * random.uniform()) / (k + 1), phase: 6.28 * random.uniform() }))
  return (at) => teeth[Math.floor(at / 3) % 400]! + waves.reduce((sum, { size, phase }, k) => sum + size * Math.sin((at * (k + 1)) / 40 + phase), 0)
}

/** A hillside with a lit wall and a doorway, as a print, under a bright sky down to a row; white paper where `bare` says so. */
function print(bare: (x: number, y: number) => boolean = () => false, sky = 0): IntegerRaster {
  const random = makeRandom(9)
  const raster = makeRaster(width, height, 3, 8)
  for (let y = 0; y < height; y++) {
    for (let x = 0; x < width; x++) {
      const wall = x > 380 && x < 560 && y > 180 && y < 330
      const door = x > 440 && x < 480 && y > 250 && y < 330
      const tone = bare(x, y) ? 238 : y < sky ? 195 : door ? 35 : wall ? 190 : 90 + 0.12 * y + 14 * Math.sin(x / 37) * Math.cos(y / 29)
      for (let c = 0; c < 3; c++) raster.data[3 * (y * width + x) + c] = Math.round(tone - 2 * c + 5 * (random.uniform() + random.uniform() - 1))
    }
  }
  return raster
}

const lossesIn = (raster: IntegerRaster): Find[] => findFlaws(rasterSource(raster), transfer, { kinds: ['loss'], falseFinds: 3 })

/** Pixels in both over pixels in either. */
function likeness(find: Find, bare: (x: number, y: number) => boolean): number {
  let both = 0
  let either = 0
  insideOutline(find.shape as Outline, whole).forEach((inside, i) => {
    const truth = bare(i % width, Math.floor(i / width))
    if (truth && inside) both++
    if (truth || inside) either++
  })
  return both / either
}

describe('losses', () => {
  const [side, low] = [raggedness(3), raggedness(4)]
  const tear = (x: number, y: number) => x < 300 && Math.abs(y - 120 - 0.2 * x - low(x)) < 9 * Math.min(1, (300 - x) / 60)
  const corner = (x: number, y: number) => x + 0.8 * (height - y) < 110 + side(x + height - y) + low(x)

  it('of a corner and along a tear are found with the outline that they have', () => {
    const bare = (x: number, y: number) => tear(x, y) || corner(x, y)
    const finds = lossesIn(print(bare))
    expect(finds.map(({ kind }) => kind)).toEqual(['loss', 'loss'])
    const best = [tear, corner].map((part) => Math.max(...finds.map((find) => likeness(find, part))))
    for (const share of best) expect(share).toBeGreaterThan(0.8)
    for (const find of finds) {
      expect(find.confidence).toBeGreaterThan(0.5)
      // White on grey with a deviation of about 1.4 a channel stands out far.
      expect(find.contrast).toBeGreaterThan(2)
    }
  })
  it('are judged by a weight for each item of their evidence, and one for the answer of each unit', () => {
    const [candidate] = lossCandidates([cellsOfTile(new SampleTable(print(tear)), whole, whole)], whole)
    expect(new Set(LOSS.units.map(({ length }) => length))).toEqual(new Set([candidate!.features.length + 1]))
  })
  it('along a tear through sky and hillside end where it ends, though half-way between its tone and the hill is darker than the sky', () => {
    const down = (x: number, y: number) => y < 400 && Math.abs(x - 200 - low(y)) < 9 * Math.min(1, (400 - y) / 60)
    const finds = lossesIn(print(down, 170))
    expect(finds).toHaveLength(1)
    expect(likeness(finds[0]!, down)).toBeGreaterThan(0.75)
    expect(finds[0]!.confidence).toBeGreaterThan(0.5)
  })
  it('of little contrast in a bright sky are found', () => {
    const hole = (x: number, y: number) => Math.sqrt((x - 450) ** 2 + (y - 85) ** 2) < 45 + 0.7 * low(40 * Math.atan2(y - 85, x - 450) + 200)
    const finds = lossesIn(print(hole, 190))
    expect(finds).toHaveLength(1)
    expect(likeness(finds[0]!, hole)).toBeGreaterThan(0.8)
    expect(finds[0]!.confidence).toBeGreaterThan(0.5)
  })
  it('are surer where others are sure, and two say what three say', () => {
    const hole = (column: number) => (x: number, y: number) => Math.sqrt((x - column) ** 2 + (y - 85) ** 2) < 45 + 0.7 * low(40 * Math.atan2(y - 85, x - column) + 200)
    const others = [hole(450), (x: number, y: number) => corner(width - x, y), hole(200)]
    const all = [0, 1, 2, 3].map((count) => print((x, y) => [corner, ...others.slice(0, count)].some((one) => one(x, y)), 190))
    const atCorner = (shape: Outline) => distanceAt(shape, 20.5, height - 20.5) < 0
    const cells = all.map((raster) => [cellsOfTile(new SampleTable(raster), whole, whole)])
    expect(cells.map((tiles) => judgedLosses(tiles, whole).find(({ candidate }) => atCorner(candidate.shape))!.company)).toEqual([0, 1, 2, 2])
    const [alone, one, two] = cells.map((tiles) => findLosses(tiles, whole).find(({ shape }) => atCorner(shape))!.confidence)
    expect(one).toBeGreaterThan(alone! + 0.2)
    expect(two).toBeGreaterThan(one! + 0.1)
  })
  it('are not the lit wall and the doorway of a whole print', () => {
    expect(lossesIn(print())).toEqual([])
  })
  it('are told from the white border of a print, and found where they reach it', () => {
    const border = (x: number, y: number) => x < 24 || y < 24 || x >= width - 24 || y >= height - 24
    expect(lossesIn(print(border))).toEqual([])
    const finds = lossesIn(print((x, y) => border(x, y) || tear(x, y)))
    expect(finds).toHaveLength(1)
    expect(likeness(finds[0]!, (x, y) => tear(x, y) && !border(x, y))).toBeGreaterThan(0.8)
  })
  it('take the specks that lie in them with them', () => {
    const finds = findFlaws(rasterSource(print(corner)), transfer, { kinds: ['speck', 'loss'], falseFinds: 3 })
    const loss = finds.find(({ kind }) => kind === 'loss')!
    const inside = insideOutline(loss.shape as Outline, whole)
    for (const { shape } of finds) if (shape.type === 'disc') expect(inside[Math.floor(shape.y) * width + Math.floor(shape.x)]).toBe(0)
  })
})
