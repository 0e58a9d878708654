import { describe, expect, it } from 'vitest'
import { makeRandom } from '../../random.js'
import { bendsEvenly, isPaleAndStraight } from './line-features.js'

type Points = (readonly [number, number])[]

/** Points two pixels apart, turning as told from each to the next, from a place in some direction. */
function course(length: number, turn: (k: number) => number, heading = 0.3): Points {
  const points: Points = [[400, 300]]
  for (let k = 1; k <= length / 2; k++) {
    heading += turn(k)
    const [x, y] = points.at(-1)!
    points.push([x + 2 * Math.cos(heading), y + 2 * Math.sin(heading)])
  }
  return points
}

/** An arc of a circle that rises by so much of the distance of its ends: a rise h over a chord c takes an angle of 8 h / c, for small ones. */
const arc = (length: number, rise: number, heading = 0.3) => course(length, () => (8 * rise) / (length / 2), heading)
const turnedBack = (points: Points): Points => [...points].reverse()

describe('a line that bends evenly', () => {
  it('is one that rises by a twentieth, whichever way it runs and from either end', () => {
    for (const heading of [0, 0.7, 2.1, 4.4]) {
      expect(bendsEvenly({ points: arc(140, 0.05, heading) })).toBe(true)
      expect(bendsEvenly({ points: arc(140, -0.05, heading) })).toBe(true)
      expect(bendsEvenly({ points: turnedBack(arc(140, 0.05, heading)) })).toBe(true)
    }
  })

  it('is none that rises by a hundredth', () => expect(bendsEvenly({ points: arc(140, 0.01) })).toBe(false))

  it('is none that winds to both sides, however far', () => expect(bendsEvenly({ points: course(300, (k) => 0.03 * Math.sin(k / 12)) })).toBe(false))

  it('is none with a hook at one end', () => {
    const hooked = course(200, (k) => (k > 80 ? 0.05 : 0))
    expect(bendsEvenly({ points: hooked })).toBe(false)
    expect(bendsEvenly({ points: turnedBack(hooked) })).toBe(false)
  })

  it('is none of a few pixels, whose places are not known well enough', () => {
    const random = makeRandom(3)
    for (let n = 0; n < 50; n++) {
      const points = course(30, () => 0).map(([x, y]) => [x + 0.6 * (random.uniform() - 0.5), y + 0.6 * (random.uniform() - 0.5)] as const)
      expect(bendsEvenly({ points })).toBe(false)
    }
  })

  it('is no scratch, and a dark line is none however it runs', () => {
    const length = 140
    expect(isPaleAndStraight({ points: arc(length, 0.01), length, difference: 0.4 })).toBe(true)
    expect(isPaleAndStraight({ points: arc(length, 0.05), length, difference: 0.4 })).toBe(false)
    expect(isPaleAndStraight({ points: arc(length, 0.01), length, difference: -0.4 })).toBe(false)
  })
})
