import { describe, expect, it } from 'vitest'
import type { Area } from '../treatment/schema.js'
import { searchedArea, shareSearched } from './searched-area.js'

const sky: Area = { id: 'sky', name: 'Sky', role: 'zone', softEdgePx: 0, parts: [{ mode: 'add', shape: { type: 'outline', points: [[0, 0], [100, 0], [100, 40], [0, 40]] } }] }

describe('where a search looks', () => {
  it('is everywhere when nothing is said', () => expect(searchedArea({}, {})(5, 5)).toBe(true))
  it('is only in a zone, or all but it', () => {
    const within = searchedArea({ areas: [sky] }, { within: 'sky' })
    const without = searchedArea({ areas: [sky] }, { without: 'sky' })
    for (const [x, y, inside] of [[50, 20, true], [50, 39.5, true], [50, 41, false], [150, 20, false]] as const) {
      expect(within(x, y)).toBe(inside)
      expect(without(x, y)).toBe(!inside)
    }
  })
  it('must be there', () => expect(() => searchedArea({ areas: [sky] }, { within: 'sea' })).toThrow(/Choose another one/))
  it('is a share of the picture', () => {
    const size = { width: 200, height: 80 }
    expect(shareSearched({}, {}, size)).toBe(1)
    // A hundred by forty of two hundred by eighty.
    expect(shareSearched({ areas: [sky] }, { within: 'sky' }, size)).toBeCloseTo(0.25, 2)
    expect(shareSearched({ areas: [sky] }, { without: 'sky' }, size)).toBeCloseTo(0.75, 2)
  })
})
