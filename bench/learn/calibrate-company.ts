import { cellsOfTile } from '@fennip/core/find/areas/cells.js'
import { judgedLosses } from '@fennip/core/find/areas/losses.js'
import { SampleTable } from '@fennip/core/kernels/samples/samples.js'
import type { IntegerRaster } from '@fennip/core/raster/raster.js'
import { makeTransfer } from '@fennip/core/raster/transfer.js'
import { insideOutline } from '@fennip/core/shape/shape.js'
import { exposureOf, fadedPrint, isDamage, loneDamage, scanned, unlearnedPhotographs } from '../finding/area-prints.js'
import { fitLogistic } from './fit-judge.js'
import { sceneOf } from '../scenes.js'

/**
 * How sure losses are by their score and by how many sure ones lie elsewhere in the picture, on photographs that the score was not
 * learned from: `npx tsx bench/learn/calibrate-company.ts [seeds]`, about three minutes a seed. Prints the even and the slope of
 * lossJudge and the COMPANY of core/find/losses.ts, to be written there by hand. The seeds are not those of bench/finding/areas.ts.
 */

const SEEDS = process.argv.length > 2 ? process.argv.slice(2).map(Number) : [181, 281, 581]
/** Most pictures are whole: a whole one counts so many times. Of the damaged ones a third each has one, two and six losses or tears. */
const WHOLE = 5

const transfer = makeTransfer({ type: 'srgb' }, 8)
const rows: number[][] = []
const isReal: boolean[] = []
function look(picture: IntegerRaster, mask?: Uint8Array): void {
  const whole = { x: 0, y: 0, width: picture.width, height: picture.height }
  for (const { candidate, score, company } of judgedLosses([cellsOfTile(new SampleTable(picture), whole, whole)], whole)) {
    const real = mask !== undefined && isDamage(insideOutline(candidate.shape, whole), mask)
    for (let time = 0; time < (mask ? 1 : WHOLE); time++) {
      rows.push([1, score, company])
      isReal.push(real)
    }
  }
}
for (const seed of SEEDS) {
  for (const [n, { raster }] of (await unlearnedPhotographs()).entries()) {
    const light = sceneOf(raster, transfer, Infinity)
    for (const damage of [loneDamage(n), { tears: 1, losses: 1 }, { tears: 2, losses: 4 }]) {
      const { damaged, mask } = scanned(fadedPrint(light, seed + n, damage), exposureOf(seed))
      look(damaged, mask)
    }
    look(scanned(fadedPrint(light, seed + n, { tears: 0, losses: 0 }), exposureOf(seed)).clean)
    look(raster)
  }
  console.log(`seed ${seed}: ${rows.length} candidates so far, ${isReal.filter(Boolean).length} real`)
}
const [constant, slope, company] = fitLogistic(rows, isReal, 1) as [number, number, number]
console.log(`even ${(-constant / slope).toFixed(2)}, slope ${slope.toFixed(2)}, company ${(company / slope).toFixed(2)}`)
