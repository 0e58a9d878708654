import { describe, expect, it } from 'vitest'
import { searchKindOf, usualKinds } from '../find/search-kinds.js'
import { distanceOutside, shapeArea, type Shape } from '../shape/shape.js'
import { emptyTreatment } from '../treatment/edit.js'
import type { Area, Flaw, Treatment } from '../treatment/schema.js'
import { countsOf, minutesOf, paceOf, verdictOf, type TimedGesture } from './triage.js'

const flaw = (id: string, shape: Shape, more: Partial<Flaw> = {}): Flaw => ({ id, kind: 'dust', shape, state: 'open', contrast: -3, weight: 20, confidence: 0.9, origin: 'found', ...more })
const disc = (x: number, y: number, r: number): Shape => ({ type: 'disc', x, y, r })
const treatmentOf = (flaws: Flaw[], areas: Area[] = []): Treatment => ({ ...emptyTreatment({ sha256: 'a'.repeat(64), width: 1000, height: 500, channels: 3, depth: 8 }), flaws, areas })

describe('the area of a shape', () => {
  it('of a disc, a stroke and an outline with a hole is what geometry says', () => {
    expect(shapeArea(disc(5, 5, 2))).toBeCloseTo(4 * Math.PI, 9)
    expect(shapeArea({ type: 'stroke', points: [[0, 0], [30, 40], [30, 100]], width: 4 })).toBeCloseTo(110 * 4 + 4 * Math.PI, 9)
    expect(shapeArea({ type: 'outline', points: [[0, 0], [10, 0], [10, 10], [0, 10]], holes: [[[2, 2], [4, 2], [4, 4], [2, 4]]] })).toBe(96)
  })
})

describe('the area of shapes that are drawn', () => {
  it('is about as many pixels as they cover', () => {
    const region = { x: 0, y: 0, width: 120, height: 100 }
    const shapes: Shape[] = [disc(60, 50, 23.3), { type: 'stroke', points: [[15, 20], [60, 35], [100, 80]], width: 11 }, { type: 'outline', points: [[10, 10], [100, 25], [70, 90], [20, 60]] }]
    for (const shape of shapes) {
      const pixels = distanceOutside(shape, region).data.reduce((sum, distance) => sum + (distance < 0 ? 1 : 0), 0)
      expect(pixels / shapeArea(shape), shape.type).toBeGreaterThan(0.96)
      expect(pixels / shapeArea(shape), shape.type).toBeLessThan(1.04)
    }
  })
})

describe('counts', () => {
  const guard: Area = { id: 'g', name: 'Pylon', role: 'guard', softEdgePx: 0, parts: [{ mode: 'add', shape: disc(800, 100, 60) }] }
  const counts = countsOf(treatmentOf([
    flaw('a', disc(100, 100, 10), { unrest: 1 }), flaw('b', disc(200, 100, 10), { unrest: 9 }), flaw('c', disc(810, 100, 5), { state: 'settled', unrest: 1 }),
    flaw('d', { type: 'stroke', points: [[0, 300], [100, 300]], width: 3 }, { kind: 'scratch', state: 'left' }),
  ], [guard]))
  it('are by state and kind', () => {
    expect(counts).toMatchObject({ open: 2, mended: 0, settled: 1, left: 1, kinds: { dust: 3, scratch: 1 } })
    expect(counts.places).toHaveLength(4)
    expect(counts.places[0]).toEqual([0.1, 0.2])
  })
  it('say how much is covered, and how much lies on the subject: in restless ground or on a guard', () => {
    expect(counts.covered).toBeCloseTo((2 * Math.PI * 100 + Math.PI * 25 + 300 + Math.PI * 2.25) / 500000, 4)
    expect(counts.onSubject).toBe(2)
  })
})

describe('the verdict', () => {
  it('follows the minutes a person needs, at the usual pace or their own', () => {
    // 6 s to mend and 2.5 s to judge (common practice).
    expect(minutesOf({ open: 10, mended: 24 })).toBe(2)
    expect(minutesOf({ open: 10, mended: 24 }, { mend: 12, judge: 5 })).toBe(4)
    expect(verdictOf({ open: 20 }, 2)).toBe('quick')
    expect(verdictOf({ open: 300 }, 30)).toBe('worth it')
    expect(verdictOf({ open: 700 }, 70)).toBe('long')
    expect(verdictOf({ open: 4000 }, 400)).toBe('doubtful')
  })
  it('is doubtful where too much is covered, sooner on the subject', () => {
    expect(verdictOf({ open: 10, covered: 0.1, onSubject: 0 }, 1)).toBe('quick')
    expect(verdictOf({ open: 10, covered: 0.1, onSubject: 10 }, 1)).toBe('doubtful')
    expect(verdictOf({ open: 10, covered: 0.2, onSubject: 0 }, 1)).toBe('doubtful')
  })
})

describe('the pace', () => {
  const gestures = (act: TimedGesture['act'], seconds: number, count: number, start = 0): TimedGesture[] => Array.from({ length: count }, (_value, i) => ({ picture: 'p', act, at: 1000 * (start + i * seconds) }))
  it('is the median time between gestures, judging and mending apart', () => {
    expect(paceOf([...gestures('judge', 3, 20), ...gestures('mend', 8, 20, 1000)])).toEqual({ judge: 3, mend: 8 })
  })
  it('is not known from a few, nor from what Fennip did by itself, nor over a pause or another picture', () => {
    expect(paceOf(gestures('judge', 3, 6))).toEqual({})
    expect(paceOf(gestures('other', 3, 30))).toEqual({})
    expect(paceOf(gestures('judge', 400, 30))).toEqual({})
    expect(paceOf(gestures('judge', 3, 30).map((gesture, i) => ({ ...gesture, picture: `p${i}` })))).toEqual({})
  })
})

describe('what is searched for unasked', () => {
  it.each([
    ['frame', 16, ['dust']], ['frame', 5.6, ['dust', 'speck']], ['frame', null, ['dust', 'speck']], ['scan', null, ['dust', 'speck', 'mould', 'line', 'loss', 'stain']],
  ] as const)('in a %s at f/%s', (kind, aperture, kinds) => expect(usualKinds({ kind, aperture })).toEqual(kinds))
})

describe('what is searched for to find a kind', () => {
  it.each([['dust', 'dust'], ['speck', 'speck'], ['hair', 'line'], ['scratch', 'line'], ['fold', 'line'], ['wire', 'line'], ['loss', 'loss'], ['flat', 'flat'], ['other', null]] as const)('%s: %s', (kind, sought) => expect(searchKindOf(kind)).toBe(sought))
})
