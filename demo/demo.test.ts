import { cutOut } from '@fennip/core/assemble/pieces/cut-out.js'
import { DUSK, duskFrame, duskLight } from './bracket.js'
import { tornInTwo } from './pieces.js'
import { beforeAll, describe, expect, it } from 'vitest'
import { makeTransfer } from '@fennip/core/raster/transfer.js'
import { addBackscatter, addDust, addHairs, addMoire, addScratches, addSpecks, copyLight, type TrueFlaw } from './damage.js'
import { addFolds, addLosses, addMould, addStains, addTears } from './print-damage.js'
import { demoFiles } from './load.js'
import { cleanPylon, dustyPylon, pylonLight, shaftValve, stationPrint } from './pictures.js'
import { between, betweenLogarithmically, expose, type Light } from './photograph.js'
import { makeRandom } from '@fennip/core/random.js'

const SIZE = { width: 600, height: 400 }
let light: Light
beforeAll(async () => {
  light = await pylonLight(SIZE)
})

/** An even grey of three channels. */
function even(width: number, height: number, value: number): Light {
  return { width, height, channels: [0, 1, 2].map(() => ({ width, height, data: new Float32Array(width * height).fill(value) })) }
}
const changed = (before: Light, after: Light) => before.channels[0]!.data.map((value, i) => (value === after.channels[0]!.data[i] ? 0 : 1))

describe('the made-up camera', () => {
  it('draws photon noise: its variance is the light over the electrons, plus that of reading', () => {
    const scene = even(300, 200, 0.3)
    const { clean } = expose(scene, scene, { electrons: 10000, readNoise: 20, grainSize: 0, depth: 16, seed: 3 })
    const { light: table } = makeTransfer({ type: 'srgb' }, 16)
    let sum = 0
    let squares = 0
    for (let i = 0; i < 300 * 200; i++) {
      const value = table[clean.data[3 * i + 1]!]!
      sum += value
      squares += value * value
    }
    const mean = sum / 60000
    expect(mean).toBeCloseTo(0.3, 3)
    expect((squares / 60000 - mean * mean) / ((0.3 * 10000 + 400) / 1e8)).toBeGreaterThan(0.93)
    expect((squares / 60000 - mean * mean) / ((0.3 * 10000 + 400) / 1e8)).toBeLessThan(1.07)
  })
  it('is the same from the same seed and another from another', () => {
    expect(cleanPylon(light, 5).damaged.data).toEqual(cleanPylon(light, 5).damaged.data)
    expect(cleanPylon(light, 5).damaged.data).not.toEqual(cleanPylon(light, 6).damaged.data)
  })
  it('knows nothing under a shadow better than light allows: noise grows where light is lost', () => {
    const scene = even(200, 200, 0.3)
    const hurt = copyLight(scene)
    for (const plane of hurt.channels) for (let i = 0; i < plane.data.length / 2; i++) plane.data[i]! *= 0.25
    const { damaged } = expose(scene, hurt, { electrons: 10000, readNoise: 0, grainSize: 0, depth: 16, seed: 8 })
    const { light: table } = makeTransfer({ type: 'srgb' }, 16)
    const relative = (from: number, to: number) => {
      let sum = 0
      let squares = 0
      for (let i = from; i < to; i++) {
        sum += table[damaged.data[3 * i]!]!
        squares += table[damaged.data[3 * i]!]! ** 2
      }
      const mean = sum / (to - from)
      return Math.sqrt(squares / (to - from) - mean * mean) / mean
    }
    // A quarter of the photons has twice the relative noise.
    expect(relative(0, 20000) / relative(20000, 40000)).toBeGreaterThan(1.85)
    expect(relative(0, 20000) / relative(20000, 40000)).toBeLessThan(2.15)
  })
  it('gives grain that hangs together when it is asked for', () => {
    const scene = even(200, 200, 0.3)
    const neighbours = (grainSize: number) => {
      const { clean } = expose(scene, scene, { electrons: 2000, readNoise: 0, grainSize, depth: 16, seed: 4 })
      let product = 0
      let square = 0
      const mean = Array.from(clean.data).reduce((sum, value) => sum + value, 0) / clean.data.length
      for (let i = 0; i + 1 < 40000; i++) {
        product += (clean.data[3 * i]! - mean) * (clean.data[3 * i + 3]! - mean)
        square += (clean.data[3 * i]! - mean) ** 2
      }
      return product / square
    }
    expect(Math.abs(neighbours(0))).toBeLessThan(0.05)
    expect(neighbours(0.9)).toBeGreaterThan(0.4)
  })
})

describe('the damage', () => {
  it('of dust dims in linear light, about as deep as asked, and where the truth says', () => {
    const scene = even(400, 300, 0.4)
    const hurt = copyLight(scene)
    const flaws = addDust(hurt, { count: 8, radius: [8, 16], depth: [0.2, 0.4], seed: 3 })
    expect(flaws).toHaveLength(8)
    changed(scene, hurt).forEach((hit, i) => {
      if (!hit) return
      const x = (i % 400) + 0.5
      const y = Math.floor(i / 400) + 0.5
      expect(flaws.some((flaw) => Math.hypot(flaw.x - x, flaw.y - y) < 2.2 * flaw.r + 2)).toBe(true)
    })
    for (const flaw of flaws) {
      const share = hurt.channels[0]!.data[Math.floor(flaw.y) * 400 + Math.floor(flaw.x)]! / 0.4
      expect(share).toBeLessThan(0.85)
      expect(share).toBeGreaterThan(0.5)
    }
  })
  it('of dust is no perfect disc: its edge lies at different distances in different directions', () => {
    const scene = even(200, 200, 0.4)
    const hurt = copyLight(scene)
    const [flaw] = addDust(hurt, { count: 1, radius: [30, 31], depth: [0.4, 0.41], seed: 9 })
    const edges = Array.from({ length: 16 }, (_value, k) => {
      for (let r = 0; r < 70; r += 0.5) {
        const x = Math.floor(flaw!.x + r * Math.cos((k * Math.PI) / 8))
        const y = Math.floor(flaw!.y + r * Math.sin((k * Math.PI) / 8))
        if (hurt.channels[0]!.data[y * 200 + x]! > 0.4 * 0.82) return r
      }
      return 70
    })
    expect(Math.max(...edges) - Math.min(...edges)).toBeGreaterThan(2)
  })
  it('of backscatter only adds light, of specks is opaque', () => {
    const scene = even(300, 200, 0.2)
    const lit = copyLight(scene)
    addBackscatter(lit, { count: 20, radius: [2, 8], seed: 2 })
    expect(lit.channels[1]!.data.every((value) => value >= Math.fround(0.2))).toBe(true)
    const specked = copyLight(scene)
    addSpecks(specked, { count: 40, radius: [2, 5], seed: 2 })
    const values = [...specked.channels[0]!.data]
    expect(Math.max(...values)).toBeGreaterThan(0.5)
    expect(Math.min(...values)).toBeLessThan(0.15)
  })
  it('of losses lays paper bare, a corner first', () => {
    const light = even(500, 400, 0.2)
    const copy = copyLight(light)
    addLosses(copy, { count: 2, radius: [20, 30], seed: 4 })
    const bare = changed(light, copy)
    const corners = [0, light.width - 1, (light.height - 1) * light.width, light.width * light.height - 1]
    expect(corners.filter((i) => bare[i] === 1)).toHaveLength(1)
    expect(bare.reduce((sum, value) => sum + value, 0)).toBeGreaterThan(400)
    copy.channels[0]!.data.forEach((value, i) => bare[i] && expect(value).toBeGreaterThan(0.7))
  })
  it('of stains takes most of the blue and least of the red, more along a tide line than inside it', () => {
    const scene = { ...even(400, 300, 0.4) }
    const copy = copyLight(scene)
    addStains(copy, { water: 1, foxing: 0, radius: [5, 9], depth: [0.5, 0.51], seed: 3 })
    const depth = [0, 1, 2].map((c) => copy.channels[c]!.data.map((value) => -Math.log(value / 0.4)))
    const deepest = depth[2]!.reduce((at, value, i) => (value > depth[2]![at]! ? i : at), 0)
    const [red, green, blue] = depth.map((plane) => plane[deepest]!) as [number, number, number]
    expect(blue).toBeGreaterThan(0.4)
    expect(blue).toBeLessThan(0.52)
    expect(green / blue).toBeGreaterThan(0.5)
    expect(red / blue).toBeLessThan(0.46)
    const stained = [...depth[2]!].filter((value) => value > 0.05).sort((a, b) => a - b)
    expect(stained[stained.length >> 1]).toBeLessThan(0.35)
  })
  it('of mould is a colony of dark spots, each deepest in the middle and hardly coloured', () => {
    const scene = even(400, 300, 0.4)
    const copy = copyLight(scene)
    const flaws = addMould(copy, { colonies: 1, spots: 12, radius: [3, 8], depth: [0.5, 1], seed: 6 })
    expect(flaws.length).toBeGreaterThan(4)
    const depthAt = (x: number, y: number, c: number) => -Math.log(copy.channels[c]!.data[Math.floor(y) * 400 + Math.floor(x)]! / 0.4)
    for (const { x, y, r } of flaws) {
      const depth = [0, 1, 2].map((c) => depthAt(x, y, c))
      expect(Math.min(...depth)).toBeGreaterThan(0.35)
      expect(Math.max(...depth)).toBeLessThan(1)
      expect(Math.min(...depth) / Math.max(...depth)).toBeGreaterThan(0.86)
      const rim = Array.from({ length: 16 }, (_value, k) => depthAt(x + r * Math.cos(k), y + r * Math.sin(k), 1))
      expect(rim.reduce((sum, value) => sum + value, 0) / 16).toBeLessThan(0.6 * depth[1]!)
      // Its threads reach out here and there.
      expect(Math.max(...rim) - Math.min(...rim)).toBeGreaterThan(0.1 * depth[1]!)
    }
    const hit = changed(scene, copy)
    expect(hit.every((value, i) => !value || flaws.some(({ x, y, r }) => Math.hypot((i % 400) + 0.5 - x, Math.floor(i / 400) + 0.5 - y) < 2.2 * r + 2))).toBe(true)
    const apart = flaws.flatMap((a) => flaws.map((b) => Math.hypot(a.x - b.x, a.y - b.y)))
    // All within a circle whose radius is at most sixteen times that of a usual spot.
    expect(Math.max(...apart)).toBeLessThan(2 * 16 * Math.sqrt(3 * 8))
  })
  it('of moire is one even wave within its place, as strong and as long as asked', () => {
    const scene = even(400, 300, 0.4)
    const copy = copyLight(scene)
    const [place] = addMoire(copy, { count: 1, radius: [60, 61], length: [5, 5.01], strength: [0.1, 0.1001], seed: 8 })
    const { x, y, r } = place!
    const share = (i: number) => copy.channels[1]!.data[i]! / 0.4 - 1
    const inside: number[] = []
    copy.channels[1]!.data.forEach((_value, i) => {
      const away = Math.hypot((i % 400) + 0.5 - x, Math.floor(i / 400) + 0.5 - y)
      if (away > r) expect(share(i)).toBeCloseTo(0, 6)
      else if (away < 0.8 * r) inside.push(share(i))
    })
    // Of a sine the mean is 0, and the mean square half of its strength squared.
    expect(inside.reduce((sum, value) => sum + value, 0) / inside.length).toBeCloseTo(0, 2)
    expect(Math.sqrt((2 * inside.reduce((sum, value) => sum + value * value, 0)) / inside.length)).toBeCloseTo(0.1, 2)
    expect(Math.max(...inside)).toBeLessThan(0.1002)
  })
  it('of scratches, folds and tears is thin, and as wide as asked', () => {
    const scene = even(500, 400, 0.2)
    const share = (put: (copy: Light) => void) => {
      const copy = copyLight(scene)
      put(copy)
      return changed(scene, copy).reduce((sum, hit) => sum + hit, 0) / (500 * 400)
    }
    expect(share((copy) => void addScratches(copy, { count: 6, seed: 1 }))).toBeGreaterThan(0.001)
    expect(share((copy) => void addScratches(copy, { count: 6, seed: 1 }))).toBeLessThan(0.05)
    const narrow = share((copy) => addTears(copy, { count: 2, width: 6, seed: 1 }))
    const wide = share((copy) => addTears(copy, { count: 2, width: 18, seed: 1 }))
    expect(wide / narrow).toBeGreaterThan(2)
    expect(wide / narrow).toBeLessThan(4)
    expect(share((copy) => addFolds(copy, { count: 1, width: 5, seed: 1 }))).toBeGreaterThan(0.005)
  })
  it('of lines has its truth: all that changed lies along the paths, as wide as they say', () => {
    const scene = even(500, 400, 0.2)
    const puts: ((copy: Light) => TrueFlaw[])[] = [
      (copy) => addScratches(copy, { count: 5, seed: 4 }),
      (copy) => addFolds(copy, { count: 1, width: 6, seed: 4 }),
      (copy) => addHairs(copy, { count: 5, width: [1, 3], depth: [0.2, 0.6], tone: 'both', seed: 4 }),
    ]
    for (const put of puts) {
      const hurt = copyLight(scene)
      const flaws = put(hurt)
      const far = changed(scene, hurt).filter((hit, i) => {
        const [x, y] = [(i % 500) + 0.5, Math.floor(i / 500) + 0.5]
        return hit && !flaws.some(({ path, width }) => path!.some(([px, py]) => Math.hypot(px - x, py - y) < 0.75 * width! + 2))
      }).length
      const near = changed(scene, hurt).reduce((sum, hit) => sum + hit, 0)
      expect(far / near, flaws[0]!.kind).toBeLessThan(0.02)
      expect(near).toBeGreaterThan(100)
    }
  })
  it('never touches the clean light', () => {
    const before = light.channels[0]!.data.slice()
    dustyPylon(light, 3)
    expect(light.channels[0]!.data).toEqual(before)
  })
})

describe('the demo pictures', () => {
  it('have their truth: clean and damaged differ only near a flaw', () => {
    const { clean, damaged, flaws } = dustyPylon(light, 7)
    expect(flaws.length).toBeGreaterThan(10)
    let far = 0
    for (let i = 0; i < SIZE.width * SIZE.height; i++) {
      if (clean.data[3 * i] === damaged.data[3 * i] && clean.data[3 * i + 1] === damaged.data[3 * i + 1]) continue
      const x = (i % SIZE.width) + 0.5
      const y = Math.floor(i / SIZE.width) + 0.5
      if (!flaws.some((flaw) => Math.hypot(flaw.x - x, flaw.y - y) < 2.2 * flaw.r + 3)) far++
    }
    expect(far).toBe(0)
  })
  it('the frame is not empty in its finest detail', () => {
    const { data } = light.channels[1]!
    let sum = 0
    for (let y = 250; y < 390; y++) for (let x = 10; x < 590; x++) sum += Math.abs(data[y * SIZE.width + x]! - data[y * SIZE.width + x + 1]!)
    expect(sum / (140 * 580)).toBeGreaterThan(0.002)
  })
  it('the shaft is dark with bright flecks, the print grey on paper that is never black nor white', async () => {
    const shaft = await shaftValve(SIZE)
    expect(shaft.damaged.channels).toBe(3)
    expect(shaft.flaws.every(({ kind }) => kind === 'speck')).toBe(true)
    const print = await stationPrint(SIZE)
    expect(print.damaged.channels).toBe(1)
    expect(print.clean.data).toBeInstanceOf(Uint16Array)
    expect(new Set(print.flaws.map(({ kind }) => kind))).toEqual(new Set(['speck', 'scratch']))
  })
  it('are these files', () => {
    expect(demoFiles(SIZE, SIZE).map(({ name }) => name)).toEqual(['pylon-7-west.jpg', 'pylon-7-west.tif', 'shaft-valve-3.jpg', 'lower-station.tif', 'torn-print.tif', 'torn-in-two.tif', 'stained-print.tif', 'faded-print.tif', 'saloon-curtain.tif', 'cabin-window-rain.jpg', 'valley-haze.jpg', 'seat-cover.jpg', 'upper-station-night.jpg', 'shaft-dense.jpg', 'ring-stain.tif', 'dusk-dark.jpg', 'dusk-middle.jpg', 'dusk-light.jpg', 'pylon-4-noon.jpg', 'pylon-4-cable.jpg', 'pylon-5-north.jpg', 'pylon-5-sky.jpg', 'pylon-6-path.jpg', 'pylon-6-evening.jpg'])
  })
})

describe('what is put together', () => {
  it('is a print in two pieces on a dark bed, the lower one turned', async () => {
    const { damaged } = await tornInTwo({ width: 1000, height: 667 })
    const { pieces } = cutOut(damaged)
    expect(pieces).toHaveLength(2)
    const share = pieces.reduce((sum, { area }) => sum + area, 0) / (1000 * 667)
    // The print is .9 by .82 of the scan, less fibre and paper that was lost.
    expect(share).toBeGreaterThan(0.66)
    expect(share).toBeLessThan(0.75)
  })
  it('is a bracket whose exposures are two stops apart', async () => {
    const light = await duskLight({ width: 240, height: 160 })
    const means = DUSK.map((taken, i) => {
      const { damaged } = duskFrame(light, taken, i)
      return Array.from(damaged.data).filter((_, k) => k % 3 === 1).map((value) => (value / 255) ** 2.2)
    })
    // Of pixels that are clipped in neither, moved a little: the median says it.
    const ratio = (a: number[], b: number[]) => [...a].sort((x, y) => x - y)[a.length >> 2]! / [...b].sort((x, y) => x - y)[b.length >> 2]!
    expect(ratio(means[2]!, means[1]!)).toBeGreaterThan(3)
    expect(ratio(means[1]!, means[0]!)).toBeGreaterThan(3)
  })
})

describe('random numbers of the damage', () => {
  it('lie between their bounds, evenly or evenly by ratio', () => {
    const random = makeRandom(1)
    const flat = Array.from({ length: 4000 }, () => between(random, 2, 6))
    const ratio = Array.from({ length: 4000 }, () => betweenLogarithmically(random, 1, 100))
    expect(Math.min(...flat)).toBeGreaterThanOrEqual(2)
    expect(Math.max(...flat)).toBeLessThanOrEqual(6)
    expect(flat.reduce((sum, value) => sum + value, 0) / 4000).toBeCloseTo(4, 0)
    // Half of them lie below the geometric mean.
    expect(ratio.filter((value) => value < 10).length / 4000).toBeGreaterThan(0.46)
    expect(ratio.filter((value) => value < 10).length / 4000).toBeLessThan(0.54)
  })
})
