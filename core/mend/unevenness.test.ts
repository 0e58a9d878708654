import { describe, expect, it } from 'vitest'
import { makeRandom } from '../random.js'
import { makeRaster, rasterSource, type PixelSource } from '../raster/raster.js'
import { makeTransfer } from '../raster/transfer.js'
import type { Disc, Shape } from '../shape/shape.js'
import type { Flaw, Step } from '../treatment/schema.js'
import { chooseMend } from './choose.js'
import { unevenness } from './unevenness.js'

const transfer = makeTransfer({ type: 'srgb' }, 16)
/** Wide enough for a heal to take from. */
const SIDE = 420
const MIDDLE = 210
const disc: Disc = { type: 'disc', x: MIDDLE, y: MIDDLE, r: 30 }

/** A sky whose light bends as a quadratic does, with a little grain; what is left over or takes light is said of each place in it. */
function sky(change: (x: number, y: number) => number, grain = 0): PixelSource {
  const random = makeRandom(5)
  const raster = makeRaster(SIDE, SIDE, 1, 16)
  for (let y = 0; y < SIDE; y++) for (let x = 0; x < SIDE; x++) {
    const [u, v] = [(x - MIDDLE) / 200, (y - MIDDLE) / 200]
    const noise = random.uniform() + random.uniform() + random.uniform() - 1.5
    raster.data[y * SIDE + x] = transfer.encode(0.4 * Math.exp(0.1 * u - 0.2 * v + 0.1 * u * v + 0.05 * u * u + change(x + 0.5, y + 0.5) + 2 * grain * noise))
  }
  return rasterSource(raster)
}
const from = (x: number, y: number, at: Disc = disc) => Math.hypot(x - at.x, y - at.y)
const of = (picture: PixelSource, openFlaws: readonly Shape[] = []) => unevenness(picture, transfer, disc, openFlaws)

describe('what is uneven inside a disc', () => {
  it('is nothing where the ground goes on with its slope and curve', () => expect(of(sky(() => 0))).toBeLessThan(2e-4))
  it('is hardly grain', () => {
    const grainy = of(sky(() => 0, 0.02))
    expect(grainy).toBeGreaterThan(5e-4)
    expect(grainy).toBeLessThan(0.004)
  })
  it('is what is left over, as a share of the light, and as much when it is darker', () => {
    for (const left of [0.02, -0.02]) expect(of(sky((x, y) => (from(x, y) < 30 ? left : 0)))).toBeCloseTo(0.02, 2)
  })
  it('is a ring too, whose mean is that of the ground', () => {
    const ring = of(sky((x, y) => (from(x, y) < 30 ? 0.02 * Math.cos((2 * Math.PI * from(x, y)) / 15) : 0)))
    expect(ring).toBeGreaterThan(0.004)
  })
  it('is not the shadow of another open flaw beside it, soft edge and all', () => {
    const other: Disc = { type: 'disc', x: MIDDLE + 50, y: MIDDLE, r: 12 }
    const shaded = sky((x, y) => -0.3 * Math.max(0, Math.min(1, 1.5 - from(x, y, other) / 12)))
    expect(of(shaded, [other])).toBeLessThan(5e-4)
    expect(of(shaded)).toBeGreaterThan(10 * of(shaded, [other]))
  })
  it('is not told where no surroundings are', () => {
    expect(unevenness(rasterSource(makeRaster(20, 20, 1, 16)), transfer, { type: 'disc', x: 10, y: 10, r: 30 }, [])).toBe(0)
  })
})

describe('dust in a sky', () => {
  const flaw: Flaw = { id: 'f', kind: 'dust', shape: { type: 'disc', x: MIDDLE, y: MIDDLE, r: 22 }, state: 'open', contrast: -5, weight: 60, confidence: 1, origin: 'found' }
  const chosen = (picture: PixelSource, method?: 'lift'): Step => chooseMend({ picture, transfer, flaw, openFlaws: [], id: 'm', ...(method ? { method } : {}) })
  const soft = (d: number) => {
    const edge = Math.max(-1, Math.min(1, (d - 22) / 8))
    return 0.5 - 0.75 * edge + 0.25 * edge ** 3
  }
  /** Denser on one side: a shadow as it is fitted is as deep all over, and in the mean nothing is left of it. */
  const denserAside = sky((x, y) => -(0.2 + 0.006 * (x - MIDDLE)) * soft(from(x, y)), 0.006)

  it('is lifted where one shadow is all it is', () => {
    expect(chosen(sky((x, y) => -0.25 * soft(from(x, y)), 0.006)).method).toBe('lift')
  })
  it('is healed where a lift would leave an uneven place, and the reason says so', () => {
    const step = chosen(denserAside)
    expect(step.method).toBe('heal')
    expect(step.reason).toBe('Healed, because a lift would show uneven ground.')
  })
  it('is lifted all the same when that is asked for', () => expect(chosen(denserAside, 'lift').method).toBe('lift'))
})
