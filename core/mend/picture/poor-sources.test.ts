import { describe, expect, it } from 'vitest'
import { makeRandom } from '../../random.js'
import { emptyTreatment } from '../../treatment/edit.js'
import { poorSourcesOf, refusalOf } from './poor-sources.js'
import type { Area, Flaw, Step, Treatment } from '../../treatment/schema.js'

const original = { sha256: 'd'.repeat(64), width: 2000, height: 1500, channels: 3, depth: 8 } as const
const flaw = (id: string, x: number, y: number, state: Flaw['state'], r = 10): Flaw => ({ id, kind: 'other', shape: { type: 'disc', x, y, r }, state, contrast: 0, weight: 0, confidence: 1, origin: 'hand' })
const mend = (of: Flaw, dx: number, dy: number): Step => ({ id: `m${of.id}`, stage: 'mend', flaw: of.id, method: 'heal', methodVersion: 2, shape: of.shape, softEdgePx: 2, strength: 1, seed: 0, source: { dx, dy }, chosenBy: 'hand', reason: '' })
const guard: Area = { id: 'g', name: 'Cable', role: 'guard', softEdgePx: 0, parts: [{ mode: 'add', shape: { type: 'stroke', points: [[0, 700], [2000, 720]], width: 8 } }] }

describe('a source', () => {
  const a = flaw('a', 500, 500, 'mended')
  const open = flaw('b', 560, 500, 'open')
  const treatment: Treatment = { ...emptyTreatment(original), flaws: [a, open, flaw('c', 440, 500, 'left')], steps: [mend(a, 60, 0)], areas: [guard] }
  const refused = (dx: number, dy: number) => refusalOf(treatment, treatment.steps[0]!, { dx, dy })
  it('is refused over an open flaw, a guard, or outside the picture, and says which', () => {
    expect(refused(60, 0)).toBe('takes from an open flaw')
    expect(refused(0, 205)).toBe('takes from the guard Cable')
    expect(refused(-495, 0)).toBe('lies outside the picture')
    expect(refused(60, 60)).toBeNull()
  })
  it('may take from what was left on purpose, and from a zone', () => {
    expect(refused(-60, 0)).toBeNull()
    expect(refusalOf({ ...treatment, areas: [{ ...guard, role: 'zone' }] }, treatment.steps[0]!, { dx: 0, dy: 205 })).toBeNull()
  })
  it('has become poor when a flaw is opened there', () => {
    expect([...poorSourcesOf(treatment)]).toEqual([['a', 'takes from an open flaw']])
    expect(poorSourcesOf({ ...treatment, flaws: treatment.flaws.map((one) => ({ ...one, state: 'settled' })) }).size).toBe(0)
  })
  it('of many is judged as each alone', () => {
    const random = makeRandom(3)
    const flaws = Array.from({ length: 300 }, (_value, i) => flaw(`f${i}`, 60 + random.uniform() * 1880, 60 + random.uniform() * 1380, i % 3 === 0 ? 'open' : 'mended', 3 + random.uniform() * 12))
    const steps = flaws.filter(({ state }) => state === 'mended').map((one) => mend(one, Math.round(random.uniform() * 80 - 40), Math.round(random.uniform() * 80 - 40)))
    const many: Treatment = { ...emptyTreatment(original), flaws, steps, areas: [guard] }
    const alone = steps.flatMap((step) => {
      const reason = refusalOf(many, step, step.source!)
      return reason && reason !== 'lies outside the picture' ? [[step.flaw, reason]] : []
    })
    expect(alone.length).toBeGreaterThan(10)
    expect([...poorSourcesOf(many)]).toEqual(alone)
  })
})
