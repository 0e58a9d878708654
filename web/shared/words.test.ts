import { describe, expect, it } from 'vitest'
import { problemOf } from './api.js'
import { FLAW_KINDS } from '@fennip/core/treatment/schema.js'
import { KIND_WORDS, likelihoodWords, megapixels, minutesLeft, nameOf, RUN_WORDS, strengthWords, thousands } from './words.js'

describe('words of the screen', () => {
  it('say how long work takes, from nothing to hours', () => {
    expect(minutesLeft(0, 0)).toBe('nothing left')
    expect(minutesLeft(2, 3)).toBe('under a minute left')
    // 6 s to mend and 2.5 s to judge each (common practice).
    expect(minutesLeft(20, 24)).toBe('about 3 min left')
    expect(minutesLeft(700, 0)).toBe('about 1 h 10 min left')
  })
  it('go by the pace of the restorer where that is known', () => {
    expect(minutesLeft(60, 0, { mend: 30 })).toBe('about 30 min left')
    expect(minutesLeft(0, 24, { mend: 30 })).toBe('about 1 min left')
  })
  it('name everything that can be found and every kind of work', () => {
    for (const kind of FLAW_KINDS) expect(KIND_WORDS[kind]).toMatch(/^[A-Z]/)
    expect(nameOf({ kind: 'scratch', shape: { type: 'stroke', points: [[0, 0]], width: 2 } })).toBe('Scratch')
    expect(nameOf({ kind: 'other', shape: { type: 'outline', points: [[0, 0], [1, 0], [0, 1]] } })).toBe('Outline')
    for (const { doing, batch } of Object.values(RUN_WORDS)) expect([doing.length > 4, batch.length > 3]).toEqual([true, true])
  })
  it('say how many such finds are real, where that is in doubt', () => {
    expect(likelihoodWords({ confidence: 0.352 })).toBe('Of 100 such finds about 35 are real.')
    expect(likelihoodWords({ confidence: 0.002 })).toBe('Of 100 such finds about 1 is real.')
    expect(likelihoodWords({ confidence: 0.97 })).toBe('')
  })
  it('set thousands apart by a narrow space that does not break', () => {
    expect(thousands(999)).toBe('999')
    expect(thousands(3418)).toBe('3\u202f418')
    expect(thousands(1234567)).toBe('1\u202f234\u202f567')
  })
  it('give the size in megapixels', () => {
    expect(megapixels(6000, 4000)).toBe('24.0 MP')
    expect(megapixels(1000, 450)).toBe('0.5 MP')
  })
})

describe('problem documents (RFC 9457)', () => {
  it('come out as they went in', () => {
    const problem = problemOf('{"type":"urn:fennip:problem:disk-full","title":"The disk is full","status":507,"detail":"Free some space.","needed":12}', 507)
    expect(problem).toMatchObject({ type: 'disk-full', title: 'The disk is full', detail: 'Free some space.', status: 507, extra: { needed: 12 } })
  })
  it('anything else is said plainly, with the status', () => {
    expect(problemOf('<html>Bad gateway</html>', 502)).toMatchObject({ type: 'internal', status: 502, detail: 'The server answered 502.' })
  })
})

describe('the strength of a flaw in words', () => {
  it('is told in the noise for what stands out of it, whichever its sign', () => {
    expect(strengthWords({ kind: 'speck', contrast: 12.34, weight: 40 })).toBe('12.3× noise')
    expect(strengthWords({ kind: 'dust', contrast: -4, weight: 20 })).toBe('4.0× noise')
    expect(strengthWords({ kind: 'speck', contrast: -212.7, weight: 900 })).toBe('213× noise')
  })
  it('is the grain that is left where grain is missing', () => {
    expect(strengthWords({ kind: 'smudge', contrast: -0.7, weight: 9 })).toBe('30 % of grain')
    expect(strengthWords({ kind: 'flat', contrast: -1, weight: 30 })).toBe('0 % of grain')
  })
  it('is the side to which a loss differs', () => {
    expect(strengthWords({ kind: 'loss', contrast: 0.3, weight: 9 })).toBe('brighter')
    expect(strengthWords({ kind: 'loss', contrast: -2, weight: 9 })).toBe('darker')
  })
  it('compares a wave with others', () => {
    expect(strengthWords({ kind: 'moire', contrast: 8.21, weight: 30 })).toBe('8.2× others')
  })
  it('is not told of what nobody measured', () => {
    expect(strengthWords({ kind: 'speck', contrast: 0, weight: 0 })).toBe('')
  })
})
