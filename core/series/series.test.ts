import * as fc from 'fast-check'
import { beforeAll, describe, expect, it } from 'vitest'
import { shadowField } from '../mend/lift/shadow.js'
import { ProblemError } from '../problem.js'
import { makeRandom } from '../random.js'
import { makeRaster, rasterSource, type IntegerRaster } from '../raster/raster.js'
import { makeTransfer } from '../raster/transfer.js'
import { checkDocument } from '../treatment/validate.js'
import { validateSensorChart } from '../treatment/generated/validators.js'
import type { Flaw, Step } from '../treatment/schema.js'
import { changesOfMarks, expectedShadow, flawOfMark, flawsOfMarks, placeFrame, placeMarks, type PlacedMark } from './apply-chart.js'
import type { SensorChart } from './chart-schema.js'
import { chartOfFrame, draftChart, expectedPlaces, finishChart, type DustyFrame } from './learn-chart.js'
import { lostOf, measureMark, type MarkMeasure } from './measure-mark.js'
import { findPlacement, placeIn, placeOnChart } from './placement.js'
import { fitShadowLaw, shadowAt } from './shadow-law.js'

const transfer = makeTransfer({ type: 'srgb' }, 8)
const chartSize = { width: 600, height: 400 }

describe('the place of a mark in a frame', () => {
  it('is found back from the frame, whatever its turn, size and shift', () => {
    fc.assert(fc.property(fc.integer({ min: 0, max: 3 }), fc.double({ min: 0.3, max: 2, noNaN: true }), fc.double({ min: 0, max: 600, noNaN: true }), fc.double({ min: 0, max: 400, noNaN: true }), (turn, scale, x, y) => {
      const frame = turn % 2 === 0 ? { width: 1200, height: 800 } : { width: 800, height: 1200 }
      const back = placeOnChart(placeIn({ x, y }, chartSize, frame, { turn, scale }), chartSize, frame, { turn, scale })
      expect(back.x).toBeCloseTo(x, 6)
      expect(back.y).toBeCloseTo(y, 6)
    }), { seed: 3 })
  })
  it('of a frame that was turned clockwise moves from the top left to the top right', () => {
    expect(placeIn({ x: 0, y: 0 }, chartSize, { width: 400, height: 600 }, { turn: 1, scale: 1 })).toEqual({ x: 400, y: 0 })
  })
  const random = makeRandom(6)
  const marks = Array.from({ length: 14 }, () => ({ x: 20 + 560 * random.uniform(), y: 20 + 360 * random.uniform(), r: 4, weight: 30 }))
  it.each([[0, 0.9962, 1], [2, 1.0041, 1], [1, 1.0018, 1], [3, 1, 1], [0, 1.003, 0.5]])('is told from what is seen: turn %d, shift %d, size %d', (turn, shift, size) => {
    const frame = turn % 2 === 0 ? { width: 600 * size, height: 400 * size } : { width: 400 * size, height: 600 * size }
    const seen = [
      ...marks.slice(0, 11).map((mark) => ({ ...placeIn(mark, chartSize, frame, { turn, scale: shift * size }), r: 4 * size, weight: 20 })),
      // And things of the scene that are no dust.
      ...Array.from({ length: 10 }, () => ({ x: frame.width * random.uniform(), y: frame.height * random.uniform(), r: 4, weight: 25 })),
    ]
    const placement = findPlacement(marks, chartSize, seen, frame)
    expect(placement.turn).toBe(turn)
    expect(placement.scale / size).toBeCloseTo(shift, 3)
    expect(placement.matches).toBeGreaterThanOrEqual(10)
  })
  it('is told at any shift a lens makes, whatever else is seen', () => {
    fc.assert(fc.property(fc.double({ min: 0.992, max: 1.008, noNaN: true }), fc.integer({ min: 1, max: 10000 }), fc.integer({ min: 6, max: 14 }), (shift, seed, shared) => {
      const noise = makeRandom(seed)
      const seen = [
        ...marks.slice(0, shared).map((mark) => ({ ...placeIn(mark, chartSize, chartSize, { turn: 0, scale: shift }), r: 4, weight: 20 })),
        ...Array.from({ length: 8 }, () => ({ x: 600 * noise.uniform(), y: 400 * noise.uniform(), r: 4, weight: 15 })),
      ]
      const { turn, scale } = findPlacement(marks, chartSize, seen, chartSize)
      expect(turn).toBe(0)
      // At a corner of 360 px from the middle that is half a pixel.
      expect(Math.abs(scale - shift)).toBeLessThan(0.0015)
    }), { numRuns: 60, seed: 8 })
  })
  it('is the plain one where nothing is seen', () => expect(findPlacement(marks, chartSize, [], chartSize)).toEqual({ turn: 0, scale: 1, matches: 0 }))
})

describe('a shadow at another aperture', () => {
  it('loses 30 % at f/22 and about 2 % at f/5.6 when the dust is small (engine figures after Dirik, Sencar and Memon 2008)', () => {
    const chart = { spread: 200 }
    const mark = { core: 0.5, light: 0.3 * ((200 / 22) ** 2 + 0.25) }
    expect(shadowAt(mark, chart, 22).lost).toBeCloseTo(0.3, 6)
    expect(shadowAt(mark, chart, 5.6).lost).toBeGreaterThan(0.015)
    expect(shadowAt(mark, chart, 5.6).lost).toBeLessThan(0.025)
    expect(shadowAt(mark, chart, 5.6).r / shadowAt(mark, chart, 22).r).toBeCloseTo(22 / 5.6, 1)
  })
  it('follows a law that is found back from measurements at several apertures', () => {
    const truth = [{ core: 3, light: 12 }, { core: 9, light: 40 }, { core: 5, light: 25 }]
    const law = fitShadowLaw(truth.map((mark) => [8, 11, 16, 22].map((aperture) => ({ aperture, weight: 30, ...shadowAt(mark, { spread: 120 }, aperture) }))))
    expect(law.spread).toBeCloseTo(120, 3)
    law.marks.forEach((mark, k) => {
      expect(mark.core).toBeCloseTo(truth[k]!.core, 3)
      expect(mark.light).toBeCloseTo(truth[k]!.light, 3)
    })
  })
  it('is guessed from one aperture: wider open it is wider and fainter', () => {
    const law = fitShadowLaw([[{ aperture: 16, r: 10, lost: 0.2, weight: 20 }]])
    const here = shadowAt(law.marks[0]!, law, 16)
    expect(here.r).toBeCloseTo(10, 0)
    expect(here.lost).toBeCloseTo(0.2, 1)
    expect(shadowAt(law.marks[0]!, law, 8).r).toBeGreaterThan(12)
    expect(shadowAt(law.marks[0]!, law, 8).lost).toBeLessThan(0.15)
  })
})

interface Grain { x: number; y: number; core: number; light: number }
const SPREAD = 150
const grains: Grain[] = (() => {
  const random = makeRandom(12)
  const list: Grain[] = []
  while (list.length < 12) {
    const grain = { x: 40 + 520 * random.uniform(), y: 40 + 320 * random.uniform(), core: 2 + 4 * random.uniform(), light: 0 }
    if (list.every((other) => Math.hypot(other.x - grain.x, other.y - grain.y) > 60)) list.push({ ...grain, light: (0.12 + 0.3 * random.uniform()) * (grain.core ** 2 + (SPREAD / 22) ** 2) })
  }
  return list
})()

/** A sky of another tone in every frame, with the shadows of the grains as an aperture shows them. */
function frameOf(aperture: number, scale: number, seed: number, without: readonly number[] = []): IntegerRaster {
  const random = makeRandom(seed)
  const raster = makeRaster(600, 400, 3, 8)
  const shadows = grains.map((grain, i) => ({ ...placeIn(grain, chartSize, chartSize, { turn: 0, scale }), ...shadowAt(grain, { spread: SPREAD }, aperture), gone: without.includes(i) }))
  for (let i = 0; i < 600 * 400; i++) {
    const x = (i % 600) + 0.5
    const y = Math.floor(i / 600) + 0.5
    let light = 0.25 + 0.02 * (seed % 5) + 0.0002 * y
    for (const shadow of shadows) {
      if (shadow.gone || Math.abs(x - shadow.x) > 3 * shadow.r || Math.abs(y - shadow.y) > 3 * shadow.r) continue
      const u = (Math.hypot(x - shadow.x, y - shadow.y) - shadow.r) / (0.35 * shadow.r)
      light *= 1 - shadow.lost * (0.5 - (0.5 * u) / Math.sqrt(1 + u * u))
    }
    for (let c = 0; c < 3; c++) raster.data[3 * i + c] = transfer.encode(light * (1 + 0.02 * (random.uniform() + random.uniform() - 1)))
  }
  return raster
}
const taken = [{ aperture: 22, scale: 1 }, { aperture: 16, scale: 1.003 }, { aperture: 11, scale: 0.998 }]
const rasters = taken.map(({ aperture, scale }, i) => frameOf(aperture, scale, 20 + i))
/** What a search finds: the grains, and something of the scene. */
const frames: DustyFrame[] = taken.map(({ aperture, scale }, i) => ({
  name: `frame-${i}`, aperture, taken: `2026:05:1${i} 10:00:00`, width: 600, height: 400,
  spots: [...grains.map((grain) => ({ ...placeIn(grain, chartSize, chartSize, { turn: 0, scale }), r: shadowAt(grain, { spread: SPREAD }, aperture).r, weight: 30 })), { x: 100 + 90 * i, y: 200 - 40 * i, r: 5, weight: 80 }],
}))

describe('a chart', () => {
  let chart: SensorChart
  beforeAll(() => {
    const draft = draftChart(frames)
    chart = finishChart('OT-9', frames, draft, frames.map((frame, i) => expectedPlaces(draft, i, frame).map((place) => measureMark(rasterSource(rasters[i]!), transfer, place))))
  })
  it('has every grain, and nothing of the scene', () => {
    expect(chart.marks).toHaveLength(grains.length)
    for (const grain of grains) expect(chart.marks.some((mark) => Math.hypot(mark.x - grain.x, mark.y - grain.y) < 0.3), `${grain.x} ${grain.y}`).toBe(true)
  })
  it('knows the scales of its frames and the spread of its sensor', () => {
    expect(chart.frames[1]!.scale / chart.frames[0]!.scale).toBeCloseTo(1.003, 3)
    expect(chart.frames[2]!.scale / chart.frames[0]!.scale).toBeCloseTo(0.998, 3)
    expect(chart.spread / SPREAD).toBeGreaterThan(0.85)
    expect(chart.spread / SPREAD).toBeLessThan(1.15)
  })
  it('says how sure each mark is, and since when it is there', () => {
    for (const mark of chart.marks) {
      expect(mark.seen).toBe(3)
      expect(mark.sureness).toBeGreaterThan(0.8)
      expect(mark.firstSeen).toBe('2026:05:10 10:00:00')
    }
  })
  it('is a valid document, and one with a strange field is refused by name', () => {
    expect(() => checkDocument(validateSensorChart, chart, 'The chart', 422)).not.toThrow()
    expect(() => checkDocument(validateSensorChart, { ...chart, colour: 'blue' }, 'The chart', 422)).toThrow(ProblemError)
  })
  it('is refused of two frames, and of frames that share nothing', () => {
    expect(() => draftChart(frames.slice(0, 2))).toThrow(/three frames/i)
    expect(() => draftChart(frames.map((frame, i) => ({ ...frame, spots: [{ x: 60 + 170 * i, y: 100 + 90 * i, r: 4, weight: 50 }] })))).toThrow(/share no dust/i)
  })

  describe('applied to another frame', () => {
    const raster = frameOf(14, 0.9965, 31, [3])
    const spots = grains.filter((_grain, i) => i !== 3).map((grain) => ({ ...placeIn(grain, chartSize, chartSize, { turn: 0, scale: 0.9965 }), r: 8, weight: 20 }))
    const placed = () => placeMarks(chart, rasterSource(raster), transfer, 14, placeFrame(chart, { width: 600, height: 400, aperture: 14, spots }))
    it('finds each mark again, with the light it lets through', () => {
      for (const [i, grain] of grains.entries()) {
        if (i === 3) continue
        const at = placeIn(grain, chartSize, chartSize, { turn: 0, scale: 0.9965 })
        const mark = placed().find(({ x, y }) => Math.hypot(x - at.x, y - at.y) < 2)!
        expect(mark, `grain ${i}`).toBeDefined()
        expect(mark.state).toBe('clear')
        expect(lostOf(mark.depth) / shadowAt(grain, { spread: SPREAD }, 14).lost).toBeGreaterThan(0.8)
        expect(lostOf(mark.depth) / shadowAt(grain, { spread: SPREAD }, 14).lost).toBeLessThan(1.2)
      }
    })
    it('sees that one was wiped off', () => {
      const at = placeIn(grains[3]!, chartSize, chartSize, { turn: 0, scale: 0.9965 })
      expect(placed().find(({ x, y }) => Math.hypot(x - at.x, y - at.y) < 12)!.state).toBe('absent')
      expect(flawsOfMarks(placed())).toHaveLength(grains.length - 1)
    })
  })
})

describe('a mark that is measured', () => {
  const raster = frameOf(16, 1, 40)
  it('has the depth it was made with, within a tenth', () => {
    for (const grain of grains) {
      const { r, lost } = shadowAt(grain, { spread: SPREAD }, 16)
      const measure = measureMark(rasterSource(raster), transfer, { type: 'disc', x: grain.x, y: grain.y, r, slack: 1 })!
      expect(lostOf(measure.depth) / lost).toBeGreaterThan(0.85)
      expect(lostOf(measure.depth) / lost).toBeLessThan(1.15)
      expect(measure.contrast).toBeLessThan(0)
    }
  })
  it('says where it lies by itself in a sky, to a third of a pixel, wherever it was expected', () => {
    for (const [dx, dy] of [[1.3, -0.9], [-0.6, 1.4], [0, 0]] as const) {
      const off = grains.map((grain) => {
        const measure = measureMark(rasterSource(raster), transfer, { type: 'disc', x: grain.x + dx, y: grain.y + dy, r: shadowAt(grain, { spread: SPREAD }, 16).r, slack: 1.6 })!
        return Math.hypot(measure.x - grain.x, measure.y - grain.y)
      })
      expect(Math.max(...off)).toBeLessThan(0.35)
    }
  })
  it('is not itself taken for what lies around it: in a plain sky nothing is restless, however deep it is', () => {
    for (const grain of grains) {
      const { r } = shadowAt(grain, { spread: SPREAD }, 16)
      const measure = measureMark(rasterSource(raster), transfer, { type: 'disc', x: grain.x, y: grain.y, r, slack: 1 })!
      expect(measure.depth / measure.deviation).toBeGreaterThan(20)
      expect(measure.unrest).toBeLessThan(2)
    }
  })
  it('is left where it is expected in texture that says otherwise', () => {
    // Gravel: stones as dark as the mark and as wide, all round and half over it.
    const random = makeRandom(77)
    const stones = Array.from({ length: 260 }, () => ({ x: 200 * random.uniform(), y: 200 * random.uniform(), r: 4 + 3 * random.uniform(), dark: 0.35 * random.uniform() }))
    const gravel = makeRaster(200, 200, 1, 8)
    for (let i = 0; i < 200 * 200; i++) {
      const [x, y] = [(i % 200) + 0.5, Math.floor(i / 200) + 0.5]
      const covered = stones.reduce((light, stone) => (Math.hypot(x - stone.x, y - stone.y) < stone.r ? light * (1 - stone.dark) : light), 0.5)
      gravel.data[i] = transfer.encode(covered * (1 - 0.1 * Math.max(0, Math.min(1, (7 - Math.hypot(x - 100, y - 100)) / 2))))
    }
    const measure = measureMark(rasterSource(gravel), transfer, { type: 'disc', x: 100, y: 100, r: 6, slack: 1.6 })!
    expect(measure.unrest).toBeGreaterThan(2)
    expect(Math.hypot(measure.x - 100, measure.y - 100)).toBeLessThan(0.6)
    expect(measure.r).toBe(6)
  })
  it('that is not there has a depth within its deviation, and none outside the picture', () => {
    const measure = measureMark(rasterSource(raster), transfer, { type: 'disc', x: 20, y: 20, r: 6, slack: 1 })!
    expect(Math.abs(measure.depth)).toBeLessThan(5 * measure.deviation)
    expect(measureMark(rasterSource(raster), transfer, { type: 'disc', x: -4, y: 20, r: 6, slack: 1 })).toBeNull()
  })
})

describe('what a chart changes', () => {
  const placed = (mark: string, x: number, state: PlacedMark['state'] = 'clear'): PlacedMark => ({ mark, state, x, y: 50, r: 6, depth: 0.1, spread: 0.02, weight: 20, contrast: -2, sureness: 0.9, unrest: 1.24 })
  const flaw = (id: string, x: number, more: Partial<Flaw> = {}): Flaw => ({ id, kind: 'dust', shape: { type: 'disc', x, y: 50, r: 6 }, state: 'open', contrast: -2, weight: 20, confidence: 0.9, origin: 'found', ...more })
  it('puts in what is there, and takes the place of a find that nobody decided on', () => {
    const { put, remove } = changesOfMarks({ flaws: [flaw('f1', 101), flaw('f2', 300)], steps: [] }, [placed('d1', 100), placed('d2', 200, 'faint'), placed('d3', 250, 'absent')])
    expect(put.map(({ id }) => id)).toEqual([flawOfMark('d1'), flawOfMark('d2')])
    expect(remove).toEqual(['f1'])
    expect(put[0]).toMatchObject({ origin: 'chart', state: 'open', kind: 'dust', confidence: 0.9, unrest: 1.2 })
  })
  it('leaves alone what a person decided on, and what it put there before', () => {
    const flaws = [flaw('f1', 101, { state: 'left' }), flaw('h1', 201, { origin: 'hand' }), flaw(flawOfMark('d3'), 250, { origin: 'chart', state: 'settled' })]
    expect(changesOfMarks({ flaws, steps: [{ flaw: 'h1' } as Step] }, [placed('d1', 100), placed('d2', 200), placed('d3', 250)])).toEqual({ put: [], remove: [] })
  })
  it('knows the shadow to lift: of all radii and depths of its profile the one nearest to the disc that was measured', () => {
    const { x, y, radius, profile, spread, wobble } = expectedShadow(placed('d1', 100))
    expect({ x, y }).toEqual({ x: 100, y: 50 })
    expect(spread / 0.02).toBeCloseTo(profile[0]! / 0.1, 9)
    // By the lift's own field, out to 2.1 radii, each with a level ground of its own.
    const far = (by: { radius: number; deep: number }) => {
      const field = shadowField({ x, y, radius: by.radius, wobble, profile: profile.map((depth) => depth * by.deep) })
      let [n, sum, squares] = [0, 0, 0]
      for (let j = -25; j <= 25; j++) {
        for (let i = -25; i <= 25; i++) {
          const distance = Math.hypot(i, j) / 2
          if (distance > 2.1 * 6) continue
          const u = (distance - 6) / (0.35 * 6)
          const off = field.depth(x + i / 2, y + j / 2) - 0.1 * (0.5 - (0.5 * u) / Math.sqrt(1 + u * u))
          n++
          sum += off
          squares += off * off
        }
      }
      return squares / n - (sum / n) ** 2
    }
    const best = far({ radius, deep: 1 })
    expect(Math.sqrt(best)).toBeLessThan(0.011 * 0.1)
    for (const other of [{ radius: 1.05 * radius, deep: 1 }, { radius: 0.95 * radius, deep: 1 }, { radius, deep: 1.05 }, { radius, deep: 0.95 }]) expect(far(other)).toBeGreaterThan(best)
  })
})

describe('mends of one frame', () => {
  const measure: MarkMeasure = { x: 80, y: 90, r: 9, depth: 0.2, deviation: 0.01, weight: 40, contrast: -3, unrest: 1 }
  it('are carried as a chart that has seen them once', () => {
    const chart = chartOfFrame('a.jpg', { name: 'a.jpg', aperture: 16, taken: null, width: 600, height: 400 }, [{ id: 'h-1', measure }])
    expect(() => checkDocument(validateSensorChart, chart, 'The chart', 422)).not.toThrow()
    expect(chart.marks[0]).toMatchObject({ id: 'h-1', x: 80, y: 90, seen: 1 })
    expect(shadowAt(chart.marks[0]!, chart, 16).lost).toBeCloseTo(lostOf(0.2), 2)
  })
})
