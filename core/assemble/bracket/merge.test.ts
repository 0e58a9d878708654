import { describe, expect, it } from 'vitest'
import { makeRandom } from '../../random.js'
import { makeRaster, type IntegerRaster, type Plane } from '../../raster/raster.js'
import { alignedPlace, alignPictures } from '../../rescan/align.js'
import { drawnIn, mergeExposures } from './merge.js'
import { spreadInwards } from '../spread-inwards.js'
import { proposeBrackets } from './propose-brackets.js'

const [WIDTH, HEIGHT] = [360, 260]
/** IEC 61966-2-1, by hand. */
const encode = (light: number) => (light <= 0.0031308 ? 12.92 * light : 1.055 * light ** (1 / 2.4) - 0.055)

/** Light of a scene over five stops: a bright window, dark ground, structure everywhere. */
function scene(x: number, y: number): number {
  const structure = 1 + 0.25 * Math.sin(x / 7 + y / 19) + 0.2 * Math.sin(y / 5.3 - x / 23) + 0.15 * Math.sin((x - y) / 3.7)
  const bright = x > 200 && x < 300 && y > 30 && y < 110 ? 2.6 : y > 170 ? 0.014 : 0.3
  return bright * structure
}

interface Pose { turn: number; dx: number; dy: number }
/** Where a place of the reference lies in an exposure. */
function moved({ turn, dx, dy }: Pose, x: number, y: number): [number, number] {
  const [c, s] = [Math.cos(turn), Math.sin(turn)]
  const [px, py] = [x - WIDTH / 2, y - HEIGHT / 2]
  return [WIDTH / 2 + c * px - s * py + dx, HEIGHT / 2 + s * px + c * py + dy]
}
function unmoved({ turn, dx, dy }: Pose, x: number, y: number): [number, number] {
  const [c, s] = [Math.cos(turn), Math.sin(turn)]
  const [px, py] = [x - dx - WIDTH / 2, y - dy - HEIGHT / 2]
  return [WIDTH / 2 + c * px + s * py, HEIGHT / 2 - s * px + c * py]
}

/** An exposure with a figure, a dark disc, at a place of its own. */
function exposure(gain: number, pose: Pose, figure: readonly [number, number], seed: number): IntegerRaster {
  const raster = makeRaster(WIDTH, HEIGHT, 1, 8)
  const random = makeRandom(seed)
  for (let y = 0, i = 0; y < HEIGHT; y++) for (let x = 0; x < WIDTH; x++, i++) {
    const [sx, sy] = unmoved(pose, x + 0.5, y + 0.5)
    const light = gain * (Math.sqrt((sx - figure[0]) ** 2 + (sy - figure[1]) ** 2) < 14 ? 0.75 : scene(sx, sy))
    const noise = 0.008 * (random.uniform() + random.uniform() + random.uniform() - 1.5)
    raster.data[i] = Math.max(0, Math.min(255, Math.round(255 * (encode(Math.max(0, light)) + noise))))
  }
  return raster
}

const POSES: Pose[] = [{ turn: 0.021, dx: 7.3, dy: -4.6 }, { turn: 0, dx: 0, dy: 0 }, { turn: -0.014, dx: -9.1, dy: 5.4 }]
const GAINS = [0.25, 1, 4]
const FIGURES = [[60, 130], [90, 130], [120, 130]] as const
const bracket = () => POSES.map((pose, i) => ({ pixels: exposure(GAINS[i]!, pose, FIGURES[i]!, 7 + i) }))

describe('aligning', () => {
  it('finds turn and shift of a handheld bracket to half a pixel at the corners, whatever the exposures', () => {
    const planes = bracket().map(({ pixels }): Plane => ({ width: WIDTH, height: HEIGHT, data: Float32Array.from(pixels.data, (value) => value / 255) }))
    for (const i of [0, 2]) {
      const alignment = alignPictures(planes[1]!, planes[i]!)
      for (const [x, y] of [[10, 10], [350, 10], [10, 250], [350, 250]] as const) {
        const [wanted, found] = [moved(POSES[i]!, x, y), alignedPlace(alignment, WIDTH, HEIGHT, x, y)]
        expect(Math.sqrt((wanted[0] - found[0]) ** 2 + (wanted[1] - found[1]) ** 2)).toBeLessThan(0.5)
      }
    }
  })
})

describe('merging', () => {
  const merged = mergeExposures(bracket(), { type: 'srgb' }, 1)
  const { raster, moving, owner, ratios } = merged

  it('measures the light of the exposures', () => {
    expect(Math.abs(ratios[0]! / 0.25 - 1)).toBeLessThan(0.06)
    expect(Math.abs(ratios[2]! / 4 - 1)).toBeLessThan(0.06)
  })
  it('keeps highlights and shadows that no single exposure has both of', () => {
    const lost = (values: ArrayLike<number>, top: number) => Array.from(values).filter((value) => value >= 0.995 * top || value <= 0.06 * top).length / values.length
    const single = Math.min(...bracket().map(({ pixels }) => lost(pixels.data, 255)))
    expect(lost(raster.data, 65535)).toBeLessThan(single / 3)
    // The window, which the reference has clipped, shows its structure.
    const row = Array.from({ length: 80 }, (_, k) => raster.data[70 * WIDTH + 210 + k]!)
    expect(Math.max(...row) - Math.min(...row)).toBeGreaterThan(1500)
  })
  it('leaves the middle tones as the reference has them', () => {
    let [sum, count] = [0, 0]
    for (let y = 20; y < 160; y += 3) for (let x = 150; x < 195; x += 3) {
      sum += Math.abs(raster.data[y * WIDTH + x]! / 65535 - encode(drawnIn(scene(x + 0.5, y + 0.5), 4)))
      count++
    }
    expect(sum / count).toBeLessThan(0.012)
  })
  it('takes what moved from one exposure, whole', () => {
    expect(moving.length).toBeGreaterThan(0)
    // Figures of the other exposures are gone, that of the reference is there, everywhere from the same exposure.
    const at = (x: number, y: number) => raster.data[y * WIDTH + x]! / 65535
    expect(at(90, 130)).toBeCloseTo(encode(drawnIn(0.75, 4)), 1)
    for (const [x, y] of [FIGURES[0], FIGURES[2]]) expect(Math.abs(at(x, y) - encode(scene(x + 0.5, y + 0.5)))).toBeLessThan(0.06)
    for (let y = 118; y < 143; y++) for (let x = 78; x < 103; x++) if (Math.sqrt((x - 90) ** 2 + (y - 130) ** 2) < 12) expect(owner[y * WIDTH + x]).toBe(2)
  })
  it('takes a thing from the exposure that was chosen by hand', () => {
    const other = mergeExposures(bracket(), { type: 'srgb' }, 1, new Map(moving.map((_, k) => [k, 0])))
    expect(other.moving.every(({ from }) => from === 0)).toBe(true)
    expect(other.raster.data[130 * WIDTH + 60]! / 65535).toBeCloseTo(encode(drawnIn(0.75, 4)), 1)
  })
  it('takes a part from the exposure that was chosen for it by hand, and the rest as before', () => {
    const cover = new Float32Array(WIDTH * HEIGHT)
    for (let y = 180; y < 230; y++) cover.fill(1, y * WIDTH + 40, y * WIDTH + 120)
    const other = mergeExposures(bracket(), { type: 'srgb' }, 1, new Map(), undefined, [{ cover, from: 0 }])
    for (let i = 0; i < cover.length; i++) {
      if (cover[i] === 1) expect(other.owner[i]).toBe(1)
      else expect(other.owner[i]).toBe(owner[i])
    }
    // The dark exposure has its noise four times as strong in light; the merge of all three has not.
    const spread = (data: ArrayLike<number>) => {
      let sum = 0
      for (let y = 190; y < 220; y++) for (let x = 50; x < 110; x++) sum += Math.abs(data[y * WIDTH + x]! / 65535 - encode(drawnIn(scene(x + 0.5, y + 0.5), 4)))
      return sum / 1800
    }
    expect(spread(other.raster.data)).toBeGreaterThan(1.5 * spread(raster.data))
    for (let y = 20; y < 100; y++) expect(other.raster.data[y * WIDTH + 30]).toBe(raster.data[y * WIDTH + 30])
  })
  it('lays a part without a seam where its exposure is a little lighter there, its own contrast kept', () => {
    // Light that wanders into the lens in one exposure alone: 30 % more on the left.
    const hazy = bracket()
    const dark = hazy[0]!.pixels
    for (let i = 0; i < dark.data.length; i++) dark.data[i] = Math.min(255, Math.round(dark.data[i]! * (1.3 - (0.3 * (i % WIDTH)) / WIDTH)))
    const cover = new Float32Array(WIDTH * HEIGHT)
    for (let y = 60; y < 110; y++) cover.fill(1, y * WIDTH + 20, y * WIDTH + 80)
    const plain = mergeExposures(hazy, { type: 'srgb' }, 1).raster
    const laid = mergeExposures(hazy, { type: 'srgb' }, 1, new Map(), undefined, [{ cover, from: 0 }]).raster
    const mean = (raster: IntegerRaster, left: number) => {
      let sum = 0
      for (let y = 64; y < 106; y++) for (let x = left; x < left + 4; x++) sum += raster.data[y * WIDTH + x]! / 65535
      return sum / 168
    }
    // Across its right edge it steps no more than the merge of all does there.
    const step = (raster: IntegerRaster) => mean(raster, 76) - mean(raster, 81)
    expect(Math.abs(step(laid) - step(plain))).toBeLessThan(0.006)
    // And in its middle it is as light as its surroundings make it.
    expect(Math.abs(mean(laid, 48) - mean(plain, 48))).toBeLessThan(0.01)
  })
})

describe('carrying a difference inwards', () => {
  const side = 80
  const isKnown = (i: number) => Math.sqrt(((i % side) - 40) ** 2 + (Math.floor(i / side) - 40) ** 2) > 15
  const known = Float32Array.from({ length: side * side }, (_, i) => (isKnown(i) ? 1 : 0))

  it('keeps what is even, and goes smoothly from one side to the other', () => {
    const even = spreadInwards(new Float32Array(side * side).fill(0.1), known, side, side)
    for (const value of even) expect(value).toBeCloseTo(0.1, 4)
    // A slope is harmonic: a membrane, solved by hand, carries it on unchanged.
    const slope = Float32Array.from({ length: side * side }, (_, i) => (i % side) / side)
    const carried = spreadInwards(slope, known, side, side)
    for (let x = 26; x < 54; x++) expect(Math.abs(carried[40 * side + x]! - x / side)).toBeLessThan(0.05)
  })
  it('says nothing where nothing is known', () => {
    expect(spreadInwards(new Float32Array(400).fill(1), new Float32Array(400), 20, 20).every((value) => value === 0)).toBe(true)
  })
})

describe('brackets among frames', () => {
  const frame = (id: string, taken: string, light: number, body = 'OT-2') => ({ id, width: 6000, height: 4000, body, taken: `2026:10:30 18:02:${taken}`, light })
  it('are frames of one body within seconds, each with light of its own, from dark to light', () => {
    const frames = [frame('b', '11', 1), frame('a', '10', 0.25), frame('c', '13', 4), frame('d', '40', 1), frame('e', '41', 1), frame('other', '12', 2, 'OT-1')]
    expect(proposeBrackets(frames)).toEqual([['a', 'b', 'c']])
  })
  it('are not proposed where the time or the light is not known', () => {
    expect(proposeBrackets([{ ...frame('a', '10', 1), taken: undefined }, frame('b', '11', 4), { ...frame('c', '12', 2), light: undefined }])).toEqual([])
  })
})
