import { createRequire } from 'node:module'
import type cvModule from '@techstark/opencv-js'
import { beforeAll, describe, expect, it } from 'vitest'
import { makeRandom } from '../random.js'
import { gaussianBlur } from '../raster/blur.js'
import { makeRaster, rasterSource, type IntegerRaster } from '../raster/raster.js'
import { distanceOutside } from './shape.js'
import { donorRegion, readDonor, sourceShape } from './donor.js'
import { clone } from '../mend/heal/heal.js'

let cv: typeof cvModule
beforeAll(async () => {
  cv = createRequire(import.meta.url)('@techstark/opencv-js') as typeof cvModule
  if (!cv.Mat) await new Promise<void>((resolve) => (cv.onRuntimeInitialized = () => resolve()))
})

const [width, height] = [220, 180]
/** Smooth hills, one channel, 16 bit: what resampling must give back closely. */
function hills(seed: number): IntegerRaster {
  const random = makeRandom(seed)
  const noise = gaussianBlur({ width, height, data: Float32Array.from({ length: width * height }, () => random.uniform()) }, 4).data
  const raster = makeRaster(width, height, 1, 16)
  for (let i = 0; i < noise.length; i++) raster.data[i] = Math.round(20000 + 200000 * (noise[i]! - 0.5))
  return raster
}
const region = { x: 60, y: 50, width: 40, height: 40 }
const shape = { type: 'disc', x: 80.2, y: 69.7, r: 18 } as const

describe('the pixels of a source', () => {
  const picture = hills(1)
  const at = (x: number, y: number) => picture.data[y * width + x]!

  it('laid on as they are, are the very samples', () => {
    const donor = readDonor(rasterSource(picture), region, shape, { dx: 70, dy: 30 })
    for (let y = 0; y < 40; y++) for (let x = 0; x < 40; x++) expect(donor[y * 40 + x]).toBe(at(60 + x + 70, 50 + y + 30))
  })
  it('mirrored, are the very samples the other way round', () => {
    const donor = readDonor(rasterSource(picture), region, shape, { dx: 70, dy: 30, mirror: true })
    // The place is mirrored about the corner of pixels nearest to its middle, 80.
    for (let y = 0; y < 40; y++) for (let x = 0; x < 40; x++) expect(donor[y * 40 + x]).toBeCloseTo(at(2 * 80 - 1 - (60 + x) + 70, 50 + y + 30), 3)
  })
  it('turned by a quarter, are the very samples, clockwise on screen', () => {
    const donor = readDonor(rasterSource(picture), region, shape, { dx: 70, dy: 30, turn: Math.PI / 2 })
    // A point right of the middle of the source comes to lie below the middle of the place.
    for (let k = 1; k < 15; k++) expect(donor[(20 + k) * 40 + 19]).toBeCloseTo(at(80 + 70 + k, 70 + 30), 0)
  })
  it('turned and scaled, agree with the warp of the computer-vision library', () => {
    const turn = 0.35
    const scale = 1.4
    const donor = readDonor(rasterSource(picture), region, shape, { dx: 60, dy: 20, turn, scale })
    // From the place to the source, in the library's coordinates, whose pixel centres are whole.
    const [c, s] = [Math.cos(turn) / scale, Math.sin(turn) / scale]
    const constant = (px: number, py: number, row: [number, number], to: number) => to - row[0] * px - row[1] * py
    const [px, py] = [80 - 60 - 0.5, 70 - 50 - 0.5]
    const matrix = cv.matFromArray(2, 3, cv.CV_64F, [c, s, constant(px, py, [c, s], 80 + 60 - 0.5), -s, c, constant(px, py, [-s, c], 70 + 20 - 0.5)])
    const source = cv.matFromArray(height, width, cv.CV_32F, Array.from(picture.data))
    const result = new cv.Mat()
    cv.warpAffine(source, result, matrix, new cv.Size(40, 40), cv.INTER_CUBIC | cv.WARP_INVERSE_MAP)
    let worst = 0
    for (let i = 0; i < 1600; i++) worst = Math.max(worst, Math.abs(donor[i]! - result.data32F[i]!))
    // The library's cubic has another constant and steps of 1/32 pixel: hills of 4 px differ little between them.
    expect(worst).toBeLessThan(400)
    expect(Math.max(...donor) - Math.min(...donor)).toBeGreaterThan(8000)
    for (const mat of [matrix, source, result]) mat.delete()
  })
  it('laid on smaller, keep their mean and fold nothing back', () => {
    const stripes = makeRaster(width, height, 1, 16)
    for (let i = 0; i < width * height; i++) stripes.data[i] = (i % width) % 2 === 0 ? 10000 : 30000
    const donor = readDonor(rasterSource(stripes), { ...region, width: 20, height: 20 }, shape, { dx: 40, dy: 20, scale: 0.5 })
    for (const value of donor) expect(Math.abs(value - 20000)).toBeLessThan(700)
  })
  it('come from the shape that is drawn as the source, and from the rectangle that is said to be read', () => {
    for (const source of [{ dx: 60, dy: 20, turn: 0.7, scale: 0.6 }, { dx: -40, dy: 30, mirror: true, turn: 2 }]) {
      const read = donorRegion(region, shape, source)
      const moved = sourceShape(shape, source)
      expect(moved.r).toBeCloseTo(18 / (source.scale ?? 1), 6)
      expect(read.x).toBeLessThan(moved.x - moved.r)
      expect(read.x + read.width).toBeGreaterThan(moved.x + moved.r)
      const asked: { x: number; y: number; width: number; height: number }[] = []
      readDonor({ ...rasterSource(picture), read: (part) => (asked.push(part), rasterSource(picture).read(part)) }, region, shape, source)
      for (const part of asked) {
        expect(part.x).toBeGreaterThanOrEqual(read.x)
        expect(part.y + part.height).toBeLessThanOrEqual(read.y + read.height)
      }
    }
  })
  it('outside the picture are refused', () => expect(() => readDonor(rasterSource(picture), region, shape, { dx: 5000, dy: 0 })).toThrow(RangeError))
})

describe('one of a pair from its mirror image', () => {
  it('a window is made whole from the other one, to the sample', () => {
    const front = makeRaster(200, 100, 3, 8)
    front.data.fill(180)
    const paint = (x: number, y: number, tone: number) => { for (let c = 0; c < 3; c++) front.data[(y * 200 + x) * 3 + c] = tone }
    // Two windows that mirror each other about x = 100, the sash off centre.
    for (let y = 30; y < 70; y++) for (let x = 120; x < 160; x++) {
      const tone = x < 123 || y < 33 || x === 150 ? 40 : 90 + ((x * 7 + y * 3) % 20)
      paint(x, y, tone)
      paint(199 - x, y, tone)
    }
    const whole = front.data.slice()
    for (let y = 45; y < 60; y++) for (let x = 50; x < 70; x++) paint(x, y, 240)
    const torn = { type: 'outline', points: [[46, 41], [74, 41], [74, 64], [46, 64]] } as const
    const { pixels, region: patch } = clone(rasterSource(front), { shape: { ...torn, points: torn.points.map(([x, y]): [number, number] => [x, y]) }, source: { dx: 80, dy: 0, mirror: true }, softEdgePx: 0, strength: 1 })
    const inside = distanceOutside({ ...torn, points: torn.points.map(([x, y]): [number, number] => [x, y]) }, patch).data
    for (let i = 0; i < inside.length; i++) {
      if (inside[i]! > -1) continue
      const at = ((patch.y + Math.floor(i / patch.width)) * 200 + patch.x + (i % patch.width)) * 3
      expect(pixels.data[3 * i]).toBe(whole[at])
    }
  })
})
