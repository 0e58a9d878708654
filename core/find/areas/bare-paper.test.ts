import { describe, expect, it } from 'vitest'
import { makeRandom } from '../../random.js'
import { barePaper, coloursOf } from './bare-paper.js'

const [columns, rows] = [24, 20]
const inside = (x: number, y: number) => x >= 6 && x < 18 && y >= 5 && y < 15

/** A piece of paper on a picture of 100: samples of red, green and blue by place. */
function evidence(paper: (x: number, y: number) => readonly number[], picture: readonly number[] = [100, 100, 100]): number[] {
  const planes = picture.map((value, c) => Float32Array.from({ length: columns * rows }, (_cell, i) => (inside(i % columns, Math.floor(i / columns)) ? paper(i % columns, Math.floor(i / columns))[c]! : value)))
  const tone = planes[0]!.map((_value, i) => planes.reduce((sum, plane) => sum + plane[i]!, 0) / planes.length)
  const region: number[] = []
  const around: number[] = []
  for (let i = 0; i < columns * rows; i++) (inside(i % columns, Math.floor(i / columns)) ? region : around).push(i)
  return barePaper({ columns, rows, tone, colours: coloursOf(planes) }, Int32Array.from(region), 150, around, 100)
}

describe('what tells bare paper', () => {
  it('is that it is of one tone: the range leaves out the rim and a tenth at either end', () => {
    const [ofContrast, of255] = evidence(() => [200, 200, 200])
    expect([ofContrast, of255]).toEqual([0, 0])
    // Off the rim there are ten columns, 7 to 16, of 170, 175 .. 215: nine tenths down is 210, a tenth up is 175.
    const [slope, slopeOf255] = evidence((x) => [135 + 5 * x, 135 + 5 * x, 135 + 5 * x])
    expect(slope).toBeCloseTo(0.35, 2)
    expect(slopeOf255).toBeCloseTo(35 / 255, 3)
    const rim = evidence((x, y) => Array.from({ length: 3 }, () => (x === 6 || x === 17 || y === 5 || y === 14 ? 160 : 200)))
    expect(rim.slice(0, 2)).toEqual([0, 0])
  })
  it('is that it has grain', () => {
    const random = makeRandom(1)
    const grain = Array.from({ length: columns * rows }, () => 10 * random.uniform())
    const [, , smooth] = evidence(() => [200, 200, 200])
    const [, , grainy] = evidence((x, y) => Array<number>(3).fill(195 + grain[y * columns + x]!))
    expect(smooth).toBeCloseTo(Math.log(0.1), 5)
    // Between two numbers drawn evenly from a range of 10 lie 10 (1 - sqrt(1/2)) = 2.9 in the middle.
    expect(Math.abs(Math.exp(grainy!) - 0.1 - 2.93)).toBeLessThan(0.6)
  })
  it('is how coloured it is, and how far from the colour around', () => {
    const [, , , colour, difference] = evidence(() => [200, 200, 150])
    const blue = Math.log((150 + 12) / (200 + 12))
    expect(Math.exp(colour!)).toBeCloseTo(0.02 - blue, 4)
    expect(Math.exp(difference!)).toBeCloseTo(0.02 - blue, 4)
    const [, , , , alike] = evidence(() => [200, 200, 200 - 0.5 * 212], [100, 100, 100 - 0.5 * 112])
    expect(Math.exp(alike!)).toBeCloseTo(0.02, 4)
  })
  it('is that it does not clip', () => {
    expect(Math.exp(evidence(() => [255, 255, 255]).at(-1)!)).toBeCloseTo(1.01, 4)
    expect(Math.exp(evidence(() => [240, 240, 240]).at(-1)!)).toBeCloseTo(0.01, 4)
  })
  it('is no colour where there is one channel', () => {
    expect(coloursOf([Float32Array.of(1, 2)])).toBeNull()
    const tone = Float32Array.from({ length: 100 }, () => 200)
    const one = barePaper({ columns: 10, rows: 10, tone, colours: null }, Int32Array.of(44, 45), 150, [40], 50)
    expect(one.slice(3, 5)).toEqual([Math.fround(Math.log(0.02)), Math.fround(Math.log(0.02))].map((value) => expect.closeTo(value, 5)))
  })
})
