import cv from '@techstark/opencv-js'
import { measureTelltales, severity, TELLTALE_NAMES } from '@fennip/core/check/telltales.js'
import { chooseMend } from '@fennip/core/mend/choose.js'
import { measureStep } from '@fennip/core/mend/trial.js'
import { carryOut } from '@fennip/core/mend/methods.js'
import { clipRegion, crop, growRegion, makeRaster, paste, rasterSource, type IntegerRaster, type Region } from '@fennip/core/raster/raster.js'
import { makeTransfer } from '@fennip/core/raster/transfer.js'
import { layOver } from '@fennip/core/mend/patches/patch.js'
import { outlinesOfMask } from '@fennip/core/shape/from-mask.js'
import { distanceOutside, moveShape, shapeBounds, type Shape } from '@fennip/core/shape/shape.js'
import type { Flaw, Telltales, TelltaleName } from '@fennip/core/treatment/schema.js'
import { addBackscatter, addDust, addScratches, addSpecks, copyLight } from '@fennip/demo/damage.js'
import { addFolds } from '@fennip/demo/print-damage.js'
import { expose, type Light } from '@fennip/demo/photograph.js'
import { pylonLight, shaftValve, stationPrint } from '@fennip/demo/pictures.js'
import { judgeMend, worstTelltale, type Judged } from '../learn/judge-mend.js'
import { openPhotographs } from '../open-photographs.js'
import { maskOf, openCv, sceneOf } from '../scenes.js'

/**
 * Do the telltales agree with the truth? Mends of known damage by every method and by the two inpainting functions of
 * @techstark/opencv-js, labelled by their error against the clean picture: `npx tsx bench/mending/telltales.ts [seed] [pieces]`.
 *
 * What shows is said by bench/learn/judge-mend.ts. In structured ground the grain of the truth itself lies outside its band; a
 * second figure takes for good what has the truth's own grain there.
 */

const transfer = makeTransfer({ type: 'srgb' }, 8)
const SEED = Number(process.argv[2] ?? 71)
/** Pieces of damage taken of each kind in each picture. */
const PIECES = Number(process.argv[3] ?? 3)
const KINDS: Record<string, (light: Light) => void> = {
  dust: (light) => void addDust(light, { count: 12, radius: [6, 16], depth: [0.12, 0.5], seed: SEED }),
  'opaque dust': (light) => void addDust(light, { count: 10, radius: [5, 11], depth: [0.9, 0.95], seed: SEED + 1 }),
  specks: (light) => void addSpecks(light, { count: 30, radius: [2, 6], seed: SEED + 2 }),
  halo: (light) => void addBackscatter(light, { count: 20, radius: [1.6, 6], seed: SEED + 3 }),
  scratches: (light) => void addScratches(light, { count: 8, seed: SEED + 4 }),
  folds: (light) => void addFolds(light, { count: 3, width: 5, seed: SEED + 5 }),
}

const judged: Judged[] = []

function judge(kind: string, method: string, shape: Shape, mask: Uint8Array, clean: IntegerRaster, mended: IntegerRaster, telltales: Telltales): void {
  judged.push(judgeMend(kind, method, shape, mask, clean, mended, telltales))
}

/** One piece of damage alone in an otherwise clean picture. */
function tryPiece(kind: string, shape: Shape, mask: Uint8Array, width: number, clean: IntegerRaster, damaged: IntegerRaster): void {
  const region: Region = clipRegion(growRegion(shapeBounds(shape), 110), clean.width, clean.height)
  const here = crop(clean, region)
  const hurt = crop(clean, region)
  const local = moveShape(shape, -region.x, -region.y)
  const bounds = clipRegion(growRegion(shapeBounds(shape), 3), clean.width, clean.height)
  paste(hurt, crop(damaged, bounds), bounds.x - region.x, bounds.y - region.y)
  const inside = distanceOutside(local, region.x === 0 && region.y === 0 ? { ...region } : { x: 0, y: 0, width: region.width, height: region.height }).data
  const own = Uint8Array.from(inside, (d, i) => (d < 0 && mask[(region.y + Math.floor(i / region.width)) * width + region.x + (i % region.width)] ? 1 : 0))
  if (own.reduce((sum, value) => sum + value, 0) < 20) return
  const flaw: Flaw = { id: 'f', kind: kind === 'dust' ? 'dust' : 'other', shape: local, state: 'open', contrast: 0, weight: 0, confidence: 1, origin: 'hand' }
  const ask = { picture: rasterSource(hurt), transfer, flaw, openFlaws: [], id: 'm' }
  const ways = {
    chosen: () => chooseMend(ask),
    heal: () => chooseMend({ ...ask, method: 'heal' }),
    'worse heal': () => chooseMend({ ...ask, method: 'heal', skipSources: 25 }),
    clone: () => chooseMend({ ...ask, method: 'clone', skipSources: 4 }),
    fill: () => chooseMend({ ...ask, method: 'fill' }),
    faint: () => ({ ...chooseMend({ ...ask, method: 'heal' }), strength: 0.5 }),
    ...(kind === 'dust' ? { lift: () => chooseMend({ ...ask, method: 'lift' as const }) } : {}),
  }
  for (const [method, choose] of Object.entries(ways)) {
    const step = choose()
    const mended = { ...hurt, data: hurt.data.slice() }
    layOver(mended, { x: 0, y: 0, width: hurt.width, height: hurt.height }, carryOut(ask.picture, transfer, step))
    judge(kind, method, step.shape, own, here, mended, measureStep(ask, step))
  }
  for (const [method, code] of [['telea', cv.INPAINT_TELEA], ['ns', cv.INPAINT_NS]] as const) {
    const source = new cv.Mat(hurt.height, hurt.width, cv.CV_8UC3)
    source.data.set(hurt.data)
    const hole = new cv.Mat(hurt.height, hurt.width, cv.CV_8UC1)
    hole.data.set(own.map((value) => 255 * value))
    const result = new cv.Mat()
    cv.inpaint(source, hole, result, 4, code)
    const mended = { ...hurt, data: Uint8Array.from(result.data as Uint8Array) }
    judge(kind, method, local, own, here, mended, measureTelltales({ picture: rasterSource(mended), transfer, shape: local, openFlaws: [] }))
    for (const mat of [source, hole, result]) mat.delete()
  }
}

await openCv()
const scenes: { name: string; light: Light }[] = (await openPhotographs()).map(({ name, raster }) => ({ name, light: sceneOf(raster, transfer) }))
for (const [name, picture] of [['pylon', expose(await pylonLight({ width: 900, height: 600 }), await pylonLight({ width: 900, height: 600 }), { electrons: 14000, readNoise: 6, grainSize: 0, depth: 8, seed: 3 }).clean], ['shaft', (await shaftValve({ width: 900, height: 600 })).clean], ['station', (await stationPrint({ width: 900, height: 600 })).clean]] as const) {
  scenes.push({ name, light: sceneOf(asEightBitColour(picture), transfer) })
}
for (const { name, light } of scenes) {
  for (const [kind, damage] of Object.entries(KINDS)) {
    const hurt = copyLight(light)
    damage(hurt)
    const { clean, damaged } = expose(light, hurt, { electrons: 14000, readNoise: 6, grainSize: 0, depth: 8, seed: SEED })
    const mask = maskOf(light, hurt, clean, damaged)
    const pieces = outlinesOfMask(mask, light.width, light.height).filter((shape) => {
      const { width, height } = shapeBounds(shape)
      return width * height > 60
    })
    const chosen = pieces.filter((_piece, i) => i % Math.max(1, Math.floor(pieces.length / PIECES)) === 0).slice(0, PIECES)
    for (const shape of chosen) tryPiece(kind, shape, mask, light.width, clean, damaged)
  }
  console.log(`${name}: ${judged.length} mends so far`)
}

function asEightBitColour(raster: IntegerRaster): IntegerRaster {
  const result = makeRaster(raster.width, raster.height, 3, 8)
  const shift = raster.data instanceof Uint16Array ? 257 : 1
  for (let i = 0; i < raster.width * raster.height; i++) for (let c = 0; c < 3; c++) result.data[3 * i + c] = Math.round(raster.data[i * raster.channels + (raster.channels === 1 ? 0 : c)]! / shift)
  return result
}

/** Chance that a mend that shows scores above one that does not (Mann and Whitney 1947). */
function areaUnderCurve(list: readonly Judged[], score: (one: Judged) => number): number {
  const sorted = list.map((one) => ({ shows: one.shows, score: score(one) })).sort((a, b) => a.score - b.score)
  let ranks = 0
  for (let i = 0; i < sorted.length; ) {
    let j = i
    while (j < sorted.length && sorted[j]!.score === sorted[i]!.score) j++
    for (let k = i; k < j; k++) if (sorted[k]!.shows) ranks += (i + j + 1) / 2
    i = j
  }
  const bad = sorted.filter(({ shows }) => shows).length
  return (ranks - (bad * (bad + 1)) / 2) / (bad * (sorted.length - bad))
}

console.log(`\n${judged.length} mends, ${judged.filter(({ shows }) => shows).length} of them show by the truth`)
console.log(`area under the curve, worst telltale: ${areaUnderCurve(judged, worstTelltale).toFixed(3)}`)
console.log(`  with the truth's own grain taken for good: ${areaUnderCurve(judged.map((one) => ({ ...one, shows: one.strange })), worstTelltale).toFixed(3)}`)
for (const name of TELLTALE_NAMES) console.log(`  ${name.padEnd(16)} alone ${areaUnderCurve(judged, ({ telltales }) => severity(name, telltales[name])).toFixed(3)}   over its limit: ${share(judged.filter(({ shows }) => shows), name)} of those that show, ${share(judged.filter(({ shows }) => !shows), name)} of the others`)
for (const method of [...new Set(judged.map((one) => one.method))]) {
  const list = judged.filter((one) => one.method === method)
  console.log(`  ${method.padEnd(12)} ${String(list.length).padStart(4)} mends, ${list.filter(({ shows }) => shows).length} show, ${list.filter((one) => worstTelltale(one) > 1).length} said to show, area ${areaUnderCurve(list, worstTelltale).toFixed(3)}`)
}
const good = judged.filter(({ shows }) => !shows)
console.log(`false alarms: ${(100 * good.filter((one) => worstTelltale(one) > 1).length / good.length).toFixed(1)} % of ${good.length}`)

function share(list: readonly Judged[], name: TelltaleName): string {
  return `${Math.round((100 * list.filter(({ telltales }) => severity(name, telltales[name]) > 1).length) / Math.max(1, list.length))} %`
}
if (process.env.DUMP) (await import('node:fs')).writeFileSync(process.env.DUMP, JSON.stringify(judged))
