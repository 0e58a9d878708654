import { beforeAll, describe, expect, it } from 'vitest'
import { makeRandom } from '../../random.js'
import { makeRaster, rasterSource, type IntegerRaster } from '../../raster/raster.js'
import { makeTransfer } from '../../raster/transfer.js'
import { insideOutline, type Outline } from '../../shape/shape.js'
import { SampleTable } from '../../kernels/samples/samples.js'
import { cellsOfTile } from './cells.js'
import { findFlaws } from '../find.js'
import type { Find } from '../finds.js'
import { stainCandidates } from './stains.js'
import STAIN from '../weights/stain.json' with { type: 'json' }

const transfer = makeTransfer({ type: 'srgb' }, 8)
const [width, height] = [480, 360]
const whole = { x: 0, y: 0, width, height }

interface Spot { readonly x: number; readonly y: number; readonly r: number; readonly depth: number }
const SPOTS: readonly Spot[] = [{ x: 90, y: 80, r: 14, depth: 0.4 }, { x: 300, y: 120, r: 9, depth: 0.5 }, { x: 210, y: 260, r: 40, depth: 0.25 }]

/** Of a negative depth they take red instead of blue. */
const depthAt = (spots: readonly Spot[], x: number, y: number) => spots.reduce((sum, spot) => sum + spot.depth / (1 + Math.exp((Math.sqrt((x - spot.x) ** 2 + (y - spot.y) ** 2) - spot.r) / 1.5)), 0)

/** A valley with a house on it, on a brown print or in the colours it has; stains take blue, less of green, little of red. */
function picture(spots: readonly Spot[], colours: 'print' | 'many' | 'one'): IntegerRaster {
  const random = makeRandom(3)
  const raster = makeRaster(width, height, colours === 'one' ? 1 : 3, 8)
  for (let y = 0; y < height; y++) {
    for (let x = 0; x < width; x++) {
      const house = x > 330 && x < 420 && y > 190 && y < 270
      const light = house ? 0.55 : 0.12 + 0.2 * (y / height) + 0.08 * Math.sin(x / 17) * Math.cos(y / 13) + 0.03 * random.uniform()
      const own = house ? [1, 0.7, 0.5] : [0.8, 1, y < 120 ? 1.4 : 0.6]
      const tone = colours === 'many' ? own.map((share) => light * share) : [0.03 + 0.8 * light, 0.025 + 0.7 * light ** 1.05, 0.02 + 0.55 * light ** 1.1]
      const lost = depthAt(spots, x + 0.5, y + 0.5)
      for (let c = 0; c < raster.channels; c++) raster.data[(y * width + x) * raster.channels + c] = transfer.encode(tone[c]! * Math.exp(-lost * [0.25, 0.6, 1][c]!)) + Math.round(2 * (random.uniform() - 0.5))
    }
  }
  return raster
}

const stainsIn = (raster: IntegerRaster): Find[] => findFlaws(rasterSource(raster), transfer, { kinds: ['stain'], falseFinds: 3 })

describe('stains', () => {
  let finds: Find[]
  beforeAll(() => {
    finds = stainsIn(picture(SPOTS, 'print'))
  })

  it('of a print of one colour are found with the outline that they have', () => {
    expect(finds.map(({ kind }) => kind)).toEqual(['stain', 'stain', 'stain'])
    for (const { x, y, r } of SPOTS) {
      const likeness = finds.map((find) => {
        let both = 0
        let either = 0
        insideOutline(find.shape as Outline, whole).forEach((inside, i) => {
          const truth = Math.sqrt(((i % width) + 0.5 - x) ** 2 + (Math.floor(i / width) + 0.5 - y) ** 2) < r + 1.5
          if (truth && inside) both++
          if (truth || inside) either++
        })
        return both / either
      })
      // Cells of four pixels blur what is only a few of them wide.
      expect(Math.max(...likeness)).toBeGreaterThan(r < 12 ? 0.55 : 0.75)
    }
  })

  it('are darker than what is around, and surely stains', () => {
    for (const find of finds) {
      expect(find.contrast).toBeLessThan(-1)
      expect(find.confidence).toBeGreaterThan(0.8)
    }
  })

  it('are not the house of a clean print', () => {
    expect(stainsIn(picture([], 'print'))).toEqual([])
  })

  it('are judged by a weight for each item of their evidence, by how much is off to their side and to the other', () => {
    const evidence = (spots: readonly Spot[]) => {
      const [deepest] = stainCandidates([cellsOfTile(new SampleTable(picture(spots, 'print')), whole, whole)], whole).sort((a, b) => b.weight - a.weight)
      return deepest!.features
    }
    const alone = evidence([{ x: 210, y: 160, r: 40, depth: 0.25 }])
    expect(new Set(STAIN.units.map(({ length }) => length))).toEqual(new Set([alone.length + 1]))
    const [off, beyondHalf, beyond] = [alone.at(11)!, alone.at(-2)!, alone.at(-1)!].map(Math.exp)
    // A disc of 40 pixels in 480 by 360.
    expect(off! - 0.003).toBeGreaterThan((Math.PI * 40 ** 2) / (480 * 360))
    expect(off! - 0.003).toBeLessThan((1.5 * Math.PI * 40 ** 2) / (480 * 360))
    // Half off to the other side is a fortieth of what scatters as Gauss has it, off is nothing.
    expect(beyondHalf! - 0.003).toBeLessThan(0.04)
    expect(beyond! - 0.001).toBeLessThan(0.002)
    const among = evidence([{ x: 210, y: 160, r: 40, depth: 0.25 }, { x: 400, y: 80, r: 20, depth: -0.25 }]).slice(-2).map(Math.exp)
    expect(among[0]! - beyondHalf!).toBeGreaterThan((0.8 * Math.PI * 20 ** 2) / (480 * 360))
    expect(among[1]! - beyond!).toBeGreaterThan((0.8 * Math.PI * 20 ** 2) / (480 * 360))
  })

  it('are not looked for where nothing tells them: in many colours, or in one channel', () => {
    expect(stainsIn(picture([], 'many'))).toEqual([])
    expect(stainsIn(picture(SPOTS, 'one'))).toEqual([])
  })
})
