import { describe, expect, it } from 'vitest'
import * as fc from 'fast-check'
import { LEAST_SEEN } from '../check/visibility.js'
import { makeRandom } from '../random.js'
import { crop, rasterSource, makeRaster, type IntegerRaster, type Plane } from '../raster/raster.js'
import { makeTransfer } from '../raster/transfer.js'
import { ColourLook } from './discs/colour.js'
import { findCandidates, makeOctaves, strongestOnly, type Candidate } from './discs/candidates.js'
import DUST from './weights/dust.json' with { type: 'json' }
import SPECK from './weights/speck.json' with { type: 'json' }
import { findFlaws, findInTile, gatherFinds, searchTiles, tileSurroundings } from './find.js'
import { joinFinds } from './join-finds.js'
import type { Find, ScoredDisc } from './finds.js'
import { shapeCentre, type Outline } from '../shape/shape.js'
import { FIRST_EFFORT, fitDisc } from './discs/fit-disc.js'
import { dustJudge, judge, leastScore, speckJudge } from './judging/judge.js'
import { DARKEST_LIGHT, logLight } from '../raster/log-light.js'
import { worthFitting } from './discs/first-look.js'
import { evidenceInTile, rateOf } from './discs/search-discs.js'
import { findRadial } from './discs/radial.js'

const transfer = makeTransfer({ type: 'srgb' }, 8)

/** Normal noise of a given deviation round a level, with soft discs added. */
function plane(width: number, height: number, deviation: number, discs: readonly { x: number; y: number; r: number; depth: number }[], seed = 4): Plane {
  const random = makeRandom(seed)
  const data = new Float32Array(width * height)
  for (let y = 0; y < height; y++) {
    for (let x = 0; x < width; x++) {
      let value = -6
      for (let i = 0; i < 12; i++) value += random.uniform()
      value *= deviation
      for (const disc of discs) {
        const u = (Math.sqrt((x + 0.5 - disc.x) ** 2 + (y + 0.5 - disc.y) ** 2) - disc.r) / (0.3 * disc.r)
        value += disc.depth * (0.5 - (0.5 * u) / Math.sqrt(1 + u * u))
      }
      data[y * width + x] = value
    }
  }
  return { width, height, data }
}

function sky(width: number, height: number, spots: readonly { x: number; y: number; r: number; light: number }[], seed = 8): IntegerRaster {
  const raster = makeRaster(width, height, 3, 8)
  const random = makeRandom(seed)
  for (let i = 0; i < width * height; i++) {
    const x = (i % width) + 0.5
    const y = Math.floor(i / width) + 0.5
    for (let c = 0; c < 3; c++) {
      let light = 0.35 + 0.05 * c + 0.0001 * y
      for (const spot of spots) {
        const edge = Math.max(0, Math.min(1, 0.5 - (Math.hypot(x - spot.x, y - spot.y) - spot.r) / (0.5 * spot.r)))
        light *= 1 + (spot.light - 1) * edge
      }
      raster.data[i * 3 + c] = transfer.encode(light * (1 + 0.012 * (random.uniform() + random.uniform() + random.uniform() - 1.5)))
    }
  }
  return raster
}

describe('log light', () => {
  it('turns a dimming into the same difference whatever the light', () => {
    const raster = makeRaster(4, 1, 1, 16)
    const deep = makeTransfer({ type: 'linear' }, 16)
    raster.data.set([60000, 30000, 20000, 10000])
    const { data } = logLight(raster, deep)
    expect(data[0]! - data[1]!).toBeCloseTo(Math.log((60000 / 65535 + DARKEST_LIGHT) / (30000 / 65535 + DARKEST_LIGHT)), 5)
    expect(data[2]! - data[3]!).toBeCloseTo(Math.LN2, 1)
  })
  it('refuses a picture of two channels', () => {
    expect(() => logLight({ width: 1, height: 1, channels: 2, data: new Uint8Array(2) }, transfer)).toThrow(RangeError)
  })
})

describe('scale space extrema', () => {
  it('answer at the place, the sign and about the size of a disc', () => {
    const discs = [{ x: 60, y: 50, r: 2, depth: 1 }, { x: 120, y: 60, r: 5, depth: -1 }, { x: 60, y: 130, r: 9, depth: 1 }]
    const found = findCandidates(makeOctaves(plane(192, 192, 0.02, discs), 24))
    for (const disc of discs) {
      const near = found.find((candidate) => Math.hypot(candidate.x - disc.x, candidate.y - disc.y) < disc.r)!
      expect(near, `disc of ${disc.r}`).toBeDefined()
      expect(Math.sign(near.response)).toBe(Math.sign(disc.depth))
      expect(near.radius / disc.r).toBeGreaterThan(0.4)
      expect(near.radius / disc.r).toBeLessThan(2.2)
    }
  })
  it('noise alone gives no more than chance does, and none that a first look lets pass', () => {
    const octaves = makeOctaves(plane(512, 512, 1, []), 24)
    const candidates = findCandidates(octaves)
    // Beyond 4 deviations on either side lies 6.33e-5 of a normal distribution (tables, from memory): of so many pixels in two
    // scales at full size, and in two at half of it and so on.
    expect(candidates.length).toBeLessThan(6.33e-5 * 512 * 512 * 2 * (4 / 3))
    expect(candidates.filter((candidate) => worthFitting(octaves, candidate))).toEqual([])
  })
  it('one thing seen twice is one candidate: the stronger', () => {
    const at = (x: number, radius: number, response: number): Candidate => ({ x, y: 50, radius, response, unrest: 1, evenness: 1, standing: 4, crowd: 3 })
    expect(strongestOnly([at(50, 4, 9), at(51, 4, 12), at(90, 4, 8)])).toEqual([at(51, 4, 12), at(90, 4, 8)])
    // A small one inside a large one is something else.
    expect(strongestOnly([at(50, 20, 30), at(52, 2, 9)])).toHaveLength(2)
  })
  it('and so of thousands of all sizes and both signs, as when each is held against all stronger ones', () => {
    const random = makeRandom(17)
    const candidates = Array.from({ length: 3000 }, (): Candidate => ({ x: 400 * random.uniform(), y: 300 * random.uniform(), radius: [1.1, 2.1, 4.2, 6, 12, 24][Math.floor(6 * random.uniform())]!, response: (random.uniform() < 0.5 ? -1 : 1) * (5 + 40 * random.uniform()), unrest: 1, evenness: 1, standing: 4, crowd: 3 }))
    const kept: Candidate[] = []
    for (const candidate of [...candidates].sort((a, b) => Math.abs(b.response) - Math.abs(a.response))) {
      const same = kept.some((other) => candidate.radius > 0.6 * other.radius
        && Math.hypot(candidate.x - other.x, candidate.y - other.y) < (Math.sign(candidate.response) === Math.sign(other.response) ? 0.7 * Math.max(candidate.radius, other.radius) : 1.2 * other.radius))
      if (!same) kept.push(candidate)
    }
    expect(kept.length).toBeGreaterThan(300)
    expect(kept.length).toBeLessThan(2900)
    expect(strongestOnly([...candidates])).toEqual(kept)
  })
})

describe('radial evidence', () => {
  it('sees a faint disc and not an edge many times as strong', () => {
    const picture = plane(256, 256, 0.02, [{ x: 70, y: 128, r: 16, depth: -0.03 }])
    for (let y = 0; y < 256; y++) for (let x = 180; x < 256; x++) picture.data[y * 256 + x]! -= 2
    const found = findRadial(makeOctaves(picture, 70), -1)
    expect(found[0]).toBeDefined()
    expect(Math.hypot(found[0]!.x - 70, found[0]!.y - 128)).toBeLessThan(8)
    expect(found.filter(({ x }) => Math.abs(x - 180) < 12)).toHaveLength(0)
  })
})

describe('the fitted disc', () => {
  const truth = { x: 63.4, y: 60.7, r: 9, depth: -0.4 }
  const octaves = makeOctaves(plane(128, 128, 0.05, [truth]), 24)
  const start: Candidate = { x: 61, y: 62, radius: 7, response: -20, unrest: 1, evenness: 1, standing: 4, crowd: 3 }
  it('finds centre, radius and depth again', () => {
    const fit = fitDisc(octaves, start)!
    expect(Math.hypot(fit.x - truth.x, fit.y - truth.y)).toBeLessThan(0.5)
    expect(fit.radius).toBeCloseTo(truth.r, 0)
    expect(fit.amplitude).toBeCloseTo(truth.depth, 1)
    expect(fit.explained).toBeGreaterThan(0.8)
    expect(fit.evenness).toBeGreaterThan(0.7)
  })
  it('tells the ground that the disc lies on, on a slope too', () => {
    const slope = plane(128, 128, 0.05, [truth])
    for (let y = 0; y < 128; y++) for (let x = 0; x < 128; x++) slope.data[y * 128 + x]! += -1.5 + 0.004 * (x + 0.5)
    expect(fitDisc(octaves, start)!.ground).toBeCloseTo(0, 1)
    // In the middle of the disc: -1.5 + 0.004 x.
    expect(fitDisc(makeOctaves(slope, 24), start)!.ground).toBeCloseTo(-1.5 + 0.004 * truth.x, 1)
  })
  it('a glance comes near it', () => {
    const fit = fitDisc(octaves, start, FIRST_EFFORT)!
    expect(Math.hypot(fit.x - truth.x, fit.y - truth.y)).toBeLessThan(2)
    expect(fit.amplitude).toBeLessThan(-0.2)
  })
  it('weight is that of a matched filter: amplitude by root of the squared profile over the noise', () => {
    const fit = fitDisc(octaves, start)!
    let squares = 0
    for (let y = 0; y < 128; y++) for (let x = 0; x < 128; x++) {
      const u = (Math.hypot(x + 0.5 - truth.x, y + 0.5 - truth.y) - truth.r) / (0.3 * truth.r)
      squares += (0.5 - (0.5 * u) / Math.sqrt(1 + u * u)) ** 2
    }
    const expected = (0.4 * Math.sqrt(squares)) / 0.05
    expect(fit.weight / expected).toBeGreaterThan(0.75)
    expect(fit.weight / expected).toBeLessThan(1.25)
  })
  it('refuses what has the other sign, and planes too small for its window', () => {
    expect(fitDisc(octaves, { ...start, response: 20 })).toBeNull()
    expect(fitDisc(makeOctaves(plane(9, 9, 0.1, []), 4), { ...start, x: 4, y: 4, radius: 4 })).toBeNull()
  })
})

describe('the judgement', () => {
  const grey = new ColourLook(makeRaster(96, 96, 1, 8), makeTransfer({ type: 'srgb' }, 8))
  it('of fewer false finds asks for more evidence, by the measured law', () => {
    for (const by of [dustJudge, speckJudge]) {
      expect(leastScore(by, 0.01)).toBeGreaterThan(leastScore(by, 1))
      expect(leastScore(by, 1)).toBeCloseTo(by.scoreAtOne, 10)
    }
  })
  it.each([['dust', dustJudge, DUST], ['specks', speckJudge, SPECK]] as const)('of %s has a weight for each item of its evidence, and one for the answer of each unit', (_kind, by, { units }) => {
    const fit = fitDisc(makeOctaves(plane(96, 96, 0.05, [{ x: 48, y: 48, r: 7, depth: -0.5 }]), 24), { x: 48, y: 48, radius: 7, response: -20 })!
    const features = by.features({ x: 0, y: 0, radius: 5, response: -9, unrest: 1, evenness: 2, standing: 4, crowd: 3 }, fit, grey)
    expect(new Set(units.map(({ length }) => length))).toEqual(new Set([features.length + 1]))
    features.forEach((value, i) => expect(by.score(features.with(i, value + 0.5)), `item ${i}`).not.toBe(by.score(features)))
  })
  it('confidence rises with the score and is one half where real and false are even', () => {
    const fit = fitDisc(makeOctaves(plane(96, 96, 0.05, [{ x: 48, y: 48, r: 7, depth: -0.5 }]), 24), { x: 48, y: 48, radius: 7, response: -20 })!
    const strong = judge(dustJudge, dustJudge.features({ x: 48, y: 48, radius: 7, response: -40, unrest: 1, evenness: 2.4, standing: 4, crowd: 3 }, fit, grey))
    const weak = judge(dustJudge, dustJudge.features({ x: 48, y: 48, radius: 7, response: -5, unrest: 6, evenness: 1.2, standing: 4, crowd: 3 }, fit, grey))
    expect(strong.score).toBeGreaterThan(weak.score)
    expect(strong.confidence).toBeGreaterThan(weak.confidence)
    expect(1 / (1 + Math.exp(-dustJudge.slope * (strong.score - dustJudge.even)))).toBeCloseTo(strong.confidence, 10)
  })
})

/** Ground of stones: bright and dark grains of one size everywhere, as gravel has. */
function gravel(width: number, height: number, seed: number, pixelsAStone = 110): Plane {
  const random = makeRandom(seed)
  const stones = Array.from({ length: Math.round((width * height) / pixelsAStone) }, () => ({ x: width * random.uniform(), y: height * random.uniform(), r: 2 + 1.5 * random.uniform(), depth: (random.uniform() < 0.5 ? -1 : 1) * (0.2 + 0.25 * random.uniform()) }))
  return plane(width, height, 0.02, stones, seed)
}

describe('what is lighter than noise can be told from', () => {
  it('is not claimed, however many false finds one is willing to look at', () => {
    const random = makeRandom(11)
    // Specks of one size, from lost in the noise to plain.
    const spots = Array.from({ length: 60 }, (_value, k) => ({ x: 30 + 40 * (k % 10), y: 30 + 40 * Math.floor(k / 10), r: 1.6, depth: -0.02 - 0.003 * k - 0.01 * random.uniform() }))
    const light = plane(430, 270, 0.03, spots, 12)
    const raster = makeRaster(light.width, light.height, 1, 16)
    const deep = makeTransfer({ type: 'srgb' }, 16)
    for (let i = 0; i < light.data.length; i++) raster.data[i] = deep.encode(0.3 * Math.exp(light.data[i]!))
    const weights = findFlaws(rasterSource(raster), deep, { kinds: ['speck'], falseFinds: 1e6 }).map(({ weight }) => weight)
    expect(weights.length).toBeGreaterThan(10)
    expect(Math.min(...weights)).toBeGreaterThanOrEqual(LEAST_SEEN)
  })
})

describe('how a candidate stands among others', () => {
  const standingAt = (ground: Plane, x: number, y: number) => {
    const found = findCandidates(makeOctaves(ground, 24)).filter((candidate) => Math.hypot(candidate.x - x, candidate.y - y) < 4)
    return found.sort((a, b) => Math.abs(b.response) - Math.abs(a.response))[0]!
  }
  it('is far above them alone in a plain ground, and like them in gravel', () => {
    const spot = { x: 130, y: 120, r: 3, depth: 0.4 }
    const alone = standingAt(plane(260, 240, 0.02, [spot], 3), 130, 120)
    expect(alone.standing).toBeGreaterThan(2)
    const stones = findCandidates(makeOctaves(gravel(260, 240, 3, 420), 24)).filter(({ x, y }) => x > 80 && x < 180 && y > 80 && y < 160)
    expect(stones.length).toBeGreaterThan(10)
    const middle = stones.map(({ standing }) => standing).sort((a, b) => a - b)[stones.length >> 1]!
    expect(middle).toBeLessThan(1)
    expect(Math.min(...stones.map(({ crowd }) => crowd))).toBeGreaterThan(3 * alone.crowd)
  })
  it('keeps a ground of a thousand stones out of the finds but for a few, and not the speck that lies on it', () => {
    const toRaster = (light: Plane): IntegerRaster => {
      const raster = makeRaster(light.width, light.height, 1, 8)
      for (let i = 0; i < light.data.length; i++) raster.data[i] = transfer.encode(0.15 * Math.exp(light.data[i]!))
      return raster
    }
    const search = (light: Plane) => findFlaws(rasterSource(toRaster(light)), transfer, { kinds: ['speck'], falseFinds: 3 })
    const ground = gravel(400, 300, 7)
    // One in thirty of them: the stones are as round and as sharp as specks, more than those of any photograph tried.
    expect(search(ground).length).toBeLessThan(36)
    const specked = { ...ground, data: ground.data.map((value, i) => (Math.hypot((i % 400) + 0.5 - 200, Math.floor(i / 400) + 0.5 - 150) < 6 ? 1.6 : value)) }
    const [heaviest] = search(specked)
    expect(Math.hypot(shapeCentre(heaviest!.shape).x - 200, shapeCentre(heaviest!.shape).y - 150)).toBeLessThan(3)
  })
})

describe('a speck', () => {
  it.each([1.5, 2.5, 3.7, 5, 8])('of radius %d is found, though its candidate may be smaller than it', (r) => {
    const raster = makeRaster(240, 240, 1, 8)
    const light = plane(240, 240, 0.03, [], 5)
    for (let i = 0; i < light.data.length; i++) {
      const covered = Math.max(0, Math.min(1, (r - Math.hypot((i % 240) + 0.5 - 120, Math.floor(i / 240) + 0.5 - 120)) / 1.2 + 0.5))
      const ground = 0.2 * Math.exp(light.data[i]!)
      raster.data[i] = transfer.encode(ground + covered * (0.85 - ground))
    }
    const found = findFlaws(rasterSource(raster), transfer, { kinds: ['speck'], falseFinds: 3 })
    expect(found).toHaveLength(1)
    const { x, y, r: radius } = shapeCentre(found[0]!.shape)
    expect(Math.hypot(x - 120, y - 120)).toBeLessThan(1)
    expect(radius / r).toBeGreaterThan(0.7)
    expect(radius / r).toBeLessThan(1.4)
    expect(found[0]!.contrast).toBeGreaterThan(3)
  })
})

describe('a search', () => {
  const spots = [{ x: 300, y: 200, r: 18, light: 0.8 }, { x: 700, y: 330, r: 10, light: 0.72 }, { x: 130, y: 420, r: 25, light: 0.88 }]
  const picture = sky(900, 560, spots)

  it('tiles cover the picture once', () => {
    fc.assert(fc.property(fc.integer({ min: 1, max: 9000 }), fc.integer({ min: 1, max: 7000 }), (width, height) => {
      const tiles = searchTiles(width, height)
      expect(tiles.reduce((sum, tile) => sum + tile.width * tile.height, 0)).toBe(width * height)
      for (const tile of tiles) {
        const around = tileSurroundings(tile, width, height)
        expect(around.x).toBeLessThanOrEqual(tile.x)
        expect(around.x + around.width).toBeGreaterThanOrEqual(tile.x + tile.width)
        expect(around.x + around.width).toBeLessThanOrEqual(width)
      }
    }), { numRuns: 40 })
  })
  it('says where specks lie in the picture, of a tile in its midst too', () => {
    // On both sides of a seam of tiles, near the edge of what is read close to a tile, and further in.
    const pale = [{ x: 446, y: 120, r: 3 }, { x: 455, y: 300, r: 5 }, { x: 700, y: 440, r: 2 }].map((spot) => ({ ...spot, light: 1.5 }))
    const raster = sky(900, 560, pale)
    const options = { kinds: ['speck'], falseFinds: 3 } as const
    const tiles = [{ x: 0, y: 0, width: 450, height: 560 }, { x: 450, y: 0, width: 450, height: 560 }]
    const found = tiles.map((tile) => {
      const around = tileSurroundings(tile, 900, 560)
      return findInTile(crop(raster, around), around, tile, transfer, options, raster)
    })
    const middles = found.map((finds) => gatherFinds([finds], options, raster).map(({ shape }) => shapeCentre(shape)).sort((a, b) => a.x - b.x))
    expect(middles.map((list) => list.length)).toEqual([1, 2])
    for (const [k, { x, y }] of middles.flat().entries()) expect(Math.hypot(x - pale[k]!.x, y - pale[k]!.y)).toBeLessThan(0.3)
  })
  it('finds what is there, dark, with its size, the heaviest first, and the same each time', () => {
    const found = findFlaws(rasterSource(picture), transfer, { kinds: ['dust'], falseFinds: 3 })
    for (const spot of spots) {
      const near = found.find(({ shape }) => Math.hypot(shapeCentre(shape).x - spot.x, shapeCentre(shape).y - spot.y) < 0.4 * spot.r)!
      expect(near, `spot of ${spot.r}`).toBeDefined()
      expect(near.contrast).toBeLessThan(0)
      expect(shapeCentre(near.shape).r / spot.r).toBeGreaterThan(0.7)
      expect(shapeCentre(near.shape).r / spot.r).toBeLessThan(1.4)
    }
    expect(found.map(({ weight }) => weight)).toEqual([...found].map(({ weight }) => weight).sort((a, b) => b - a))
    expect(findFlaws(rasterSource(picture), transfer, { kinds: ['dust'], falseFinds: 3 })).toEqual(found)
  })
  it('a find belongs to the tile that its centre lies in', () => {
    const whole = { x: 0, y: 0, width: 900, height: 560 }
    const left = { x: 0, y: 0, width: 512, height: 560 }
    const right = { x: 512, y: 0, width: 388, height: 560 }
    const options = { kinds: ['dust'], falseFinds: 3 } as const
    const foundIn = (...tiles: (typeof whole)[]) => gatherFinds(tiles.map((tile) => findInTile(picture, whole, tile, transfer, options, whole)), options, picture)
    const [parts, all] = [foundIn(left, right), foundIn(whole)]
    const places = (finds: readonly Find[]) => finds.map(({ shape }) => `${shapeCentre(shape).x.toFixed(1)} ${shapeCentre(shape).y.toFixed(1)}`).sort()
    expect(places(parts)).toEqual(places(all))
  })
  it.each([['left', 9, 200], ['upper', 300, 8], ['right', 592, 150], ['lower', 200, 393]])('finds a shadow at the %s edge, of which a part lies outside', (_edge, x, y) => {
    const found = findFlaws(rasterSource(sky(600, 400, [{ x, y, r: 14, light: 0.7 }])), transfer, { kinds: ['dust'], falseFinds: 3 })
    expect(found).toHaveLength(1)
    const { x: fx, y: fy } = shapeCentre(found[0]!.shape)
    expect(Math.hypot(fx - x, fy - y)).toBeLessThan(7)
  })
  it('believes a shadow that takes the same share of all colours more than a spot of another colour', () => {
    const spot = (shares: readonly [number, number, number]): number => {
      const raster = sky(500, 400, [])
      for (let i = 0; i < 500 * 400; i++) {
        const edge = Math.max(0, Math.min(1, 0.5 - (Math.hypot((i % 500) + 0.5 - 250, Math.floor(i / 500) + 0.5 - 200) - 16) / 8))
        for (let c = 0; c < 3; c++) raster.data[3 * i + c] = transfer.encode(transfer.light[raster.data[3 * i + c]!]! * (1 - (1 - shares[c]!) * edge))
      }
      const whole = { x: 0, y: 0, width: 500, height: 400 }
      const colour = new ColourLook(raster, transfer)
      const scores = evidenceInTile(logLight(raster, transfer), colour, whole, whole, 'dust', [{ kind: 'dust', least: -30 }]).filter(({ fit }) => Math.hypot(fit.x - 250, fit.y - 200) < 5).map(({ candidate, fit }) => dustJudge.score(dustJudge.features(candidate, fit, colour)))
      return Math.max(...scores)
    }
    // About as dark, once in grey and once in red.
    expect(spot([0.8, 0.8, 0.8])).toBeGreaterThan(spot([0.98, 0.74, 0.74]) + 1)
  })
  it('by the same control finds in a small picture what a large one leaves: three false finds are as few in both', () => {
    const least = (width: number, height: number) => leastScore(dustJudge, rateOf({ kinds: ['dust'], falseFinds: 3 }, { width, height }))
    expect(least(600, 400)).toBeLessThan(least(6000, 4000) - 1)
    // Small dust is judged as a dark speck.
    const JUDGES_OF_DUST = 2
    // By rates alone a picture of a hundredth of the size would be held to a hundredth of the finds.
    expect(rateOf({ kinds: ['dust'], falseFinds: 3 }, { width: 6000, height: 4000 })).toBeCloseTo(3 / 24 / JUDGES_OF_DUST, 10)
    expect(rateOf({ kinds: ['dust'], falseFinds: 3 }, { width: 600, height: 400 })).toBeCloseTo((3 / 24 / JUDGES_OF_DUST) * 10, 10)
  })
  it('has no candidate for a shadow outside the picture, though what lies near an edge is held against its mirror image', () => {
    const random = makeRandom(31)
    for (let round = 0; round < 6; round++) {
      const spots = Array.from({ length: 5 }, () => ({ x: 300 * random.uniform(), y: random.uniform() < 0.5 ? 6 * random.uniform() : 200 - 6 * random.uniform(), r: 8 + 8 * random.uniform(), light: 0.6 }))
      const candidates = findRadial(makeOctaves(logLight(sky(300, 200, spots, round), transfer), 40), -1)
      expect(candidates.length).toBeGreaterThan(0)
      for (const { x, y } of candidates) expect(x >= 0 && y >= 0 && x <= 300 && y <= 200, `${x}, ${y}`).toBe(true)
    }
  })
  it('of a clean picture finds next to nothing, however often', () => {
    let false_ = 0
    for (let seed = 1; seed <= 4; seed++) false_ += findFlaws(rasterSource(sky(700, 500, [], seed)), transfer, { kinds: ['dust', 'speck'], falseFinds: 3 }).length
    expect(false_).toBeLessThanOrEqual(1)
  })
  it('tells progress to the end', () => {
    const shares: number[] = []
    findFlaws(rasterSource(picture), transfer, { kinds: ['speck'], falseFinds: 3 }, (share) => shares.push(share))
    expect(shares.at(-1)).toBe(1)
  })
  it('puts finds of neighbouring tiles together: the surer of two at one place stays', () => {
    const find = (x: number, r: number, confidence: number) => ({ kind: 'dust', shape: { type: 'disc', x, y: 80, r }, contrast: -2, weight: 20, unrest: 1, confidence, by: 'dust', score: 5, accepted: true }) as const
    const tiles = [[find(100, 10, 0.5), find(160, 10, 0.7)], [find(104, 10, 0.9)]].map((discs) => ({ discs, pieces: [] }))
    expect(gatherFinds(tiles, { kinds: ['dust'], falseFinds: 3 }, { width: 300, height: 200 }).map(({ shape }) => shapeCentre(shape).x).sort()).toEqual([104, 160])
  })
})

describe('finds that are put together', () => {
  const find = (kind: Find['kind'], shape: Find['shape'], weight: number): Find => ({ kind, shape, contrast: -3, weight, confidence: 0.9, unrest: 1 })
  const disc = (x: number, y: number, r: number, weight: number) => ({ ...find('dust', { type: 'disc', x, y, r }, weight), by: 'dust', score: 5, accepted: true }) as ScoredDisc
  const square = (left: number, top: number, side: number): Outline => ({ type: 'outline', points: [[left, top], [left + side, top], [left + side, top + side], [left, top + side]] })

  it('have what fills a stain once, as the stain, and what only lies in one beside it', () => {
    const stain = find('stain', square(100, 100, 40), 50)
    const [filling, small, beside] = [disc(120, 120, 18, 90), disc(105, 105, 5, 30), disc(180, 120, 18, 70)]
    expect(joinFinds([{ discs: [filling, small] }, { discs: [beside] }], [], [stain])).toEqual([beside, stain, small])
  })
  it('have nothing in a loss but the loss', () => {
    const loss = find('loss', square(0, 0, 60), 10)
    const [within, beside] = [disc(30, 30, 2, 40), disc(90, 30, 2, 20)]
    expect(joinFinds([{ discs: [within, beside] }], [], [loss])).toEqual([beside, loss])
  })
})
