import { describe, expect, it } from 'vitest'
import { withoutCopies } from './line-copies.js'
import { madeUpLine } from './made-up-lines.js'
import type { LinePiece } from './lines.js'

type Point = readonly [number, number]
const within = { x: 100, y: 200, width: 400, height: 300 }
const line = ([x, y]: Point, [toX, toY]: Point, said: Partial<LinePiece> = {}) =>
  madeUpLine({ points: Array.from({ length: 61 }, (_value, k): Point => [x + ((toX - x) * k) / 60, y + ((toY - y) * k) / 60]), ...said })
const joint = line([120, 300], [440, 310], { weight: 200, width: 5 })
const kept = (...lines: LinePiece[]) => withoutCopies(lines, within).map((one) => lines.indexOf(one))

describe('lines that are copies of a heavier one', () => {
  it('are left out, in whatever order they come', () => {
    const copy = line([130, 301.5], [430, 310.5], { weight: 150 })
    expect(kept(joint, copy)).toEqual([0])
    expect(kept(copy, joint)).toEqual([1])
  })
  it.each([
    ['runs beside it', line([120, 304], [440, 314], { weight: 150 })],
    ['crosses it', line([280, 240], [280, 380], { weight: 150 })],
    ['leaves it before its middle', line([350, 307], [490, 460], { weight: 150 })],
    ['is dark where it is pale', line([130, 301], [430, 310], { weight: 150, difference: -0.5 })],
  ])('are not what %s', (_what, other) => expect(kept(joint, other)).toEqual([0, 1]))
  it('lie as near as it is wide', () => {
    const beside = line([130, 302.5], [430, 312], { weight: 150 })
    expect(kept(joint, beside)).toEqual([0])
    expect(kept({ ...joint, width: 2 }, beside)).toEqual([0, 1])
  })
  it('are told between points that lie far apart, too', () => {
    const sparse = madeUpLine({ points: [[120, 300], [440, 310]], weight: 200 })
    expect(kept(sparse, line([150, 301], [400, 309], { weight: 100 }))).toEqual([0])
  })
  it('stand in the order that they came in, and outside of the region nothing is a copy', () => {
    const outside = line([120, 700], [440, 700])
    const others = [line([120, 400], [440, 400], { weight: 10 }), joint, outside, { ...outside }]
    expect(kept(...others)).toEqual([0, 1, 2, 3])
  })
})
