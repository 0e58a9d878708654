import { beforeAll, describe, expect, it } from 'vitest'
import { dustOfSensor, seriesFrame, SERIES_FRAMES, SERIES_ROOM, type SeriesPhotograph } from './series.js'
import type { Light } from './photograph.js'

/** A scene of one tone, so that only the dust is seen. */
const [width, height] = [600, 400]
const [roomWidth, roomHeight] = [Math.ceil(width * SERIES_ROOM), Math.ceil(height * SERIES_ROOM)]
const room: Light = { width: roomWidth, height: roomHeight, channels: [0, 1, 2].map(() => ({ width: roomWidth, height: roomHeight, data: new Float32Array(roomWidth * roomHeight).fill(0.4) })) }
const dust = dustOfSensor(width, height, 14, 5)
const plain = { name: 'x', aperture: 22, taken: '2026:05:12 12:00:00', from: [0, 0], scale: 1, bright: 1 } as const
let closed: SeriesPhotograph
let open: SeriesPhotograph
beforeAll(() => {
  closed = seriesFrame(room, dust, plain, 1)
  open = seriesFrame(room, dust, { ...plain, aperture: 8 }, 1)
})
/** Light lost at the deepest place of a shadow. */
const deepest = ({ light, shaded }: SeriesPhotograph, flaw: SeriesPhotograph['flaws'][number]) => {
  let most = 0
  for (let y = Math.floor(flaw.y - 2); y <= flaw.y + 2; y++) {
    for (let x = Math.floor(flaw.x - 2); x <= flaw.x + 2; x++) {
      const i = y * width + x
      most = Math.max(most, 1 - shaded.channels[1]!.data[i]! / light.channels[1]!.data[i]!)
    }
  }
  return most
}

describe('the made-up sensor', () => {
  it('has its grains apart from one another, the same from the same seed', () => {
    expect(dust).toHaveLength(14)
    expect(dustOfSensor(width, height, 14, 5)).toEqual(dust)
    expect(dustOfSensor(width, height, 14, 6)).not.toEqual(dust)
    for (const [i, grain] of dust.entries()) for (const other of dust.slice(i + 1)) expect(Math.hypot(grain.x - other.x, grain.y - other.y)).toBeGreaterThan(11)
  })
  it('shows each grain in every frame, wider and fainter with the aperture open', () => {
    for (const [i, flaw] of closed.flaws.entries()) {
      const wide = open.flaws[i]!
      expect(wide.grain).toBe(flaw.grain)
      expect([wide.x, wide.y]).toEqual([flaw.x, flaw.y])
      expect(wide.r).toBeGreaterThan(flaw.r)
      // What is lost altogether is the same: depth times the square of the radius.
      if (flaw.lost < 0.9) expect((wide.lost * wide.r ** 2) / (flaw.lost * flaw.r ** 2)).toBeCloseTo(1, 6)
      // A grain's outline wobbles and its channels differ a little.
      expect(deepest(closed, flaw) / flaw.lost).toBeGreaterThan(0.7)
      expect(deepest(closed, flaw) / flaw.lost).toBeLessThan(1.3)
    }
  })
  it('moves the shadows outward by the scale of the lens, from the middle', () => {
    const shifted = seriesFrame(room, dust, { ...plain, scale: 1.01 }, 1)
    for (const [i, flaw] of closed.flaws.entries()) {
      const moved = Math.hypot(shifted.flaws[i]!.x - width / 2, shifted.flaws[i]!.y - height / 2)
      expect(moved / Math.hypot(flaw.x - width / 2, flaw.y - height / 2)).toBeCloseTo(1.01, 6)
    }
  })
  it('turns an upright frame with its truth', () => {
    const upright = seriesFrame(room, dust, { ...plain, upright: true }, 1)
    expect([upright.damaged.width, upright.damaged.height]).toEqual([height, width])
    for (const [i, flaw] of closed.flaws.entries()) {
      const there = upright.flaws[i]!
      const at = (raster: SeriesPhotograph['damaged'], x: number, y: number) => raster.data[3 * (Math.floor(y) * raster.width + Math.floor(x)) + 1]
      expect(at(upright.damaged, height - 1 - Math.floor(flaw.y), Math.floor(flaw.x))).toBe(at(closed.damaged, flaw.x, flaw.y))
      expect(Math.abs(there.x - (height - flaw.y))).toBeLessThan(1e-9)
    }
  })
  it('takes frames of other parts of the scene, at other times and apertures', () => {
    expect(new Set(SERIES_FRAMES.map(({ aperture }) => aperture)).size).toBe(SERIES_FRAMES.length)
    expect(new Set(SERIES_FRAMES.map(({ from }) => from.join())).size).toBe(SERIES_FRAMES.length)
    expect([...SERIES_FRAMES].map(({ taken }) => taken)).toEqual([...SERIES_FRAMES].map(({ taken }) => taken).sort())
  })
})
