import { expect, it } from 'vitest'
import { findFlaws } from '@fennip/core/find/find.js'
import { rasterSource, type IntegerRaster } from '@fennip/core/raster/raster.js'
import { makeTransfer } from '@fennip/core/raster/transfer.js'
import { outlinesOfMask } from '@fennip/core/shape/from-mask.js'
import { insideOutline, shapeArea, type Outline } from '@fennip/core/shape/shape.js'
import { dustyPylon, pylonLight, tornPrint } from './pictures.js'

const lossesIn = (picture: IntegerRaster, depth: 8 | 16) => findFlaws(rasterSource(picture), makeTransfer({ type: 'srgb' }, depth), { kinds: ['loss'], falseFinds: 3 }).map(({ shape }) => shape as Outline)

it('all that the torn print of the demo has lost is found, in the bright sky too, and nothing in it whole', async () => {
  const { clean, damaged } = await tornPrint({ width: 2400, height: 1600 })
  const { width, height } = clean
  const whole = { x: 0, y: 0, width, height }
  // Of 65535: the fold is left out by its width, noise by its depth.
  const lost = Uint8Array.from(clean.data, (value, i) => (Math.abs(damaged.data[i]! - value) > 2500 ? 1 : 0))
  const losses = outlinesOfMask(lost, width, height, Infinity).filter((outline) => shapeArea(outline) > 2000)
  expect(losses).toHaveLength(3)
  const finds = lossesIn(damaged, 16).map((outline) => insideOutline(outline, whole))
  for (const loss of losses.map((outline) => insideOutline(outline, whole))) {
    const likeness = finds.map((find) => {
      let [both, either] = [0, 0]
      for (let i = 0; i < find.length; i++) {
        if (find[i] && loss[i]) both++
        if (find[i] || loss[i]) either++
      }
      return both / either
    })
    expect(Math.max(...likeness)).toBeGreaterThan(0.7)
  }
  expect(lossesIn(clean, 16)).toEqual([])
})

it('a frame of a bright sky has lost nothing', async () => {
  expect(lossesIn(dustyPylon(await pylonLight({ width: 1800, height: 1200 }), 3).damaged, 8)).toEqual([])
})
