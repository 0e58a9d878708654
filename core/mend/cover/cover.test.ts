import { describe, expect, it } from 'vitest'
import { makeRandom } from '../../random.js'
import { makeRaster, rasterSource, type IntegerRaster } from '../../raster/raster.js'
import { makeTransfer } from '../../raster/transfer.js'
import type { Outline, Shape } from '../../shape/shape.js'
import type { Flaw } from '../../treatment/schema.js'
import { chooseMend, chooseAndMend } from '../choose.js'
import { liftCover, opacityOf, type Cover } from './cover.js'
import { fitCover } from './fit-cover.js'

/** IEC 61966-2-1, by hand: the model of a cover is stated in light, and made here without the code that undoes it. */
const encode = (light: number) => 255 * (light <= 0.0031308 ? 12.92 * light : 1.055 * Math.min(1, light) ** (1 / 2.4) - 0.055)
const transfer = makeTransfer({ type: 'srgb' }, 8)
const SIDE = 160
/** A ground with structure of several sizes, an edge through its middle. */
const ground = (x: number, y: number) => (x + 0.4 * y > 112 ? 0.32 : 0.14) * (1 + 0.22 * Math.sin(x / 4.1 + y / 9) + 0.18 * Math.sin(y / 3.3 - x / 17))

function picture(of: (x: number, y: number, c: number) => number, seed = 5): IntegerRaster {
  const raster = makeRaster(SIDE, SIDE, 3, 8)
  const random = makeRandom(seed)
  for (let i = 0; i < raster.data.length; i++) {
    const [x, y] = [(Math.floor(i / 3) % SIDE) + 0.5, Math.floor(i / 3 / SIDE) + 0.5]
    raster.data[i] = Math.max(0, Math.min(255, Math.round(encode(of(x, y, i % 3)) + 1.2 * (random.uniform() + random.uniform() - 1))))
  }
  return raster
}
const clean = picture((x, y) => ground(x, y))
const error = (a: IntegerRaster, b: IntegerRaster, isIn: (x: number, y: number) => boolean) => {
  let [sum, count] = [0, 0]
  for (let y = 0; y < SIDE; y++) for (let x = 0; x < SIDE; x++) if (isIn(x + 0.5, y + 0.5)) for (let c = 0; c < 3; c++) {
    sum += (a.data[3 * (y * SIDE + x) + c]! - b.data[3 * (y * SIDE + x) + c]!) ** 2
    count++
  }
  return Math.sqrt(sum / count)
}
function laid(raster: IntegerRaster, { region, pixels }: { region: { x: number; y: number; width: number; height: number }; pixels: IntegerRaster }): IntegerRaster {
  const result = { ...raster, data: raster.data.slice() }
  for (let y = 0; y < region.height; y++) for (let k = 0; k < 3 * region.width; k++) result.data[3 * ((region.y + y) * SIDE + region.x) + k] = pixels.data[3 * y * region.width + k]!
  return result
}
/** An oblong grain seen through an opening: no disc. */
const outline: Outline = { type: 'outline', points: Array.from({ length: 40 }, (_, k): [number, number] => [80 + 27 * Math.cos(k * 0.157), 82 + 18 * Math.sin(k * 0.157)]) }
const inGrain = (x: number, y: number) => ((x - 80) / 21) ** 2 + ((y - 82) / 12) ** 2 < 1
/** Share of a disc of 5 px round a place that lies in the grain. */
const shadow = (x: number, y: number) => {
  let [hits, count] = [0, 0]
  for (let dy = -5; dy <= 5; dy++) for (let dx = -5; dx <= 5; dx++) if (dx * dx + dy * dy <= 25) {
    count++
    if (inGrain(x + dx, y + dy)) hits++
  }
  return hits / count
}
const flawOf = (shape: Shape): Flaw => ({ id: 'f', kind: 'other', shape, state: 'open', contrast: 0, weight: 0, confidence: 1, origin: 'hand' })

describe('a cover', () => {
  it('is as opaque as its knots say, from the outline inward and from a core outward', () => {
    const disc: Shape = { type: 'disc', x: 20, y: 20, r: 8 }
    const region = { x: 0, y: 0, width: 40, height: 40 }
    const inward = opacityOf(disc, { veil: [0], opacity: [0, 0.4, 0.8], hidden: 0.9, damping: 0 }, region)
    expect(inward[20 * 40 + 20]).toBeGreaterThan(0.7)
    expect(inward[20 * 40 + 24]).toBeCloseTo(0.36, 1)
    expect(inward[20 * 40 + 30]).toBe(0)
    const outward = opacityOf(disc, { veil: [1], opacity: [0.5, 0.25, 0], hidden: 0.9, damping: 0, core: [{ type: 'outline', points: [[19, 19], [22, 19], [22, 22], [19, 22]] }], stepPx: 2 }, region)
    expect(outward[20 * 40 + 20]).toBe(1)
    expect(outward[20 * 40 + 23]).toBeCloseTo(0.25, 1)
    expect(outward[20 * 40 + 27]).toBe(0)
  })
  it('is undone exactly where its opacity is known, on the model of Porter and Duff (1984)', () => {
    const disc: Shape = { type: 'disc', x: 80, y: 80, r: 20 }
    const cover: Cover = { veil: [0.7, 0.6, 0.5], opacity: [0, 0.3, 0.5], hidden: 0.9, damping: 0 }
    const opacity = opacityOf(disc, cover, { x: 0, y: 0, width: SIDE, height: SIDE })
    const covered = picture((x, y, c) => {
      const a = opacity[Math.floor(y) * SIDE + Math.floor(x)]!
      return ground(x, y) * (1 - a) + a * cover.veil[c]!
    })
    const lifted = laid(covered, liftCover(rasterSource(covered), transfer, disc, cover, { strength: 1, seed: 1, avoid: [] }))
    const inside = (x: number, y: number) => Math.sqrt((x - 80) ** 2 + (y - 80) ** 2) < 20
    expect(error(covered, clean, inside)).toBeGreaterThan(20)
    // What is left is noise and the steps of 8 bits, drawn out by up to two.
    expect(error(lifted, clean, inside)).toBeLessThan(2.6)
    expect(error(lifted, clean, (x, y) => !inside(x, y))).toBeLessThan(1.2)
  })
})

describe('fitting a cover', () => {
  it('gives the picture back under an oblong shadow over an edge, nearer than a fill', () => {
    const dimmed = picture((x, y) => ground(x, y) * (1 - 0.55 * shadow(x, y)))
    const { step, mended } = chooseAndMend({ picture: rasterSource(dimmed), transfer, flaw: flawOf(outline), openFlaws: [], id: 'm' })
    expect(step.method).toBe('lift')
    expect(step.cover).toBeDefined()
    const filled = chooseAndMend({ picture: rasterSource(dimmed), transfer, flaw: flawOf(outline), openFlaws: [], id: 'm', method: 'fill' })
    const within = (x: number, y: number) => shadow(x, y) > 0
    expect(error(laid(dimmed, mended), clean, within)).toBeLessThan(0.6 * error(laid(dimmed, filled.mended), clean, within))
    expect(error(laid(dimmed, mended), clean, within)).toBeLessThan(0.5 * error(dimmed, clean, within))
  })
  it('says of what adds light that it does, so that nothing opaque and bright is lifted', () => {
    const speck: Shape = { type: 'disc', x: 60, y: 60, r: 7 }
    const bright = picture((x, y) => (Math.sqrt((x - 60) ** 2 + (y - 60) ** 2) < 5 ? 0.8 : ground(x, y)))
    expect(fitCover(rasterSource(bright), transfer, speck)!.addsLight).toBe(true)
    expect(chooseMend({ picture: rasterSource(bright), transfer, flaw: flawOf(speck), openFlaws: [], id: 'm' }).method).not.toBe('lift')
  })
  it('of a wide mask round a small bright core fills the core alone, and keeps what was visible', () => {
    const wide: Shape = { type: 'disc', x: 60, y: 60, r: 12 }
    const halo = (x: number, y: number) => {
      const d = Math.sqrt((x - 60) ** 2 + (y - 60) ** 2)
      return d < 3 ? 1 : 0.25 * Math.exp(-(d - 3) / 3)
    }
    const hurt = picture((x, y) => ground(x, y) * (1 - halo(x, y)) + 0.8 * halo(x, y))
    const { step, mended } = chooseAndMend({ picture: rasterSource(hurt), transfer, flaw: flawOf(wide), openFlaws: [], id: 'm' })
    expect(step.cover?.core).toBeDefined()
    const filled = chooseAndMend({ picture: rasterSource(hurt), transfer, flaw: flawOf(wide), openFlaws: [], id: 'm', method: 'fill' })
    const within = (x: number, y: number) => Math.sqrt((x - 60) ** 2 + (y - 60) ** 2) < 12
    expect(error(laid(hurt, mended), clean, within)).toBeLessThan(0.85 * error(laid(hurt, filled.mended), clean, within))
  })
})
