import { createPinia, setActivePinia } from 'pinia'
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { reactive } from 'vue'

/** A picture of 20 by 12 cells on the bench, and a server that remembers what was looked at. */
const CELL = 128
const bench = reactive({ opened: null as null | { id: string; original: { width: number; height: number }; looked: number[] }, report: () => undefined })
vi.mock('./bench.js', () => ({ useBench: () => bench }))
const posted: number[][] = []
const postedOf: string[] = []
let failing = false
vi.mock('../shared/api.js', () => ({
  api: {
    looked: (id: string, cells: number[]) => {
      if (failing) return Promise.reject(new Error('away'))
      posted.push(cells)
      postedOf.push(id)
      return Promise.resolve({ looked: cells })
    },
  },
}))
vi.stubGlobal('window', globalThis)
vi.stubGlobal('devicePixelRatio', 1)
const { useRound } = await import('./round.js')

let round: ReturnType<typeof useRound>
const gone: [number, number][] = []
/** The view at 1:1 with its left upper corner at a place of the picture. */
const sightAt = (x: number, y: number, scale = 1) => ({ scale, x: -x * scale, y: -y * scale, width: 8 * CELL, height: 6 * CELL })
const rest = (x: number, y: number, scale = 1) => {
  round.rest(sightAt(x, y, scale))
  vi.advanceTimersByTime(600)
}

beforeEach(() => {
  vi.useFakeTimers()
  setActivePinia(createPinia())
  bench.opened = { id: 'p', original: { width: 20 * CELL, height: 12 * CELL }, looked: [0, 1] }
  failing = false
  posted.length = 0
  postedOf.length = 0
  gone.length = 0
  round = useRound()
  // The view goes where it is sent.
  round.lookAt = (x, y) => {
    gone.push([x, y])
    round.rest(sightAt(x - 4 * CELL, y - 3 * CELL))
  }
})
afterEach(() => {
  round.$dispose()
  vi.useRealTimers()
})

describe('a round', () => {
  it('begins with what the server remembers', () => {
    expect([...round.looked]).toEqual([0, 1])
    expect(round.share).toBeCloseTo(2 / 240, 9)
  })
  it('counts what was in view at 1:1 for a moment, and nothing that only flew past or was smaller', () => {
    rest(4 * CELL, 3 * CELL, 0.5)
    expect(round.looked.size).toBe(2)
    round.rest(sightAt(4 * CELL, 3 * CELL))
    vi.advanceTimersByTime(200)
    round.rest(sightAt(10 * CELL, 6 * CELL))
    vi.advanceTimersByTime(600)
    expect(round.looked.size).toBe(2 + 8 * 6)
    expect(round.looked.has(6 * 20 + 10)).toBe(true)
    expect(round.looked.has(3 * 20 + 4)).toBe(false)
  })
  it('saves what is new, together and once', async () => {
    rest(0, 0)
    rest(CELL, 0)
    await vi.advanceTimersByTimeAsync(2000)
    expect(posted).toHaveLength(1)
    // Nine columns of six rows, less the two cells that were known.
    expect(posted[0]).toHaveLength(9 * 6 - 2)
    rest(0, 0)
    await vi.advanceTimersByTimeAsync(4000)
    expect(posted).toHaveLength(1)
  })
  it('keeps what could not be saved, and saves it with the next look', async () => {
    failing = true
    rest(0, 0)
    await vi.advanceTimersByTimeAsync(2000)
    failing = false
    rest(12 * CELL, 6 * CELL)
    await vi.advanceTimersByTimeAsync(2000)
    expect(posted).toHaveLength(1)
    expect(posted[0]).toHaveLength(48 - 2 + 48)
  })
  it('goes on to the next part in reading order that was not looked at, and ends when there is none', () => {
    rest(6 * CELL, 3 * CELL, 0.4)
    round.goOn()
    expect(gone[0]).toEqual([4 * CELL, 3 * CELL])
    const sectors = round.sectors.length
    for (let i = 1; i < sectors; i++) round.goOn()
    expect(gone).toHaveLength(sectors)
    expect(round.isOver).toBe(false)
    round.goOn()
    expect(round.isOver).toBe(true)
    expect(round.share).toBe(1)
    expect(gone).toHaveLength(sectors)
  })
  it('goes back a part, and begins anew', async () => {
    rest(0, 0)
    round.goOn()
    const second = gone.at(-1)!
    round.goBack()
    expect(gone.at(-1)).toEqual([4 * CELL, 3 * CELL])
    expect(second[0]).toBeGreaterThan(4 * CELL)
    await round.beginAnew()
    expect(posted.at(-1)).toEqual([])
    expect(round.looked.size).toBe(0)
    expect(gone.at(-1)).toEqual([4 * CELL, 3 * CELL])
  })
  it('is another one in another picture, and what was looked at in the first is saved on leaving it', async () => {
    rest(0, 0)
    bench.opened = { id: 'q', original: { width: 20 * CELL, height: 12 * CELL }, looked: [7] }
    await vi.advanceTimersByTimeAsync(0)
    expect([...round.looked]).toEqual([7])
    await vi.advanceTimersByTimeAsync(4000)
    expect(postedOf).toEqual(['p'])
    expect(posted[0]).toHaveLength(48 - 2)
  })
})
