import { describe, expect, it } from 'vitest'
import { makeRandom } from '../../random.js'
import { raysThrough, TONE_PLACES } from './rays.js'

/** The tones that rays meet, against the definition written out with lists. */

const DIRECTIONS = [[1, 0], [-1, 0], [0, 1], [0, -1], [1, 1], [-1, -1], [1, -1], [-1, 1]] as const
const [WIDTH, HEIGHT] = [37, 29]

function slowly(pixel: (x: number, y: number) => readonly number[], isMasked: (x: number, y: number) => boolean, x: number, y: number, { luminance, otherTone, mostSteps }: { luminance: readonly number[]; otherTone: number; mostSteps: number }): number[] | null {
  const inside = (px: number, py: number) => px >= 0 && py >= 0 && px < WIDTH && py < HEIGHT
  const rays = DIRECTIONS.flatMap(([dx, dy]) => {
    let steps = 1
    while (steps < mostSteps && inside(x + steps * dx, y + steps * dy) && isMasked(x + steps * dx, y + steps * dy)) steps++
    const met: (readonly number[])[] = []
    for (let k = steps; met.length < 4 && inside(x + k * dx, y + k * dy) && !isMasked(x + k * dx, y + k * dy); k++) met.push(pixel(x + k * dx, y + k * dy))
    if (met.length === 0) return []
    const tone = met[0]!.map((_, c) => met.reduce((sum, values) => sum + values[c]!, 0) / met.length)
    return [{ tone, weight: 1 / (steps * (dx !== 0 && dy !== 0 ? Math.SQRT2 : 1)) ** 2, bright: tone.reduce((sum, value, c) => sum + (tone.length === 1 ? 1 : luminance[c]!) * value, 0) }]
  })
  if (rays.length === 0) return null
  // Of four rays alike two middles cost the same: which it is, is told by the last bit, and so summed in the same order.
  const total = rays.reduce((sum, { weight }) => sum + weight, 0)
  const costs = rays.map(({ bright }) => rays.reduce((sum, other) => sum + (other.weight / total) * Math.abs(other.bright - bright), 0))
  const middle = rays[costs.indexOf(Math.min(...costs))]!.bright
  const says = rays.map(({ weight, bright }) => weight / (1 + ((bright - middle) / otherTone) ** 4))
  const all = says.reduce((sum, say) => sum + say, 0)
  return rays[0]!.tone.map((_, c) => rays.reduce((sum, { tone }, k) => sum + says[k]! * tone[c]!, 0) / all)
}

describe('rays through specks', () => {
  it.each([1, 3] as const)('meet the tones that the definition says, up to the edges (%d channels)', (channels) => {
    const { uniform } = makeRandom(3 + channels)
    const data = Float32Array.from({ length: WIDTH * HEIGHT * channels }, (_, i) => 0.3 + 0.2 * uniform() + ((Math.floor(i / channels) % WIDTH) > 20 ? 0.3 : 0))
    const masked = Uint8Array.from({ length: WIDTH * HEIGHT }, () => (uniform() < 0.55 ? 1 : 0))
    const how = { luminance: [0.3, 0.6, 0.1], otherTone: 0.06, mostSteps: 4 }
    const tonesOf = raysThrough({ width: WIDTH, height: HEIGHT, channels, data }, masked, how)
    let compared = 0
    for (let y = 0; y < HEIGHT; y++) {
      const [left, right] = [y % 5, WIDTH - (y % 3)]
      const tones = tonesOf(y, left, right)
      for (let x = left, at = 0; x < right; x++) {
        if (!masked[y * WIDTH + x]) continue
        const wanted = slowly((px, py) => [...data.subarray((py * WIDTH + px) * channels, (py * WIDTH + px + 1) * channels)], (px, py) => masked[py * WIDTH + px] === 1, x, y, how)
        if (wanted) wanted.forEach((value, c) => expect(tones[at + c]).toBeCloseTo(value, 12))
        else expect(tones[at]).toBeLessThan(0)
        at += TONE_PLACES
        compared++
      }
    }
    expect(compared).toBeGreaterThan(500)
  })
  it('say that nothing is met where all is masked', () => {
    const tonesOf = raysThrough({ width: 6, height: 5, channels: 1, data: new Float32Array(30).fill(0.5) }, new Uint8Array(30).fill(1), { luminance: [1], otherTone: 0.1, mostSteps: 9 })
    for (let x = 0; x < 6; x++) expect(tonesOf(2, x, x + 1)[0]).toBeLessThan(0)
  })
})
