import { describe, expect, it } from 'vitest'
import { FLAT, flatEvidence, type PictureGrain } from './flat-evidence.js'
import { flatJudge, judge } from '../judging/judge.js'

const [columns, rows] = [60, 40]
const indexOf = (column: number, row: number) => row * columns + column
const patch = Int32Array.from({ length: 36 }, (_value, k) => indexOf(20 + (k % 6), 10 + Math.floor(k / 6)))

/** A picture whose right half is brighter, and a patch in the left one with three tenths of the grain; what is usual in each half, and what share of it single blocks have. */
function grainOf(usualIn: readonly [number, number], shareAt: (column: number, row: number) => number = () => 1): PictureGrain {
  const halves = Array.from({ length: columns * rows }, (_value, i) => (i % columns < columns / 2 ? 0 : 1))
  const usual = Float32Array.from(halves, (half) => usualIn[half]!)
  const share = Float32Array.from(halves, (_half, i) => (patch.includes(i) ? 0.3 : shareAt(i % columns, Math.floor(i / columns))))
  return { columns, rows, tone: Float32Array.from(halves, (half) => [0.3, 0.7][half]!), usual, share, deviation: share.map((value, i) => value * usual[i]!) }
}
const sureness = (grain: PictureGrain) => judge(flatJudge, flatEvidence([patch], grain)[0]!)
const scoreIn = (grain: PictureGrain) => sureness(grain).score

describe('what tells that a patch lost its grain', () => {
  const plain = scoreIn(grainOf([4, 4]))
  it('is sure where all else has it', () => expect(sureness(grainOf([4, 4])).confidence).toBeGreaterThan(0.9))
  it('is less sure where all of its tone may be rough: another tone has hardly more', () => {
    expect(scoreIn(grainOf([4, 1.3]))).toBeLessThan(plain - 1)
  })
  it('is less sure where single blocks are as flat, wherever they lie', () => {
    expect(scoreIn(grainOf([4, 4], (column, row) => ((column + 7 * row) % 11 === 0 ? FLAT - 0.1 : 1)))).toBeLessThan(plain - 1)
  })
  it('is less sure where grain comes and goes in its tone, but not where it does so in another', () => {
    const comesAndGoes = (half: 0 | 1) => scoreIn(grainOf([4, 4], (column, row) => (Math.floor(column / (columns / 2)) === half && (column + row) % 3 === 0 ? 0.65 : 1)))
    expect(comesAndGoes(0)).toBeLessThan(plain - 1)
    expect(comesAndGoes(1)).toBeCloseTo(plain, 6)
  })
  it('is less sure where it is of one tone, as a smooth thing is, than where its tone goes on as all around', () => {
    const slope = (spread: number): PictureGrain => {
      const grain = grainOf([4, 4])
      return { ...grain, tone: grain.tone.map((tone, i) => tone + spread * ((i % 6) / 5 - 0.5)) }
    }
    expect(scoreIn(slope(0.03))).toBeGreaterThan(plain + 0.3)
    expect(scoreIn(slope(0.0001))).toBeCloseTo(plain, 1)
  })
  it('leaves out what lies beside any patch, which is partly in it', () => {
    const beside = (column: number, row: number) => (column >= 19 && column <= 26 && row >= 9 && row <= 16 ? 0.4 : 1)
    expect(scoreIn(grainOf([4, 4], beside))).toBeCloseTo(plain, 6)
  })
  it('says the same of two patches as of each alone, but for what lies in the other', () => {
    const other = Int32Array.from({ length: 36 }, (_value, k) => indexOf(45 + (k % 6), 25 + Math.floor(k / 6)))
    const grain = grainOf([4, 4], (column, row) => (column >= 45 && column < 51 && row >= 25 && row < 31 ? 0.3 : 1))
    const [alone, both] = [flatEvidence([patch], grain)[0]!, flatEvidence([patch, other], grain)[0]!]
    expect(both[1]).toBe(alone[1])
    // Alone, the other is taken for 36 loose blocks.
    expect(Math.exp(alone[2]!) / Math.exp(both[2]!)).toBeGreaterThan(30)
  })
})
