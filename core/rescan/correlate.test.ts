import { describe, expect, it } from 'vitest'
import { makeRandom } from '../random.js'
import { gaussianBlur } from '../raster/blur.js'
import type { Plane } from '../raster/raster.js'
import { alignedPlace, alignPictures } from './align.js'
import { likelyShifts } from './correlate.js'

const [WIDTH, HEIGHT] = [300, 260]

/** Structure of a few pixels, alike everywhere, that a copy of 60 pixels shows nothing of; looked at between pixels. */
function gravel(seed: number): (x: number, y: number) => number {
  const side = 420
  const { uniform } = makeRandom(seed)
  const noise: Plane = { width: side, height: side, data: Float32Array.from({ length: side * side }, () => uniform() - 0.5) }
  const [fine, broad] = [gaussianBlur(noise, 1.6).data, gaussianBlur(noise, 4).data]
  return (x, y) => {
    const [fx, fy] = [x + 50, y + 50]
    const [left, top] = [Math.floor(fx), Math.floor(fy)]
    const at = (dx: number, dy: number) => { const i = (top + dy) * side + left + dx; return fine[i]! - broad[i]! }
    const [u, v] = [fx - left, fy - top]
    return 0.45 + 1.6 * ((1 - v) * ((1 - u) * at(0, 0) + u * at(1, 0)) + v * ((1 - u) * at(0, 1) + u * at(1, 1)))
  }
}
const plane = (value: (x: number, y: number) => number): Plane => ({ width: WIDTH, height: HEIGHT, data: Float32Array.from({ length: WIDTH * HEIGHT }, (_, i) => value((i % WIDTH) + 0.5, Math.floor(i / WIDTH) + 0.5)) })
/** Where a place of the other picture lies in the reference. */
const back = (degrees: number, dx: number, dy: number) => (x: number, y: number): [number, number] => {
  const [c, s] = [Math.cos((degrees * Math.PI) / 180), Math.sin((degrees * Math.PI) / 180)]
  const [px, py] = [x - WIDTH / 2 - dx, y - HEIGHT / 2 - dy]
  return [WIDTH / 2 + c * px + s * py, HEIGHT / 2 - s * px + c * py]
}

describe('likely shifts', () => {
  it('of a picture that was only shifted are that shift, to the pixel, with the turn that it has not', () => {
    const ground = gravel(1)
    const [first, second] = [plane((x, y) => ground(x, y) - 0.45), plane((x, y) => ground(x + 11, y - 7) - 0.45)]
    const [best, next] = likelyShifts(first, second, [-2, -1, 0, 1, 2])
    expect(best!.turnDegrees).toBe(0)
    expect([Math.round(best!.dx), Math.round(best!.dy)]).toEqual([-11, 7])
    expect(best!.peak).toBeGreaterThan(1.4 * next!.peak)
  })
  it('of a picture that was turned too are found at the nearest turn', () => {
    const ground = gravel(2)
    const from = back(1.1, 6, -13)
    const [best] = likelyShifts(plane((x, y) => ground(x, y) - 0.45), plane((x, y) => ground(...from(x, y)) - 0.45), [-2, -1, 0, 1, 2])
    expect(best!.turnDegrees).toBe(1)
    expect(Math.abs(best!.dx - 6)).toBeLessThan(1.5)
    expect(Math.abs(best!.dy + 13)).toBeLessThan(1.5)
  })
})

describe('aligning structure that is fine and alike everywhere', () => {
  it('finds turn and shift to half a pixel at the corners, at another exposure', () => {
    for (const [seed, degrees, dx, dy] of [[3, 1.3, 9.4, -11.2], [4, -0.8, -14.6, 5.3]] as const) {
      const ground = gravel(seed)
      const from = back(degrees, dx, dy)
      const alignment = alignPictures(plane(ground), plane((x, y) => 0.3 * ground(...from(x, y))))
      const [c, s] = [Math.cos((degrees * Math.PI) / 180), Math.sin((degrees * Math.PI) / 180)]
      for (const [x, y] of [[20, 20], [280, 20], [20, 240], [280, 240]] as const) {
        const wanted = [WIDTH / 2 + c * (x - WIDTH / 2) - s * (y - HEIGHT / 2) + dx, HEIGHT / 2 + s * (x - WIDTH / 2) + c * (y - HEIGHT / 2) + dy]
        const found = alignedPlace(alignment, WIDTH, HEIGHT, x, y)
        expect(Math.hypot(wanted[0]! - found[0], wanted[1]! - found[1]), `${seed} ${x} ${y}`).toBeLessThan(0.5)
      }
    }
  })
})
