import { describe, expect, it } from 'vitest'
import type { Find, ScoredDisc } from '../finds.js'
import { findsOfPopulation } from './population.js'

const place = (score: number, accepted = false, by: ScoredDisc['by'] = 'speck'): ScoredDisc => ({ kind: by, by, score, accepted, shape: { type: 'disc', x: 10 * score, y: 5, r: 3 }, contrast: 4, weight: 20, confidence: 0.7, unrest: 1 })
const times = (count: number, score: number) => Array.from({ length: count }, (_, i) => place(score + i / 1000))

describe('what a picture says of its own finds', () => {
  it('what is accepted is found, and nothing weaker where it is alone', () => {
    const finds = findsOfPopulation([place(6, true), place(0), place(-1), place(-2)], 1)
    expect(finds).toHaveLength(1)
    expect(finds[0]).not.toHaveProperty('score')
  })
  it('weaker places are believed where many stand out', () => {
    const many = [...times(30, 5).map((one) => ({ ...one, accepted: true })), ...times(6, 0)]
    expect(findsOfPopulation(many, 0.5)).toHaveLength(36)
    // The same six by themselves are chance.
    expect(findsOfPopulation(times(6, 0), 0.5)).toHaveLength(0)
  })
  it('are doubted where the picture is full of what only looks like flaws', () => {
    const strong = times(8, 4).map((one) => ({ ...one, accepted: true }))
    const [plain, gravel] = [findsOfPopulation([...strong, ...times(3, 1)], 1), findsOfPopulation([...strong, ...times(3, 1), ...times(400, -2.9)], 1)]
    expect(plain.length).toBeGreaterThan(gravel.length)
    expect(gravel).toHaveLength(8)
    expect(Math.max(...gravel.map(({ confidence }) => confidence))).toBeLessThan(Math.min(...plain.slice(0, 8).map(({ confidence }) => confidence)))
  })
  it('the surer are never less sure, and the order in which places come is no matter', () => {
    const many = [...times(12, 3).map((one) => ({ ...one, accepted: true })), ...times(9, -0.5)]
    const byShape = (finds: readonly Find[]) => [...finds].sort((a, b) => (b.shape as { x: number }).x - (a.shape as { x: number }).x)
    const [one, other] = [byShape(findsOfPopulation(many, 2)), byShape(findsOfPopulation([...many].reverse(), 2))]
    expect(one).toEqual(other)
    const sure = one.map(({ confidence }) => confidence)
    for (const value of sure) expect(value >= 0 && value <= 1).toBe(true)
    expect(Math.min(...sure.slice(0, 12))).toBeGreaterThanOrEqual(Math.max(...sure.slice(-1)))
  })
  it('what a judge accepted and is itself unsure of is not made surer than it is', () => {
    const sureOf = (confidence: number) => {
      // Among so much that looks like a flaw, chance explains all of it.
      const finds = findsOfPopulation([{ ...place(1, true), confidence }, ...times(500, -2.9)], 1)
      return finds.find(({ shape }) => (shape as { x: number }).x === 10)!.confidence
    }
    expect(sureOf(0.2)).toBeCloseTo(0.2, 10)
    expect(sureOf(0.7)).toBeCloseTo(0.4, 10)
  })
  it('mould is judged by itself, and what is no disc stays as it is', () => {
    const line: Find = { kind: 'scratch', shape: { type: 'stroke', points: [[0, 0], [9, 9]], width: 2 }, contrast: 3, weight: 9, confidence: 0.6, unrest: 1 }
    expect(findsOfPopulation([line, place(2, true, 'mould'), place(1, false, 'mould')], 1).map(({ kind, confidence }) => [kind, confidence])).toEqual([['scratch', 0.6], ['mould', 0.7]])
  })
})
