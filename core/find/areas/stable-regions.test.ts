import { describe, expect, it } from 'vitest'
import { makeRandom } from '../../random.js'
import { stableRegions } from './stable-regions.js'

describe('stable regions', () => {
  /** Cut at level after level, each time anew, and compared by their cells: slow and plain. */
  function cutAnew(columns: number, rows: number, tone: Float32Array): string[] {
    const lowest = Float32Array.from(tone).sort()[Math.floor(0.4 * tone.length)]!
    const found: string[] = []
    let before: { cells: number[]; since: number; first: number }[] = []
    for (let level = 252; ; level -= 4) {
      const labels = new Int32Array(tone.length).fill(-1)
      const now: { cells: number[]; since: number; first: number }[] = []
      for (let first = 0; first < tone.length && level >= lowest; first++) {
        if (tone[first]! < level || labels[first]! >= 0) continue
        const cells = [first]
        labels[first] = now.length
        for (const i of cells) {
          for (const next of [i % columns > 0 ? i - 1 : -1, (i + 1) % columns > 0 ? i + 1 : -1, i - columns, i + columns]) {
            if (next < 0 || next >= rows * columns || tone[next]! < level || labels[next]! >= 0) continue
            labels[next] = now.length
            cells.push(next)
          }
        }
        now.push({ cells, since: level, first: cells.length })
      }
      for (const region of before) {
        const next = level < lowest ? undefined : now[labels[region.cells[0]!]!]
        if (next && next.cells.length <= 1.3 * region.first) Object.assign(next, { since: region.since, first: region.first })
        else if (region.since - level > 12 && region.cells.length >= 30 && region.cells.length < 0.2 * tone.length) found.push(region.cells.sort((a, b) => a - b).join())
      }
      if (level < lowest) return found.sort()
      before = now
    }
  }
  it('are those that cutting anew at every level gives', () => {
    let regions = 0
    for (let seed = 1; seed <= 12; seed++) {
      const random = makeRandom(seed)
      const [columns, rows] = [40 + Math.floor(20 * random.uniform()), 36]
      const blobs = Array.from({ length: 7 }, () => ({ x: columns * random.uniform(), y: rows * random.uniform(), r: 3 + 6 * random.uniform(), tone: 60 + 180 * random.uniform() }))
      const tone = Float32Array.from({ length: columns * rows }, (_value, i) => {
        const inside = blobs.filter(({ x, y, r }) => Math.hypot((i % columns) - x, Math.floor(i / columns) - y) < r)
        return Math.min(255, Math.max(40, ...inside.map((blob) => blob.tone)) + 14 * random.uniform())
      })
      for (let i = 0; i < columns; i++) tone[i] = -1
      const found = stableRegions({ columns, rows, tone }, Float32Array.from(tone).sort()).map((cells) => [...cells].sort((a, b) => a - b).join()).sort()
      expect(found).toEqual(cutAnew(columns, rows, tone))
      regions += found.length
    }
    expect(regions).toBeGreaterThan(20)
  })
  it('are not swallowed by a slope that they lie on, though every step of it makes them a little larger', () => {
    const [columns, rows] = [160, 120]
    const corner = (x: number, y: number) => x + 0.8 * y < 30
    const tone = Float32Array.from({ length: columns * rows }, (_value, i) => {
      const [x, y] = [i % columns, Math.floor(i / columns)]
      return corner(x, y) ? 240 : 80 + 50 * Math.sin((4 * x) / 90) * Math.cos((4 * y) / 70)
    })
    const cells = tone.reduce((count, value) => count + (value === 240 ? 1 : 0), 0)
    const sizes = stableRegions({ columns, rows, tone }, Float32Array.from(tone).sort()).map(({ length }) => length)
    expect(Math.min(...sizes)).toBeGreaterThanOrEqual(cells)
    expect(Math.min(...sizes)).toBeLessThanOrEqual(1.3 * cells)
  })
})
