import { createRequire } from 'node:module'
import type cvModule from '@techstark/opencv-js'
import { beforeAll, describe, expect, it } from 'vitest'
import { makeRandom } from '../../random.js'
import { distanceFrom } from '../../raster/distance-transform.js'
import { makeRaster, rasterSource, type IntegerRaster } from '../../raster/raster.js'
import type { Area } from '../../treatment/schema.js'
import { areaBounds, areaCoverage, liesWithin, touchesArea } from './area.js'
import { growArea } from './grow-area.js'
import { distanceOutside, type Shape } from '../shape.js'

let cv: typeof cvModule
beforeAll(async () => {
  cv = createRequire(import.meta.url)('@techstark/opencv-js') as typeof cvModule
  if (!cv.Mat) await new Promise<void>((resolve) => (cv.onRuntimeInitialized = () => resolve()))
})

const area = (parts: Area['parts'], softEdgePx = 0): Area => ({ id: 'a', name: 'Pylon', role: 'guard', parts, softEdgePx })
const disc = (x: number, y: number, r: number): Shape => ({ type: 'disc', x, y, r })
const region = { x: 0, y: 0, width: 60, height: 50 }

describe('the cover of an area', () => {
  it('is what was added, without what was taken away, with what was added again', () => {
    const cover = areaCoverage([area([{ mode: 'add', shape: disc(30, 25, 20) }, { mode: 'take', shape: disc(30, 25, 10) }, { mode: 'add', shape: disc(30, 25, 4) }])], region)!
    for (let y = 0; y < 50; y++) {
      for (let x = 0; x < 60; x++) {
        const d = Math.hypot(x + 0.5 - 30, y + 0.5 - 25)
        if (Math.abs(d - 20) < 1e-6 || Math.abs(d - 10) < 1e-6 || Math.abs(d - 4) < 1e-6) continue
        expect(cover.data[y * 60 + x]).toBe(d < 4 || (d >= 10 && d < 20) ? 1 : 0)
      }
    }
  })
  it('is exactly 0 or 1 along a sharp edge, and fades over a soft one, half at the outline', () => {
    const sharp = areaCoverage([area([{ mode: 'add', shape: disc(30, 25, 12.3) }])], region)!
    expect(new Set(sharp.data)).toEqual(new Set([0, 1]))
    const soft = areaCoverage([area([{ mode: 'add', shape: disc(30, 25, 12.5) }], 8)], region)!
    expect(soft.data[25 * 60 + 42]).toBeCloseTo(0.5, 1)
    expect(soft.data[25 * 60 + 30]).toBe(1)
    expect(soft.data[25 * 60 + 48]).toBe(0)
  })
  it('is nothing far away, at no cost', () => {
    expect(areaCoverage([area([{ mode: 'add', shape: disc(500, 500, 9) }])], region)).toBeNull()
    expect(areaBounds(area([{ mode: 'add', shape: disc(30, 20, 10) }], 4))).toEqual({ x: 18, y: 8, width: 24, height: 24 })
  })
  it('says what touches it and what lies within', () => {
    const round = [area([{ mode: 'add', shape: disc(30, 25, 15) }])]
    expect(touchesArea(disc(48, 25, 5), round)).toBe(true)
    expect(touchesArea(disc(52, 25, 5), round)).toBe(false)
    expect(liesWithin(disc(30, 25, 9), round)).toBe(true)
    expect(liesWithin(disc(41, 25, 6), round)).toBe(false)
  })
})

describe('distances from what is set', () => {
  it('equal the exact distance transform of the computer-vision library', () => {
    const random = makeRandom(4)
    const [width, height] = [90, 70]
    const set = Uint8Array.from({ length: width * height }, () => (random.uniform() < 0.01 ? 1 : 0))
    const ours = distanceFrom(set, width, height)
    const source = new cv.Mat(height, width, cv.CV_8UC1)
    source.data.set(set.map((value) => (value ? 0 : 255)))
    const result = new cv.Mat()
    cv.distanceTransform(source, result, cv.DIST_L2, cv.DIST_MASK_PRECISE)
    for (let i = 0; i < ours.length; i++) expect(ours[i]).toBeCloseTo(result.data32F[i]!, 3)
    source.delete()
    result.delete()
  })
  it('are endless when nothing is set', () => expect(distanceFrom(new Uint8Array(12), 4, 3)[5]).toBe(Infinity))
})

/** A dark mast with a slack cable before a bright, uneven, grainy sky; what belongs to them is known. */
function mast(width: number, height: number, seed: number): { picture: IntegerRaster; body: Uint8Array; cable: Uint8Array } {
  const random = makeRandom(seed)
  const picture = makeRaster(width, height, 3, 8)
  const body = new Uint8Array(width * height)
  const cable = new Uint8Array(width * height)
  for (let y = 0; y < height; y++) {
    for (let x = 0; x < width; x++) {
      const i = y * width + x
      const half = 0.06 * width + 0.05 * width * (y / height)
      if (Math.abs(x - 0.5 * width) < half && y > 0.15 * height) body[i] = 1
      const sag = 0.3 * height + 0.05 * height * (1 - ((x - 0.25 * width) / (0.25 * width)) ** 2)
      if (x < 0.45 * width && Math.abs(y - sag) < 1.6) cable[i] = 1
      const grain = 10 * (random.uniform() + random.uniform() + random.uniform() - 1.5)
      const dark = body[i] || cable[i]
      for (let c = 0; c < 3; c++) picture.data[3 * i + c] = Math.max(0, Math.min(255, (dark ? [70, 62, 55][c]! : [150 + 40 * (y / height), 170 + 30 * (y / height), 205][c]!) + grain))
    }
  }
  return { picture, body, cable }
}
const maskOf = (shapes: readonly Shape[], width: number, height: number) => {
  const mask = new Uint8Array(width * height)
  for (const shape of shapes) distanceOutside(shape, { x: 0, y: 0, width, height }, 1).data.forEach((d, i) => { if (d < 0) mask[i] = 1 })
  return mask
}
const likeness = (a: Uint8Array, b: Uint8Array) => {
  let both = 0
  let either = 0
  a.forEach((value, i) => {
    if (value && b[i]) both++
    if (value || b[i]) either++
  })
  return both / either
}

describe('an area grown from strokes', () => {
  const stroke = (points: [number, number][], width = 8): Shape => ({ type: 'stroke', points, width })
  it('covers the thing under the stroke, to the pixel, from two strokes', () => {
    const { picture, body, cable } = mast(360, 300, 1)
    const grown = growArea(rasterSource(picture), { inside: [stroke([[180, 80], [180, 280]])], outside: [stroke([[60, 40], [300, 40]]), stroke([[310, 60], [320, 280]])] })
    const truth = body.map((value, i) => (value || cable[i] ? 1 : 0))
    expect(likeness(maskOf(grown, 360, 300), truth)).toBeGreaterThan(0.97)
  })
  it('leaves thin things out when asked, and takes them back with a stroke along them', () => {
    const { picture, body, cable } = mast(360, 300, 2)
    const marks = { inside: [stroke([[180, 80], [180, 280]])], outside: [stroke([[60, 40], [300, 40]]), stroke([[310, 60], [320, 280]])] }
    const without = maskOf(growArea(rasterSource(picture), marks, 8), 360, 300)
    expect(likeness(without, body)).toBeGreaterThan(0.96)
    const along = stroke([[40, 101], [60, 103], [90, 105]], 3)
    const taken = maskOf(growArea(rasterSource(picture), { ...marks, inside: [...marks.inside, along] }), 360, 300)
    expect(cable.reduce((sum, value, i) => sum + (value && taken[i] ? 1 : 0), 0) / cable.reduce((sum, value) => sum + value, 0)).toBeGreaterThan(0.9)
  })
  it('finds the edge at full size in a picture too large for one pass', () => {
    const { picture, body } = mast(1500, 1200, 3)
    const grown = growArea(rasterSource(picture), { inside: [stroke([[750, 400], [750, 1100]], 30)], outside: [stroke([[1150, 150], [1250, 1100]], 20), stroke([[250, 700], [330, 1100]], 20)] }, 12)
    expect(likeness(maskOf(grown, 1500, 1200), body)).toBeGreaterThan(0.985)
  })
  it('is nothing without a stroke inside', () => expect(growArea(rasterSource(mast(50, 50, 1).picture), { inside: [], outside: [] })).toEqual([]))
})
