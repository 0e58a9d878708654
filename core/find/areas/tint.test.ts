import { describe, expect, it } from 'vitest'
import { makeRandom } from '../../random.js'
import { DARK, tintOf } from './tint.js'

const [columns, rows] = [80, 60]
/** Of the red, from 20 to 200 from left to right. */
const tone = (x: number) => 20 + (180 * x) / (columns - 1)

/** Cells of red, green and blue by place. */
function picture(colour: (x: number, y: number, red: number) => readonly [number, number, number], channels = 3) {
  const planes = Array.from({ length: channels }, (_plane, c) => Float32Array.from({ length: columns * rows }, (_cell, i) => colour(i % columns, Math.floor(i / columns), tone(i % columns))[c]!))
  return tintOf({ columns, rows, side: 4, planes })
}
const at = (x: number, y: number) => y * columns + x
const spot = (x: number, y: number) => Math.hypot(x - 40, y - 30) < 9

describe('how far a picture is from its usual colour', () => {
  it('is what a stain takes of the blue and the green, whatever the toning', () => {
    const kept = (share: number, value: number) => share * (value + DARK) - DARK
    const tint = picture((x, y, red) => (spot(x, y) ? [red, kept(0.8, 0.9 * red), kept(0.6, 0.7 * red)] : [red, 0.9 * red, 0.7 * red]))!
    expect(tint.green[at(40, 30)]).toBeCloseTo(-Math.log(0.8), 2)
    expect(tint.depth[at(40, 30)]).toBeCloseTo(-Math.log(0.8) - Math.log(0.6), 2)
    expect(Math.abs(tint.depth[at(10, 10)]!)).toBeLessThan(0.005)
    expect(tint.tone[at(40, 30)]).toBeCloseTo(Math.log(tone(40) + DARK), 4)
  })
  it('scatters more in the dark, where noise is more of the light', () => {
    const random = makeRandom(2)
    const { deviation } = picture((_x, _y, red) => [red, red, red + 6 * (random.uniform() - 0.5)])!
    const [dark, light] = [deviation[at(2, 30)]!, deviation[at(77, 30)]!]
    // Noise of 1.7 on 24 + 12 and on 195 + 12, blurred alike; in light tones never less than in the middle of all.
    expect(dark / light).toBeGreaterThan(2)
    expect(Math.min(...deviation)).toBe(light)
  })
  it('comes with the course that the usual colour takes, and how much is off it', () => {
    const plain = picture((_x, _y, red) => [red, red, 0.8 * red])!.course
    expect(plain.off).toBe(0)
    expect(plain.wobble).toBeLessThan(0.001)
    // What is added to samples takes from the toning in the dark: from the middle of the darkest of 16 tones to that of the lightest.
    const lossOf = (red: number) => Math.log((red + DARK) / (0.8 * red + DARK))
    expect(plain.range).toBeCloseTo(lossOf(tone(77)) - lossOf(tone(2)), 2)
    const turning = picture((x, _y, red) => [red, red, red * (0.85 + 0.1 * Math.cos(x / 4))])!.course
    expect(turning.wobble).toBeGreaterThan(3 * turning.range)
    const stained = picture((x, y, red) => [red, red, spot(x, y) ? 0.5 * red : red])!.course
    let share = 0
    for (let i = 0; i < columns * rows; i++) if (spot(i % columns, Math.floor(i / columns))) share++
    // Blurred, the spot is a little wider.
    expect(stained.off * columns * rows).toBeGreaterThan(share)
    expect(stained.off * columns * rows).toBeLessThan(1.6 * share)
  })
  it('cannot be told of many colours, of one channel, and of a few cells', () => {
    const random = makeRandom(3)
    expect(picture((_x, _y, red) => [red, red * (0.5 + random.uniform()), red * (0.5 + random.uniform())])).toBeNull()
    expect(picture((_x, _y, red) => [red, red, red], 1)).toBeNull()
    const planes = [0, 1, 2].map(() => new Float32Array(100).fill(90))
    expect(tintOf({ columns: 10, rows: 10, side: 4, planes })).toBeNull()
  })
})
