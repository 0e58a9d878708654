import { beforeAll, describe, expect, it } from 'vitest'
import { findFlaws } from '@fennip/core/find/find.js'
import type { Find } from '@fennip/core/find/finds.js'
import { rasterSource, type IntegerRaster } from '@fennip/core/raster/raster.js'
import { makeTransfer } from '@fennip/core/raster/transfer.js'
import type { SearchKind } from '@fennip/core/treatment/schema.js'
import { copyLight, type TrueFlaw } from './damage.js'
import { addMould } from './print-damage.js'
import { expose, printOf, SEPIA } from './photograph.js'
import { pylonLight } from './pictures.js'

describe('a search for mould', () => {
  let clean: IntegerRaster
  let damaged: IntegerRaster
  let spots: TrueFlaw[]
  const search = (picture: IntegerRaster, ...kinds: SearchKind[]) => findFlaws(rasterSource(picture), makeTransfer({ type: 'srgb' }, 16), { kinds, falseFinds: 3 })
  const isOn = ({ shape }: Find, spot: TrueFlaw) => shape.type === 'disc' && Math.hypot(spot.x - shape.x, spot.y - shape.y) < Math.max(2, 0.8 * spot.r)
  const foundBy = (finds: readonly Find[]) => spots.filter((spot) => finds.some((find) => isOn(find, spot))).length

  beforeAll(async () => {
    const print = printOf(await pylonLight({ width: 1800, height: 1200 }), SEPIA)
    const hurt = copyLight(print)
    spots = addMould(hurt, { colonies: 6, spots: 12, radius: [1.8, 7], depth: [0.25, 1.4], seed: 77 })
    ;({ clean, damaged } = expose(print, hurt, { electrons: 4000, readNoise: 4, grainSize: 0.9, depth: 16, seed: 78 }))
  })

  it('finds the spots of a brown print as such, and hardly anything else', () => {
    const finds = search(damaged, 'mould')
    expect(new Set(finds.map(({ kind }) => kind))).toEqual(new Set(['mould']))
    expect(foundBy(finds)).toBeGreaterThan(0.6 * spots.length)
    expect(finds.filter((find) => !spots.some((spot) => isOn(find, spot))).length).toBeLessThan(4)
    expect(search(clean, 'mould').length).toBeLessThan(3)
  })

  it('finds what a search for specks does not, and each spot once where both are wanted', () => {
    expect(foundBy(search(damaged, 'speck'))).toBeLessThan(0.5 * spots.length)
    const both = search(damaged, 'speck', 'mould')
    expect(foundBy(both)).toBeGreaterThan(0.6 * spots.length)
    for (const spot of spots) expect(both.filter((find) => isOn(find, spot)).length).toBeLessThan(2)
  })
})
