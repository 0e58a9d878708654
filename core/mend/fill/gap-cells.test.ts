import { describe, expect, it } from 'vitest'
import { makeRandom } from '../../random.js'
import { BARRED, FILL, KNOWN, type FillProblem } from './fill-problem.js'
import { gapCells } from './gap-cells.js'

const problem = (width: number, height: number, role: Uint8Array): FillProblem => ({ width, height, channels: [new Float32Array(width * height)], role })

describe('the cells that hold gaps', () => {
  it.each([[37, 23, 8], [12, 60, 12], [5, 5, 8]])('of a picture of %i x %i have every gap once, in the cell of %i px it lies in, row by row', (width, height, side) => {
    const random = makeRandom(width)
    const role = Uint8Array.from({ length: width * height }, () => [KNOWN, FILL, FILL, BARRED, KNOWN][Math.floor(5 * random.uniform())]!)
    const cells = gapCells(problem(width, height, role), side)
    const all = cells.flatMap(({ gaps }) => gaps)
    expect([...all].sort((a, b) => a - b)).toEqual([...role].flatMap((value, i) => (value === FILL ? [i] : [])))
    for (const { left, top, gaps } of cells) {
      expect(gaps.length).toBeGreaterThan(0)
      expect([left % side, top % side]).toEqual([0, 0])
      for (const i of gaps) expect([Math.floor((i % width) / side), Math.floor(i / width / side)]).toEqual([left / side, top / side])
      expect(gaps).toEqual([...gaps].sort((a, b) => a - b))
    }
    expect(cells).toEqual([...cells].sort((a, b) => a.top - b.top || a.left - b.left))
  })

  it('are none where nothing is to be filled', () => {
    expect(gapCells(problem(20, 9, new Uint8Array(180).fill(BARRED)), 4)).toEqual([])
  })

  it('hold a gap in the last pixel', () => {
    const role = new Uint8Array(180)
    role[179] = FILL
    expect(gapCells(problem(20, 9, role), 4)).toEqual([{ left: 16, top: 8, gaps: [179] }])
  })
})
