import { severity, TELLTALE_NAMES } from '@fennip/core/check/telltales.js'
import { chooseMend } from '@fennip/core/mend/choose.js'
import { carryOut } from '@fennip/core/mend/methods.js'
import { makeRandom } from '@fennip/core/random.js'
import { clipRegion, crop, rasterSource, type IntegerRaster } from '@fennip/core/raster/raster.js'
import { makeTransfer } from '@fennip/core/raster/transfer.js'
import { layOver } from '@fennip/core/mend/patches/patch.js'
import { distanceOutside, type Shape } from '@fennip/core/shape/shape.js'
import { expose } from '@fennip/demo/photograph.js'
import { pylonLight, shaftValve } from '@fennip/demo/pictures.js'
import { judgeMend, worstTelltale, type Judged } from '../learn/judge-mend.js'

/**
 * False alarms of a picture full of good mends: places where nothing was wrong are mended one by one, so that the truth is
 * known, and those that are good by it are asked for their telltales: `npx tsx bench/mending/good-mends.ts [count] [seed] [pictures]`.
 */

const COUNT = Number(process.argv[2] ?? 5000)
const SEED = Number(process.argv[3] ?? 81)
/** How far round a mend its surroundings are looked at. */
const ROUND = 110
const transfer = makeTransfer({ type: 'srgb' }, 8)
const size = { width: 6000, height: 4000 }
const WHICH = process.argv[4] ?? 'pylon,shaft'
const pylon = async () => {
  const light = await pylonLight(size)
  return expose(light, light, { electrons: 14000, readNoise: 6, grainSize: 0, depth: 8, seed: SEED }).clean
}
if (WHICH.includes('pylon')) report('pylon', await pylon())
if (WHICH.includes('shaft')) report('shaft', (await shaftValve(size)).clean)

function report(name: string, clean: IntegerRaster): void {
  const random = makeRandom(SEED)
  const made = Array.from({ length: COUNT }, () => {
    const r = 4 + 16 * random.uniform() * random.uniform()
    return mendAt(clean, ROUND + 20 + random.uniform() * (clean.width - 2 * ROUND - 40), ROUND + 20 + random.uniform() * (clean.height - 2 * ROUND - 40), r)
  })
  const good = made.filter(({ shows }) => !shows)
  const alarms = good.filter((one) => worstTelltale(one) > 1)
  console.log(`${name}: ${made.length} mends, ${good.length} good by the truth, ${alarms.length} of these said to show (${((100 * alarms.length) / good.length).toFixed(2)} %; target 1 %)`)
  for (const telltale of TELLTALE_NAMES) console.log(`  ${telltale.padEnd(16)} ${alarms.filter(({ telltales }) => severity(telltale, telltales[telltale]) > 1).length}`)
  for (const method of new Set(made.map((one) => one.method))) console.log(`  ${method.padEnd(16)} ${alarms.filter((one) => one.method === method).length} of ${good.filter((one) => one.method === method).length}`)
}

function mendAt(clean: IntegerRaster, x: number, y: number, r: number): Judged {
  const region = clipRegion({ x: Math.floor(x) - ROUND, y: Math.floor(y) - ROUND, width: 2 * ROUND, height: 2 * ROUND }, clean.width, clean.height)
  const here = crop(clean, region)
  const shape: Shape = { type: 'disc', x: x - region.x, y: y - region.y, r }
  const picture = rasterSource(here)
  const step = chooseMend({ picture, transfer, flaw: { id: 'f', kind: 'other', shape, state: 'open', contrast: 0, weight: 0, confidence: 1, origin: 'hand' }, openFlaws: [], id: 'm' })
  const mended = { ...here, data: here.data.slice() }
  layOver(mended, { x: 0, y: 0, width: here.width, height: here.height }, carryOut(picture, transfer, step))
  const mask = Uint8Array.from(distanceOutside(step.shape, { x: 0, y: 0, width: here.width, height: here.height }).data, (d) => (d < 0 ? 1 : 0))
  return judgeMend('none', step.method, step.shape, mask, here, mended, step.telltales!)
}
