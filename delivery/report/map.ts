import { Chain } from '@fennip/core/pipeline/chain.js'
import { makeRaster, type IntegerRaster } from '@fennip/core/raster/raster.js'
import type { Finished } from '../finished.js'
import { CHANGE_KINDS, type ChangeKind, type Changes } from './changes.js'

/** Colour and pattern of each kind in the map: they are told apart in print without colour too. */
export const CHANGE_LOOK: Readonly<Record<ChangeKind, { readonly word: string; readonly colour: readonly [number, number, number]; drawn(x: number, y: number): boolean }>> = {
  lifted: { word: 'given back: what lay under the flaw was still there', colour: [11, 106, 104], drawn: (x, y) => (x + y) % 4 < 2 },
  replaced: { word: 'replaced by what lies close by', colour: [178, 110, 10], drawn: () => true },
  corrected: { word: 'corrected in tone, colour or grain', colour: [70, 110, 180], drawn: (x, y) => x % 4 === 0 && y % 4 === 0 },
  rebuilt: { word: 'drawn or brought from elsewhere', colour: [150, 30, 60], drawn: (x, y) => x % 4 < 2 || y % 4 < 2 },
}

/** What shows through a cell that is only partly changed: nothing small may vanish from the map. */
const LEAST_SHARE = 0.002

/**
 * Where the picture was changed: what it is in pale grey, changes in colour and pattern, in the frame of the result.
 *
 * @param pale  The result in grey of 8 bits, as large as the map is to be.
 */
export function drawMap(finished: Pick<Finished, 'base' | 'treatment'>, changes: Changes, pale: IntegerRaster): IntegerRaster {
  const chain = new Chain(finished.base, finished.treatment)
  const map = makeRaster(pale.width, pale.height, 3, 8)
  const scale = chain.delivered.width / pale.width
  for (let y = 0; y < pale.height; y++) {
    for (let x = 0; x < pale.width; x++) {
      const at = y * pale.width + x
      const grey = 150 + Math.round((pale.data[at * pale.channels]! * 95) / 255)
      let colour: readonly number[] = [grey, grey, grey]
      const [bx, by] = chain.toBase((x + 0.5) * scale, (y + 0.5) * scale)
      const [column, row] = [Math.floor(bx / changes.cellPx), Math.floor(by / changes.cellPx)]
      if (column >= 0 && row >= 0 && column < changes.columns && row < changes.rows) {
        const cell = row * changes.columns + column
        const kind = CHANGE_KINDS.find((candidate) => changes.cells[candidate][cell]! > LEAST_SHARE)
        if (kind && CHANGE_LOOK[kind].drawn(x, y)) colour = CHANGE_LOOK[kind].colour
      }
      for (let c = 0; c < 3; c++) map.data[at * 3 + c] = colour[c]!
    }
  }
  return map
}

/** A square of the map's pattern, for its legend. */
export function drawSwatch(kind: ChangeKind): IntegerRaster {
  const side = 16
  const swatch = makeRaster(side, side, 3, 8)
  for (let y = 0; y < side; y++) for (let x = 0; x < side; x++) swatch.data.set(CHANGE_LOOK[kind].drawn(x, y) ? CHANGE_LOOK[kind].colour : [230, 230, 230], (y * side + x) * 3)
  return swatch
}
