import { describe, expect, it } from 'vitest'
import { makeRandom } from '../random.js'
import { resample, sourceRegion, type Frame } from './resample.js'
import { clipRegion, crop, type FloatRaster, type Region } from '../raster/raster.js'

/** sinc(x) sinc(x/3) within three pixels (Duchon 1979), from its formula. */
function lanczos(x: number): number {
  if (x === 0) return 1
  return Math.abs(x) >= 3 ? 0 : (3 * Math.sin(Math.PI * x) * Math.sin((Math.PI * x) / 3)) / (Math.PI * x) ** 2
}

/** Resampling as one would write it down: every pixel a weighted mean of all pixels within reach. */
function slowly(region: Region, { mapping, scale }: Frame, { width, height, channels, data }: FloatRaster): Float32Array {
  return Float32Array.from({ length: region.width * region.height * channels }, (_value, k) => {
    const [i, c] = [Math.floor(k / channels), k % channels]
    const [px, py] = [region.x + (i % region.width) + 0.5, region.y + Math.floor(i / region.width) + 0.5]
    const [x, y] = mapping(px, py)
    if (x < 0 || y < 0 || x > width || y > height) return 1
    const stretch = Math.max(1, typeof scale === 'number' ? scale : scale(px, py))
    const reach = Math.ceil(3 * stretch) + 1
    let [sum, total] = [0, 0]
    for (let row = Math.floor(y) - reach; row <= Math.floor(y) + reach; row++) {
      for (let column = Math.floor(x) - reach; column <= Math.floor(x) + reach; column++) {
        const weight = lanczos((column + 0.5 - x) / stretch) * lanczos((row + 0.5 - y) / stretch)
        const at = Math.max(0, Math.min(height - 1, row)) * width + Math.max(0, Math.min(width - 1, column))
        sum += weight * data[at * channels + c]!
        total += weight
      }
    }
    return Math.max(0, Math.min(1, sum / total))
  })
}

function noise(width: number, height: number, channels: number): FloatRaster {
  const random = makeRandom(width + channels)
  return { width, height, channels, data: Float32Array.from({ length: width * height * channels }, () => random.uniform()) }
}

const [COS, SIN] = [Math.cos(0.3), Math.sin(0.3)]
const FRAMES: Record<string, Frame> = {
  'turned': { mapping: (x, y) => [30 + COS * (x - 30) - SIN * (y - 20), 20 + SIN * (x - 30) + COS * (y - 20)], scale: 1 },
  'smaller': { mapping: (x, y) => [x * 2.7, y * 2.7], scale: 2.7 },
  'larger': { mapping: (x, y) => [x * 0.6 - 4, y * 0.6 - 3], scale: 0.6 },
  'uneven': { mapping: (x, y) => [x * (1 + x / 90), y * (1.2 + x / 100)], scale: (x) => 1.2 + x / 45 },
  'all outside': { mapping: (x, y) => [x - 900, y / 0], scale: 1 },
}

/** The table of the kernel is read in straight lines between 1024 steps a pixel. */
const TABLE_ERROR = 2e-6

describe('resampling', () => {
  it.each(Object.entries(FRAMES))('%s is the weighted mean of all pixels within reach', (_name, frame) => {
    for (const channels of [1, 3]) {
      const picture = noise(61, 43, channels)
      const region = { x: 2, y: 1, width: 57, height: 40 }
      const made = resample(region, frame, picture, { x: 0, y: 0 }, picture)
      const wanted = slowly(region, frame, picture)
      expect(made.data.length).toBe(wanted.length)
      expect(made.data.reduce((most, value, i) => Math.max(most, Math.abs(value - wanted[i]!)), 0)).toBeLessThan(TABLE_ERROR)
    }
  })

  it('does not depend on how it is cut into regions, to the last bit', () => {
    const picture = noise(900, 700, 3)
    const frames: Frame[] = [{ mapping: (x, y) => [4.01 * x + 0.3 * y, 4.01 * y - 0.3 * x + 40], scale: 4.1 }, { mapping: (x, y) => [x / 1.3, y / 1.3], scale: 1 / 1.3 }, FRAMES.uneven!]
    for (const frame of frames) {
      const whole = resample({ x: 0, y: 0, width: 800, height: 600 }, frame, picture, { x: 0, y: 0 }, picture)
      for (const [x, y, width, height] of [[0, 0, 50, 60], [301, 277, 111, 9], [799, 0, 1, 600]] as const) {
        const part = resample({ x, y, width, height }, frame, picture, { x: 0, y: 0 }, picture)
        for (let row = 0; row < height; row++) {
          const from = ((y + row) * 800 + x) * 3
          expect(part.data.subarray(row * width * 3, (row + 1) * width * 3)).toEqual(whole.data.subarray(from, from + width * 3))
        }
      }
    }
  })

  it('along the axes is what it is place by place, to the last bit', () => {
    for (const [channels, by] of [[1, 3.3], [3, 3.3], [3, 0.71], [1, 1]] as const) {
      const picture = noise(90, 70, channels)
      const region = { x: 1, y: 2, width: Math.floor(80 / by), height: Math.floor(60 / by) }
      const mapping: Frame['mapping'] = (x, y) => [x * by + 0.37, y * by - 1.2]
      // A scale by the place is looked up place by place, though it is the same everywhere.
      const [axes, places] = [resample(region, { mapping, scale: by }, picture, { x: 0, y: 0 }, picture), resample(region, { mapping, scale: () => by }, picture, { x: 0, y: 0 }, picture)]
      expect(axes.data).toEqual(places.data)
    }
  })

  it('of a picture that is made much smaller reads a part at a time, and makes the same', () => {
    const picture = noise(2600, 2000, 1)
    const frame: Frame = { mapping: (x, y) => [10 * x + 0.8 * y, 10 * y - 0.8 * x + 60], scale: 10.1 }
    const made = resample({ x: 0, y: 0, width: 250, height: 190 }, frame, picture, { x: 0, y: 0 }, picture)
    for (const [x, y] of [[3, 4], [124, 95], [125, 94], [61, 140], [200, 180]] as const) {
      const [wanted] = slowly({ x, y, width: 1, height: 1 }, frame, picture)
      expect(Math.abs(made.data[y * 250 + x]! - wanted!), `${x}, ${y}`).toBeLessThan(TABLE_ERROR)
    }
  })

  it('of a part of a picture makes what it makes of the whole, where the part holds what is read', () => {
    const picture = noise(120, 100, 3)
    const [frame, region] = [FRAMES.turned!, { x: 30, y: 25, width: 20, height: 12 }]
    const part = clipRegion(sourceRegion(region, frame), 120, 100)
    expect(part.width * part.height).toBeLessThan(120 * 100 / 4)
    expect(resample(region, frame, crop(picture, part) as FloatRaster, part, picture).data).toEqual(resample(region, frame, picture, { x: 0, y: 0 }, picture).data)
  })

  it('copies a shift by whole pixels', () => {
    const picture = noise(40, 30, 3)
    const made = resample({ x: 0, y: 0, width: 20, height: 10 }, { mapping: (x, y) => [x + 7, y + 5], scale: 1 }, picture, { x: 0, y: 0 }, picture)
    expect([...made.data.subarray(0, 60)]).toEqual([...picture.data.subarray((5 * 40 + 7) * 3, (5 * 40 + 27) * 3)])
  })
})
