import { describe, expect, it } from 'vitest'
import { makeRandom } from '../../random.js'
import { makeRaster, rasterSource, type IntegerRaster } from '../../raster/raster.js'
import { makeTransfer } from '../../raster/transfer.js'
import type { Disc } from '../../shape/shape.js'
import type { Flaw } from '../../treatment/schema.js'
import { mendableRaster } from '../patches/patch.js'
import { areShadows } from './company.js'
import { mendAll } from './mend-all.js'

const transfer = makeTransfer({ type: 'srgb' }, 8)
/** IEC 61966-2-1, by hand: harm is made here in light, without the code that undoes it. */
const encode = (light: number) => 255 * (light <= 0.0031308 ? 12.92 * light : 1.055 * Math.min(1, light) ** (1 / 2.4) - 0.055)
const SIDE = 200
/** Rows of bright blobs, 24 px apart, on a ground with some structure. */
const isBlob = (x: number, y: number) => Math.sqrt(((x % 24) - 12) ** 2 + ((y % 24) - 12) ** 2) < 3.2
const ground = (x: number, y: number) => (isBlob(x, y) ? 0.6 : 0.18 * (1 + 0.2 * Math.sin(x / 5.3 + y / 11)))

function picture(change: (light: number, x: number, y: number) => number): IntegerRaster {
  const raster = makeRaster(SIDE, SIDE, 3, 8)
  const random = makeRandom(3)
  for (let i = 0; i < raster.data.length; i++) {
    const [x, y] = [(Math.floor(i / 3) % SIDE) + 0.5, Math.floor(i / 3 / SIDE) + 0.5]
    raster.data[i] = Math.max(0, Math.min(255, Math.round(encode(change(ground(x, y), x, y)) + 1.2 * (random.uniform() + random.uniform() - 1))))
  }
  return raster
}
const SPOTS: readonly (readonly [number, number])[] = [[40, 40], [110, 52], [60, 120], [140, 130]]
const distanceTo = (x: number, y: number) => Math.min(...SPOTS.map(([cx, cy]) => Math.sqrt((x - cx) ** 2 + (y - cy) ** 2)))
const shadowed = picture((light, x, y) => light * (1 - 0.4 * Math.max(0, Math.min(1, (10 - distanceTo(x, y)) / 5))))
const specked = picture((light, x, y) => (distanceTo(x, y) < 7 ? 0.85 : light))
const disc = (x: number, y: number, r: number): Disc => ({ type: 'disc', x, y, r })
const flawOf = (id: string, shape: Disc, more: Partial<Flaw> = {}): Flaw => ({ id, kind: 'other', shape, state: 'open', contrast: 0, weight: 0, confidence: 1, origin: 'hand', ...more })
const mask = SPOTS.map(([x, y], i) => flawOf(`f${i}`, disc(x, y, 11)))

describe('flaws of one mask', () => {
  it('are told to be shadows, and things that lie on the picture not to be', () => {
    expect(areShadows(rasterSource(shadowed), transfer, mask)).toBe(true)
    expect(areShadows(rasterSource(specked), transfer, mask)).toBe(false)
  })
  it('say nothing where they are few, or of a kind that is known', () => {
    expect(areShadows(rasterSource(shadowed), transfer, mask.slice(0, 2))).toBe(false)
    expect(areShadows(rasterSource(shadowed), transfer, mask.map((flaw) => ({ ...flaw, kind: 'dust' as const })))).toBe(false)
  })
  it('among shadows, a small piece of the mask round something bright is left as it is; among specks it is mended', () => {
    const piece = flawOf('piece', disc(180, 84, 4.5))
    const mendedWith = (flaws: readonly Flaw[], told = {}) => {
      const pixels = { ...shadowed, data: shadowed.data.slice() }
      const step = mendAll(mendableRaster(pixels), transfer, flaws, { id: ({ id }) => id, ...told }).find(({ flaw }) => flaw === 'piece')!
      const at = 3 * (84 * SIDE + 180)
      return { step, change: Math.abs(pixels.data[at]! - shadowed.data[at]!) }
    }
    const among = mendedWith([...mask, piece])
    expect(among.step.reason).toContain('left as it is')
    expect(among.change).toBe(0)
    expect(mendedWith([piece]).change).toBeGreaterThan(40)
    // A part of a picture's flaws is told what all of them are.
    expect(mendedWith([piece], { areShadows: true }).change).toBe(0)
  })
  it('a dark hair among shadows is mended all the same', () => {
    const isHair = (x: number, y: number) => x > 60 && x < 130 && Math.abs(y - 176 - 5 * Math.sin(x / 20)) < 2.2
    const pixels = picture((light, x, y) => (isHair(x, y) ? 0.012 : light * (1 - 0.4 * Math.max(0, Math.min(1, (10 - distanceTo(x, y)) / 5)))))
    const side = (by: number) => Array.from({ length: 36 }, (_value, k): [number, number] => [59 + 2 * k, 176 + by + 5 * Math.sin((59 + 2 * k) / 20)])
    const hair: Flaw = { ...flawOf('hair', disc(0, 0, 1)), shape: { type: 'outline', points: [...side(-4), ...side(4).reverse()] } }
    const before = pixels.data.slice()
    const step = mendAll(mendableRaster(pixels), transfer, [...mask, hair], { id: ({ id }) => id }).find(({ flaw }) => flaw === 'hair')!
    expect(step.reason).not.toContain('left as it is')
    const at = 3 * (Math.floor(176 + 5 * Math.sin(95 / 20)) * SIDE + 95)
    expect(pixels.data[at]! - before[at]!).toBeGreaterThan(40)
  })
})
