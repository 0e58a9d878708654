import * as fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { CELL, cellColumns, cellRows, cellsWithin, lookedShare, nextUnlooked, sectorAt, sectorsOf } from './sectors.js'

const sizes = fc.record({ width: fc.integer({ min: 40, max: 7000 }), height: fc.integer({ min: 40, max: 5000 }) })
const views = fc.record({ width: fc.integer({ min: 300, max: 1600 }), height: fc.integer({ min: 300, max: 1200 }) })

describe('sectors of a round', () => {
  it('walked one after another show every cell of a picture, whatever its size and the view\'s', () => {
    fc.assert(fc.property(sizes, views, (picture, view) => {
      const looked = new Set(sectorsOf(picture, view).flatMap((sector) => cellsWithin(sector, picture)))
      expect(looked.size).toBe(cellColumns(picture) * cellRows(picture))
      expect(lookedShare(looked, picture)).toBe(1)
    }), { numRuns: 200, seed: 5 })
  })
  it('come in reading order and overlap a little', () => {
    const sectors = sectorsOf({ width: 2000, height: 1200 }, { width: 800, height: 600 })
    expect(sectors.map(({ x, y }) => [x, y])).toEqual([[0, 0], [600, 0], [1200, 0], [0, 300], [600, 300], [1200, 300], [0, 600], [600, 600], [1200, 600]])
  })
  it('of a picture smaller than the view are one, in its middle', () => {
    expect(sectorsOf({ width: 400, height: 200 }, { width: 800, height: 600 })).toEqual([{ x: -200, y: -200, width: 800, height: 600 }])
  })
})

describe('what was looked at', () => {
  const picture = { width: 10 * CELL, height: 6 * CELL }
  const sectors = sectorsOf(picture, { width: 4 * CELL, height: 3 * CELL })
  it('is only what was wholly in view', () => {
    expect(cellsWithin({ x: 0, y: 0, width: 2.5 * CELL, height: 1.9 * CELL }, picture)).toEqual([0, 1, 10, 11])
  })
  it('leads to the first sector that is left, and past the end to the top', () => {
    const looked = new Set(cellsWithin(sectors[0]!, picture))
    expect(nextUnlooked(sectors, -1, looked, picture)).toBe(1)
    expect(nextUnlooked(sectors, sectors.length - 1, new Set(), picture)).toBe(0)
    expect(nextUnlooked(sectors, 3, new Set(sectors.flatMap((sector) => cellsWithin(sector, picture))), picture)).toBeNull()
  })
  it('is found from a place', () => expect(sectorAt(sectors, picture.width, 0)).toBe(Math.max(...sectors.filter(({ y }) => y === 0).map((_sector, i) => i))))
})
