import { describe, expect, it } from 'vitest'
import { makeRandom } from '../random.js'
import type { Region } from '../raster/raster.js'
import { distancesToPaths, insideRings, type Path } from './path-distance.js'

/** Against the slow and obvious: every pixel asks every segment. */
const region: Region = { x: 7, y: -4, width: 61, height: 47 }
const random = makeRandom(12)
const walk = (count: number): Path => {
  let [x, y] = [30, 16]
  return Array.from({ length: count }, (): [number, number] => [(x += 14 * (random.uniform() - 0.5)), (y += 14 * (random.uniform() - 0.5))])
}
function slowDistance(paths: readonly Path[], closed: boolean, px: number, py: number): number {
  let least = Infinity
  for (const path of paths) {
    for (let k = closed ? 0 : 1; k < path.length; k++) {
      const [[ax, ay], [bx, by]] = [path[(k + path.length - 1) % path.length]!, path[k]!]
      const along = Math.max(0, Math.min(1, ((px - ax) * (bx - ax) + (py - ay) * (by - ay)) / Math.max(1e-12, (bx - ax) ** 2 + (by - ay) ** 2)))
      least = Math.min(least, Math.hypot(px - ax - along * (bx - ax), py - ay - along * (by - ay)))
    }
  }
  return least
}
const eachPixel = (of: (i: number, x: number, y: number) => void) => {
  for (let i = 0; i < region.width * region.height; i++) of(i, region.x + (i % region.width) + 0.5, region.y + Math.floor(i / region.width) + 0.5)
}

describe('distances to paths', () => {
  for (const [closed, words] of [[false, 'open'], [true, 'closed']] as const) {
    it(`are those of the nearest segment, up to the reach (${words})`, () => {
      const paths = [walk(40), walk(3), walk(90)]
      const found = new Float32Array(region.width * region.height)
      distancesToPaths(paths, closed, region, 9, 0, found)
      let worst = 0
      eachPixel((i, x, y) => (worst = Math.max(worst, Math.abs(found[i]! - Math.min(9, slowDistance(paths, closed, x, y))))))
      expect(worst).toBeLessThan(1e-4)
    })
  }
  it('below what counts as near say no more than that they are, and all others stay exact', () => {
    const paths = [walk(30)]
    const found = new Float32Array(region.width * region.height)
    distancesToPaths(paths, false, region, 40, 6, found)
    eachPixel((i, x, y) => {
      const truth = Math.min(40, slowDistance(paths, false, x, y))
      if (truth > 6) expect(found[i]).toBeCloseTo(truth, 3)
      else expect(found[i]).toBeLessThanOrEqual(6)
    })
  })
  it('of a path of one point are those to the point; of no path at all, the reach', () => {
    const found = new Float32Array(region.width * region.height)
    distancesToPaths([[[20.5, 10.5]]], false, region, 30, 0, found)
    eachPixel((i, x, y) => expect(found[i]).toBeCloseTo(Math.min(30, Math.hypot(x - 20.5, y - 10.5)), 3))
    distancesToPaths([], false, region, 5, 0, found)
    expect(new Set(found)).toEqual(new Set([5]))
  })
})

describe('what lies within rings', () => {
  it('is told by the winding of a ray (Shimrat 1962, even-odd), holes and islands too', () => {
    const rings = [walk(12), walk(25), [[12, 0], [60, 0], [60, 40], [12, 40]] as Path, [[25, 10], [40, 10], [40, 30], [25, 30]] as Path]
    const found = insideRings(rings, region)
    eachPixel((i, x, y) => {
      let isIn = false
      for (const ring of rings) for (let k = 0, j = ring.length - 1; k < ring.length; j = k++) {
        const [[ax, ay], [bx, by]] = [ring[k]!, ring[j]!]
        if (ay > y !== by > y && x < ((bx - ax) * (y - ay)) / (by - ay) + ax) isIn = !isIn
      }
      expect(found[i] === 1, `${x}, ${y}`).toBe(isIn)
    })
  })
  it('is nothing where the ring lies elsewhere', () => {
    expect(insideRings([[[200, 200], [220, 200], [210, 230]]], region).includes(1)).toBe(false)
  })
})
