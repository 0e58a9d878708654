import { describe, expect, it } from 'vitest'
import { ln } from '../../numbers/exact-math.js'
import { BrightLines } from './line-brightness.js'
import { amongOthers } from './among-others.js'
import { LinesAround } from './lines-around.js'
import type { LinePiece } from '../lines/lines.js'
import { madeUpLine } from '../lines/made-up-lines.js'

/** A line down from a place, over a ground of that light, with a veil of white over so much of it. */
const veiled = (x: number, length: number, ground: number, cover: number, from = 300) =>
  madeUpLine({ points: [[x, from], [x, from + length]], difference: Math.log((ground + (1 - ground) * cover) / ground), ground: Math.log(ground) })
const brightness = (pieces: readonly LinePiece[]): number[] => {
  const around = new LinesAround(pieces)
  return new BrightLines(amongOthers(pieces, around), around).of(0)
}
const LEAST = ln(0.003)

describe('how bright a line is among those around', () => {
  const joints = [0, 1, 2, 3].map((k) => veiled(340 + 20 * k, 100, 0.1, 0.3))
  it('is by how much its middle and its cover exceed theirs, however short it is', () => {
    for (const length of [20, 400]) {
      const [lighter, asLight, covers, coversAsMuch] = brightness([veiled(300, length, 0.1, 0.6), ...joints])
      expect(lighter).toBeCloseTo(Math.log(0.64 / 0.37), 6)
      expect(covers).toBeCloseTo(Math.log(2), 6)
      expect([asLight, coversAsMuch]).toEqual([LEAST, LEAST])
    }
  })
  it('tells a faint veil over a bright ground from one that covers as much as they do', () => {
    const [lighter, asLight, covers, coversAsMuch] = brightness([veiled(300, 100, 0.6, 0.1), ...joints])
    expect(lighter).toBeGreaterThan(0)
    expect(asLight).toBe(LEAST)
    expect(covers).toBeLessThan(0)
    expect(coversAsMuch).toBeCloseTo(Math.log(0.003 + 1), 6)
  })
  it('counts those that are as bright by their length', () => {
    const [, asLight] = brightness([veiled(300, 100, 0.1, 0.3), veiled(340, 50, 0.1, 0.5), veiled(360, 150, 0.1, 0.2)])
    expect(asLight).toBeCloseTo(Math.log(0.003 + 0.25), 6)
  })
  it('passes over what is dark, far away or hardly a line, and is the most where nothing is left', () => {
    const others = [{ ...veiled(340, 100, 0.1, 0.5), difference: -0.4 }, veiled(3000, 100, 0.1, 0.9), veiled(350, 8, 0.1, 0.9)]
    expect(brightness([veiled(300, 100, 0.1, 0.3), ...others])).toEqual([2, LEAST, 2, LEAST])
  })
  it('is held against the brightest tenth of them, not the one that is', () => {
    const [lighter] = brightness([veiled(300, 100, 0.1, 0.6), veiled(330, 20, 0.1, 0.9), ...joints])
    expect(lighter).toBeCloseTo(Math.log(0.64 / 0.37), 6)
  })
})
