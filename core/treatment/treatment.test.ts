import { describe, expect, it } from 'vitest'
import * as fc from 'fast-check'
import { CURRENT_VERSION } from '../mend/methods.js'
import { applyEdit, emptyTreatment, touchedIds } from './edit.js'
import type { Flaw, Operation, Step, Treatment } from './schema.js'
import { readTreatment } from './validate.js'

const original = { sha256: 'a'.repeat(64), width: 400, height: 300, channels: 3, depth: 8 } as const
const flawOf = (id: string, x = 50): Flaw => ({ id, kind: 'dust', shape: { type: 'disc', x, y: 60, r: 8 }, state: 'open', contrast: -3, weight: 20, confidence: 0.9, origin: 'found' })
const stepOf = (id: string, flaw: string, dx = 20): Step => ({ id, stage: 'mend', flaw, method: 'heal', methodVersion: 2, shape: { type: 'disc', x: 50, y: 60, r: 10 }, softEdgePx: 3, strength: 1, seed: 0, source: { dx, dy: 0 }, chosenBy: 'fennip', reason: 'test' })

describe('the document', () => {
  it('accepts a whole treatment and names the place of a fault', () => {
    const treatment = { ...emptyTreatment(original), flaws: [flawOf('f1')], steps: [stepOf('m1', 'f1')] }
    expect(readTreatment(JSON.parse(JSON.stringify(treatment)), 'test')).toEqual(treatment)
    expect(() => readTreatment({ ...treatment, flaws: [{ ...flawOf('f1'), state: 'maybe' }] }, 'test.json')).toThrow(/test\.json: at \/flaws\/0\/state/)
    expect(() => readTreatment({ ...treatment, colour: 1 }, 'test.json')).toThrow(/additional/)
    expect(() => readTreatment({ ...treatment, version: 2 }, 'test.json')).toThrow()
  })
})

describe('every version of a method that mends are made with', () => {
  it.each(Object.entries(CURRENT_VERSION) as [Step['method'], number][])('%s %i fits the document, and no newer one does', (method, methodVersion) => {
    const withVersion = (version: number) => ({ ...emptyTreatment(original), flaws: [flawOf('f1')], steps: [{ ...stepOf('m1', 'f1'), method, methodVersion: version }] })
    expect(readTreatment(withVersion(methodVersion), 'test').steps[0]!.methodVersion).toBe(methodVersion)
    const newest = Math.max(...Object.values(CURRENT_VERSION))
    expect(() => readTreatment(withVersion(newest + 1), 'test')).toThrow(/methodVersion/)
  })
})

describe('gestures', () => {
  const ids = ['a', 'b', 'c', 'd']
  const operation = (treatment: Treatment): fc.Arbitrary<Operation> => {
    const flaws = treatment.flaws.map((flaw) => flaw.id)
    const free = flaws.filter((id) => !treatment.steps.some((step) => step.flaw === id))
    const choices: fc.Arbitrary<Operation>[] = [
      fc.record({ id: fc.constantFrom(...ids), x: fc.integer({ min: 1, max: 300 }) }).map(({ id, x }): Operation => ({ type: 'put', list: 'flaws', items: [flawOf(id, x)] })),
    ]
    if (flaws.length > 0) {
      choices.push(fc.constantFrom(...flaws).chain((id) => fc.constantFrom('open', 'settled', 'left').map((state): Operation => ({ type: 'setState', ids: [id], state: state as Flaw['state'] }))))
      choices.push(fc.constantFrom(...flaws).chain((id) => fc.integer({ min: 11, max: 60 }).map((dx): Operation => ({ type: 'put', list: 'steps', items: [stepOf(`m-${id}`, id, dx)] }))))
    }
    if (free.length > 0) choices.push(fc.constantFrom(...free).map((id): Operation => ({ type: 'remove', list: 'flaws', ids: [id] })))
    if (treatment.steps.length > 0) choices.push(fc.constantFrom(...treatment.steps.map((step) => step.id)).map((id): Operation => ({ type: 'remove', list: 'steps', ids: [id] })))
    return fc.oneof(...choices)
  }
  it('are taken back exactly, order included, however many were made', () => {
    fc.assert(
      fc.property(fc.gen(), fc.integer({ min: 1, max: 30 }), (gen, count) => {
        let treatment = emptyTreatment(original)
        const states: Treatment[] = []
        const inverses: Operation[][] = []
        for (let n = 0; n < count; n++) {
          const edited = applyEdit(treatment, [gen(operation, treatment)])
          states.push(treatment)
          inverses.push(edited.inverse)
          treatment = edited.treatment
        }
        for (let n = count - 1; n >= 0; n--) {
          treatment = applyEdit(treatment, inverses[n]!).treatment
          expect(treatment).toEqual(states[n])
        }
      }),
      { numRuns: 150 },
    )
  })
  it('are all or nothing', () => {
    const treatment = { ...emptyTreatment(original), flaws: [flawOf('a')], steps: [stepOf('m', 'a')] }
    expect(() => applyEdit(treatment, [{ type: 'remove', list: 'flaws', ids: ['a'] }])).toThrow(/lost its flaw/)
    expect(() => applyEdit(treatment, [{ type: 'setState', ids: ['zz'], state: 'left' }])).toThrow(/not there/)
    expect(treatment.flaws).toHaveLength(1)
  })
  it('know what they touch, a mend its flaw included', () => {
    expect([...touchedIds([{ type: 'put', list: 'steps', items: [stepOf('m', 'a')] }, { type: 'setState', ids: ['b'], state: 'left' }])].sort()).toEqual(['a', 'b', 'm'])
  })
})
