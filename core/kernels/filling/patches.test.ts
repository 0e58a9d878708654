import { describe, expect, it } from 'vitest'
import { makeRandom } from '../../random.js'
import { HALF_PATCH, PatchTable, type PatchGaps } from './patches.js'

/** Search and vote against the slow, obvious ones, with a gap that touches the edge of the picture. */

const [WIDTH, HEIGHT] = [24, 19]
const isGap = (x: number, y: number) => x < 5 && y > 6 && y < 12

function gapsOf(channels: number): PatchGaps {
  const random = makeRandom(channels)
  const size = WIDTH * HEIGHT
  const places = Int32Array.from({ length: size }, (_value, i) => i).filter((i) => isGap(i % WIDTH, Math.floor(i / WIDTH)))
  const index = new Int32Array(size).fill(-1)
  places.forEach((i, k) => (index[i] = k))
  const offered = Uint8Array.from({ length: size }, (_value, i) => {
    const [x, y] = [i % WIDTH, Math.floor(i / WIDTH)]
    return x >= 5 + HALF_PATCH && x < WIDTH - HALF_PATCH && y >= HALF_PATCH && y < HEIGHT - HALF_PATCH ? 1 : 0
  })
  const offers = [...offered.keys()].filter((i) => offered[i] === 1)
  const source = places.map(() => offers[Math.floor(random.uniform() * offers.length)]!)
  return { width: WIDTH, height: HEIGHT, channels: Array.from({ length: channels }, () => Float32Array.from({ length: size }, () => random.uniform())), places, index, source, cost: new Float32Array(places.length), offered }
}

/** Offsets of a patch whose place lies inside the picture. */
function patchAt(place: number): number[] {
  const [x, y] = [place % WIDTH, Math.floor(place / WIDTH)]
  const offsets: number[] = []
  for (let dy = -HALF_PATCH; dy <= HALF_PATCH; dy++) for (let dx = -HALF_PATCH; dx <= HALF_PATCH; dx++) if (x + dx >= 0 && x + dx < WIDTH && y + dy >= 0 && y + dy < HEIGHT) offsets.push(dy * WIDTH + dx)
  return offsets
}

function costOf({ channels }: PatchGaps, place: number, source: number): number {
  const offsets = patchAt(place)
  const squares = channels.flatMap((plane) => offsets.map((by) => (plane[place + by]! - plane[source + by]!) ** 2))
  return squares.reduce((sum, value) => sum + value, 0) / squares.length
}

describe.each([1, 3, 4])('patches of %i channels', (channels) => {
  it('are searched: every place ends with a whole patch that costs what it says, never more than before, most less', () => {
    const gaps = gapsOf(channels)
    const before = [...gaps.places].map((place, k) => costOf(gaps, place, gaps.source[k]!))
    const table = new PatchTable(gaps)
    const random = makeRandom(9)
    for (let round = 0; round < 4; round++) table.search(random.integer, round % 2 === 0)
    table.release()
    let better = 0
    gaps.places.forEach((place, k) => {
      expect(gaps.offered[gaps.source[k]!]).toBe(1)
      expect(gaps.cost[k]).toBeCloseTo(costOf(gaps, place, gaps.source[k]!), 5)
      expect(gaps.cost[k]!).toBeLessThanOrEqual(before[k]! + 1e-6)
      if (gaps.cost[k]! < before[k]! - 1e-6) better++
    })
    expect(better).toBeGreaterThan(0.8 * gaps.places.length)
  })

  it('vote: every place takes the mean of what the patches over it show, those that fit better saying more', () => {
    const gaps = { ...gapsOf(channels), cost: Float32Array.from({ length: 25 }, (_value, k) => 0.02 + 0.01 * (k % 7)) }
    const before = gaps.channels.map((plane) => plane.slice())
    const usual = gaps.cost.reduce((sum, value) => sum + value, 0) / gaps.cost.length
    const table = new PatchTable(gaps)
    table.vote()
    table.release()
    gaps.places.forEach((place) => {
      const over = patchAt(place).filter((by) => gaps.index[place + by]! >= 0).map((by) => ({ k: gaps.index[place + by]!, by }))
      const say = over.map(({ k }) => 1 / (0.05 + (gaps.cost[k]! / usual) ** 2))
      const total = say.reduce((sum, value) => sum + value, 0)
      gaps.channels.forEach((plane, c) => expect(plane[place]).toBeCloseTo(over.reduce((sum, { k, by }, n) => sum + (say[n]! / total) * before[c]![gaps.source[k]! - by]!, 0), 5))
    })
    // What is no gap stays.
    gaps.channels.forEach((plane, c) => plane.forEach((value, i) => (gaps.index[i]! < 0 ? expect(value).toBe(before[c]![i]) : 0)))
  })
})
