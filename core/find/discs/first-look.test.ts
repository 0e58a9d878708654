import { describe, expect, it } from 'vitest'
import { makeRandom } from '../../random.js'
import { findCandidates, makeOctaves, type Candidate, type Octaves } from './candidates.js'
import { firstLook, worthFitting } from './first-look.js'
import { RING_FEATURES } from './rings.js'
import FIRST_LOOK from '../weights/first-look.json' with { type: 'json' }

const SIDE = 240

/** Log light with a little noise and something on it. */
function octavesOf(onIt: (x: number, y: number) => number): Octaves {
  const random = makeRandom(5)
  const noise = () => random.uniform() + random.uniform() + random.uniform() - 1.5
  return makeOctaves({ width: SIDE, height: SIDE, data: Float32Array.from({ length: SIDE * SIDE }, (_value, i) => 0.04 * noise() + onIt((i % SIDE) + 0.5, Math.floor(i / SIDE) + 0.5)) }, 24)
}

describe('a first look', () => {
  it.each([1.5, 3, 6])('lets a speck of radius %d pass', (r) => {
    const octaves = octavesOf((x, y) => 0.5 * Math.max(0, Math.min(1, (r - Math.sqrt((x - 120) ** 2 + (y - 120) ** 2)) / 1.2 + 0.5)))
    expect(findCandidates(octaves).some((candidate) => Math.sqrt((candidate.x - 120) ** 2 + (candidate.y - 120) ** 2) < r && worthFitting(octaves, candidate))).toBe(true)
  })
  it.each([
    ['a slanting edge', (x: number, y: number) => 0.5 * Math.max(0, Math.min(1, (x + 0.3 * y - 140) / 2 + 0.5))],
    ['the corner of something large', (x: number, y: number) => (x > 60 && y > 60 ? 0.5 : 0)],
  ])('spares nine in ten candidates of %s the fit', (_name, onIt) => {
    const octaves = octavesOf(onIt)
    const candidates = findCandidates(octaves)
    expect(candidates.length).toBeGreaterThan(30)
    expect(candidates.filter((candidate) => worthFitting(octaves, candidate)).length).toBeLessThanOrEqual(0.1 * candidates.length)
  })
  it('is taken at the edge of the picture too', () => {
    const octaves = octavesOf((x, y) => 0.5 * Math.max(0, Math.min(1, (4 - Math.sqrt((x - 5) ** 2 + (y - 120) ** 2)) / 1.2 + 0.5)))
    const candidate: Candidate = { x: 5, y: 120, radius: 4.2, response: 12, unrest: 1, evenness: 1, standing: 2, crowd: 3 }
    const features = firstLook(octaves, candidate)
    expect(features).toHaveLength(4 + RING_FEATURES)
    expect(new Set(FIRST_LOOK.units.map(({ length }) => length))).toEqual(new Set([features.length + 1]))
    expect(features.every(Number.isFinite)).toBe(true)
    expect(worthFitting(octaves, candidate)).toBe(true)
  })
})
