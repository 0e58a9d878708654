import { describe, expect, it } from 'vitest'
import { makeRandom } from '../random.js'
import { fromBorder, partsOf } from './parts.js'

const draw = (...rows: string[]) => ({ mask: Uint8Array.from(rows.join(''), (sign) => (sign === '#' ? 1 : 0)), width: rows[0]!.length, height: rows.length })

describe('parts of a mask', () => {
  it('hang together by edges and not by corners; each has its area and box', () => {
    const { mask, width, height } = draw('##..#', '.#..#', '..#..', '.....')
    const { labels, parts } = partsOf(mask, width, height)
    expect(parts).toEqual([
      { label: 1, area: 3, box: { x: 0, y: 0, width: 2, height: 2 } },
      { label: 2, area: 2, box: { x: 4, y: 0, width: 1, height: 2 } },
      { label: 3, area: 1, box: { x: 2, y: 2, width: 1, height: 1 } },
    ])
    expect([...labels.slice(0, 10)]).toEqual([1, 1, 0, 0, 2, 0, 1, 0, 0, 2])
  })
  it('equal what repeated passes from neighbour to neighbour find', () => {
    const [width, height] = [40, 31]
    const random = makeRandom(4)
    const mask = Uint8Array.from({ length: width * height }, () => (random.uniform() < 0.58 ? 1 : 0))
    // Slow and obvious: every pixel takes the least number around until nothing changes.
    const least = Int32Array.from(mask, (value, i) => (value ? i + 1 : 0))
    for (let changed = true; changed; ) {
      changed = false
      for (let i = 0; i < least.length; i++) {
        if (least[i] === 0) continue
        for (const k of [i % width > 0 ? i - 1 : -1, i % width < width - 1 ? i + 1 : -1, i - width, i + width]) {
          const other = least[k] ?? 0
          if (other > 0 && other < least[i]!) {
            least[i] = other
            changed = true
          }
        }
      }
    }
    const { labels, parts } = partsOf(mask, width, height)
    expect(parts).toHaveLength(new Set(least.filter((value) => value > 0)).size)
    for (let i = 0; i < mask.length; i++) for (const k of [i + 1, i + width]) if (k < mask.length) expect(labels[i] === labels[k]).toBe(least[i] === least[k])
  })
  it('that reach the border are told from those inside', () => {
    const { mask, width, height } = draw('#....', '#.##.', '#.##.', '.....', '..###')
    expect([...fromBorder(mask, width, height)]).toEqual([...draw('#....', '#....', '#....', '.....', '..###').mask])
  })
})
