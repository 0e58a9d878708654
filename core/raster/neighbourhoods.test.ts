import { createRequire } from 'node:module'
import type cvModule from '@techstark/opencv-js'
import { beforeAll, describe, expect, it } from 'vitest'
import { makeRandom } from '../random.js'
import { boxMean, guidedFilter } from '../kernels/smoothing/box.js'
import { forgetKernels } from '../kernels/module.js'
import { discExtreme, squareExtreme } from '../kernels/filters/extremes.js'
import { inverse3, oklabOfXyz65, okSpaceOf } from '../colour/oklab.js'
import { srgbProfile } from '../colour/profile.js'
import type { Plane } from './raster.js'

let cv: typeof cvModule
beforeAll(async () => {
  cv = createRequire(import.meta.url)('@techstark/opencv-js') as typeof cvModule
  if (!cv.Mat) await new Promise<void>((resolve) => (cv.onRuntimeInitialized = () => resolve()))
})

function noise(width: number, height: number, seed: number): Plane {
  const { uniform } = makeRandom(seed)
  return { width, height, data: Float32Array.from({ length: width * height }, () => uniform()) }
}

/** Mean and products over a square by definition. */
function slowMean({ width, height, data }: Plane, radius: number): Float32Array {
  return Float32Array.from(data, (_, i) => {
    const [x, y] = [i % width, Math.floor(i / width)]
    let [sum, count] = [0, 0]
    for (let py = Math.max(0, y - radius); py <= Math.min(height - 1, y + radius); py++) for (let px = Math.max(0, x - radius); px <= Math.min(width - 1, x + radius); px++) { sum += data[py * width + px]!; count++ }
    return sum / count
  })
}

describe('means and extremes of neighbourhoods', () => {
  it('box means are those of the definition, and do not depend on where a part begins', () => {
    const plane = noise(47, 31, 1)
    for (const radius of [1, 3, 9, 40]) {
      const mean = boxMean(plane, radius).data
      slowMean(plane, radius).forEach((value, i) => expect(mean[i]).toBeCloseTo(value, 5))
    }
    const part = { width: 30, height: 31, data: Float32Array.from({ length: 30 * 31 }, (_, i) => plane.data[Math.floor(i / 30) * 47 + 10 + (i % 30)]!) }
    const [whole, own] = [boxMean(plane, 3).data, boxMean(part, 3).data]
    for (let y = 0; y < 31; y++) for (let x = 4; x < 26; x++) expect(own[y * 30 + x]).toBe(whole[y * 47 + x + 10])
  })

  it('the guided filter is that of He, Sun and Tang 2013 (eq. 5, 6 and 8), computed by definition', () => {
    const [plane, guide] = [noise(24, 20, 2), noise(24, 20, 3)]
    const product = (a: Float32Array, b: Float32Array) => ({ width: 24, height: 20, data: a.map((value, i) => value * b[i]!) })
    const radius = 2
    const [mI, mp, mII, mIp] = [guide, plane, product(guide.data, guide.data), product(guide.data, plane.data)].map((one) => slowMean(one, radius)) as [Float32Array, Float32Array, Float32Array, Float32Array]
    const a = mI.map((value, i) => (mIp[i]! - value * mp[i]!) / (mII[i]! - value * value + 0.02))
    const b = mp.map((value, i) => value - a[i]! * mI[i]!)
    const [ma, mb] = [a, b].map((data) => slowMean({ width: 24, height: 20, data }, radius)) as [Float32Array, Float32Array]
    const filtered = guidedFilter([plane], guide, radius, 0.02)[0]!.data
    guide.data.forEach((value, i) => expect(filtered[i]).toBeCloseTo(ma[i]! * value + mb[i]!, 4))
  })

  it('several planes by one guide are each as they are alone, and the planes that were given stay as they are', () => {
    const [guide, ...planes] = [11, 12, 13].map((seed) => noise(33, 26, seed)) as [Plane, Plane, Plane]
    const before = planes.map(({ data }) => data.slice())
    const together = guidedFilter(planes, guide, 4, 0.01)
    planes.forEach((plane, k) => {
      expect(together[k]!.data).toEqual(guidedFilter([plane], guide, 4, 0.01)[0]!.data)
      expect(plane.data).toEqual(before[k])
    })
    forgetKernels()
    expect(guidedFilter(planes, guide, 4, 0.01)).toEqual(together)
  })
  it('the guided filter keeps an edge of the guide that a box mean smears, and evens out what lies beside it', () => {
    const { uniform } = makeRandom(21)
    const step = (x: number) => (x < 30 ? 0.2 : 0.8)
    const plane: Plane = { width: 60, height: 40, data: Float32Array.from({ length: 2400 }, (_, i) => step(i % 60) + 0.04 * (uniform() - 0.5)) }
    const [kept] = guidedFilter([plane], plane, 5, 0.02 ** 2) as [Plane]
    const at = (of: Plane, x: number) => of.data[20 * 60 + x]!
    expect(at(kept, 30) - at(kept, 29)).toBeGreaterThan(0.5)
    expect(at(boxMean(plane, 5), 30) - at(boxMean(plane, 5), 29)).toBeLessThan(0.1)
    const roughness = (of: Plane) => Array.from({ length: 18 }, (_, x) => Math.abs(at(of, x + 6) - at(of, x + 5))).reduce((sum, value) => sum + value)
    expect(roughness(kept)).toBeLessThan(0.4 * roughness(plane))
  })

  it('extremes over a square agree with erosion and dilation of the computer-vision library', () => {
    // Windows narrower than a vector, wider than the plane, and of about its size.
    for (const [width, height, radius] of [[61, 43, 1], [61, 43, 4], [61, 43, 13], [61, 43, 30], [61, 43, 70], [3, 50, 2], [50, 3, 9], [1, 1, 5]] as const) {
      const plane = noise(width, height, 4)
      const source = cv.matFromArray(height, width, cv.CV_32F, [...plane.data])
      const kernel = cv.getStructuringElement(cv.MORPH_RECT, new cv.Size(2 * radius + 1, 2 * radius + 1))
      for (const [which, run] of [['least', 'erode'], ['greatest', 'dilate']] as const) {
        const into = new cv.Mat()
        cv[run](source, into, kernel)
        expect(squareExtreme(plane, radius, which).data).toEqual(new Float32Array(into.data32F))
        into.delete()
      }
      source.delete()
      kernel.delete()
    }
  })

  it('extremes over a disc are those of the definition', () => {
    const plane = noise(33, 27, 5)
    for (const radius of [0, 1, 3.5, 6, 40]) {
      const greatest = discExtreme(plane, radius, 'greatest').data
      expect(discExtreme({ ...plane, data: plane.data.map((value) => -value) }, radius, 'least').data).toEqual(greatest.map((value) => -value))
      plane.data.forEach((_, i) => {
        const [x, y] = [i % 33, Math.floor(i / 33)]
        let wanted = -Infinity
        for (let py = 0; py < 27; py++) for (let px = 0; px < 33; px++) if ((px - x) ** 2 + (py - y) ** 2 <= radius * radius) wanted = Math.max(wanted, plane.data[py * 33 + px]!)
        expect(greatest[i]).toBe(wanted)
      })
    }
  })
})

describe('OKLab', () => {
  it('has the values that were published with it (Ottosson 2020, table of XYZ pairs)', () => {
    for (const [xyz, lab] of [[[0.95, 1, 1.089], [1, 0, 0]], [[1, 0, 0], [0.45, 1.236, -0.019]], [[0, 1, 0], [0.922, -0.671, 0.263]], [[0, 0, 1], [0.153, -1.415, -0.449]]] as const) {
      oklabOfXyz65([...xyz]).forEach((value, i) => expect(Math.abs(value - lab[i]!)).toBeLessThan(0.0011))
    }
  })

  it('comes back to the light it was made of, white has no colour, and a matrix times its inverse is one', () => {
    const space = okSpaceOf(srgbProfile(false).toXyz!)
    const { uniform } = makeRandom(6)
    for (let n = 0; n < 200; n++) {
      const light: [number, number, number] = [uniform(), uniform(), uniform()]
      space.toLight(space.ofLight(light)).forEach((value, c) => expect(value).toBeCloseTo(light[c]!, 6))
    }
    const [l, a, b] = space.ofLight([1, 1, 1])
    expect(l).toBeCloseTo(1, 3)
    expect(Math.hypot(a, b)).toBeLessThan(0.001)
    const m = [2, 0, 1, 0, 3, 0, 1, 1, 1]
    const product = Array.from({ length: 9 }, (_, i) => [0, 1, 2].reduce((sum, k) => sum + m[3 * Math.floor(i / 3) + k]! * inverse3(m)[3 * k + (i % 3)]!, 0))
    product.forEach((value, i) => expect(value).toBeCloseTo(i % 4 === 0 ? 1 : 0, 9))
  })
})
