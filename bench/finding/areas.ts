import { mendableRaster } from '@fennip/core/mend/patches/patch.js'
import { findFlaws } from '@fennip/core/find/find.js'
import type { Find } from '@fennip/core/find/finds.js'
import { rasterSource, type IntegerRaster } from '@fennip/core/raster/raster.js'
import { makeTransfer } from '@fennip/core/raster/transfer.js'
import { mendAll } from '@fennip/core/mend/picture/mend-all.js'
import { outlinesOfMask } from '@fennip/core/shape/from-mask.js'
import { insideOutline, type Outline } from '@fennip/core/shape/shape.js'
import { expose, lightOfRender, type Light } from '@fennip/demo/photograph.js'
import { exposureOf, fadedPrint, isDamage, loneDamage, scanned, sumOf, unlearnedPhotographs } from './area-prints.js'
import { openPhotographs } from '../open-photographs.js'
import { renderOf, sceneOf, stainedPrint } from '../scenes.js'
import { calibrationError, type Claim } from '../truth.js'

/**
 * How well losses with tears, or stains, are found as outlines, put on prints of two renders and seven open photographs,
 * and in the same prints whole; for stains also how near to the truth their lifts come; and what their confidence is worth on
 * these and further photographs that nothing was learned from, damaged, whole and as they are, in colour:
 * `npx tsx bench/finding/areas.ts [loss|stain] [seeds]`, about three minutes a seed.
 */

const KIND = process.argv[2] === 'stain' ? 'stain' : 'loss'
const SEEDS = process.argv.length > 3 ? process.argv.slice(3).map(Number) : [81]
const LEAST_AREA = { loss: 600, stain: 100 }[KIND]
const transfer = makeTransfer({ type: 'srgb' }, 8)
const size = { width: 2400, height: 1600 }
const scenes: { name: string; light: Light }[] = [
  { name: 'shaft', light: await lightOfRender(renderOf('shaft'), { ...size, channels: 3, softness: 1.1, detail: 0.12, seed: 12 }) },
  { name: 'station', light: await lightOfRender(renderOf('station'), { ...size, channels: KIND === 'stain' ? 3 : 1, softness: 1.2, detail: 0.12, seed: 13 }) },
]
for (const { name, raster } of await openPhotographs()) {
  scenes.push({ name, light: sceneOf(raster, transfer, Infinity) })
}

interface Result { shown: number; true: number; missed: number; found: number; likeness: number[]; falseWhole: number; milliseconds: number }
/** Stains mended as they were found: squares of the error over all that was stained, in levels of 255. */
const lifts = { count: 0, left: 0, before: 0, after: 0, samples: 0 }
const all: Result = { shown: 0, true: 0, missed: 0, found: 0, likeness: [], falseWhole: 0, milliseconds: 0 }

/**
 * What is said of finds, where every picture is damaged and where every fourth is; of these also without walls and grounds from
 * edge to edge: grey ones with rust or yellow paint on them are what a stained print is.
 */
const claims: Record<'many' | 'few' | 'few, no surfaces', Claim[]> = { many: [], few: [], 'few, no surfaces': [] }
let pictures = 0
function claimed(onDamaged: readonly Claim[], wrong: readonly Find[], surface: boolean): void {
  claims.many.push(...onDamaged)
  const few = [...(pictures++ % 4 === 0 ? onDamaged : []), ...wrong.map(({ confidence }) => ({ confidence, real: false }))]
  claims.few.push(...few)
  if (!surface) claims['few, no surfaces'].push(...few)
}

const damagedPrint = (light: Light, seed: number) => (KIND === 'stain' ? stainedPrint(light, seed, 1) : fadedPrint(light, seed, { tears: 2, losses: 4 }))
const findsIn = (raster: IntegerRaster): Find[] => findFlaws(rasterSource(raster), transfer, { kinds: [KIND], falseFinds: 3 })
const claimsOf = (finds: readonly Find[], isReal: readonly boolean[]): Claim[] => finds.map(({ confidence }, i) => ({ confidence, real: isReal[i]! }))

for (const [seed, { name, light }] of SEEDS.flatMap((seed) => scenes.map((scene) => [seed, scene] as const))) {
  const exposure = exposureOf(seed)
  const { mask, extent, clean, damaged } = scanned(damagedPrint(light, seed), exposure)
  const truths = outlinesOfMask(mask, light.width, light.height, Infinity).map((outline) => insideOutline(outline, extent)).filter((inside) => sumOf(inside) > LEAST_AREA)
  const start = performance.now()
  const flaws = findsIn(damaged)
  const finds = flaws.map(({ shape }) => insideOutline(shape as Outline, extent))
  all.milliseconds += performance.now() - start
  const isReal = finds.map((inside) => isDamage(inside, mask))
  const real = finds.filter((_inside, i) => isReal[i])
  const likeness = truths.map((truth) => Math.max(0, ...finds.map((inside) => sumOf(inside, truth) / (sumOf(inside) + sumOf(truth) - sumOf(inside, truth)))))
  const wrong = [clean, expose(light, light, exposure).clean].flatMap(findsIn)
  claimed(claimsOf(flaws, isReal), wrong, false)
  all.shown += finds.length
  all.true += real.length
  all.found += likeness.filter((share) => share > 0.5).length
  all.missed += likeness.filter((share) => share <= 0.5).length
  all.likeness.push(...likeness)
  all.falseWhole += wrong.length
  if (KIND === 'stain') {
    const mended = { ...damaged, data: damaged.data.slice() }
    const steps = mendAll(mendableRaster(mended), transfer, flaws.map((find, i) => ({ id: `f${i}`, state: 'open', origin: 'found', ...find })), { id: ({ id }) => id })
    lifts.count += steps.length
    lifts.left += flaws.length - steps.length
    mask.forEach((hurtHere, i) => {
      if (!hurtHere) return
      for (let c = 0; c < 3; c++) {
        lifts.before += (damaged.data[3 * i + c]! - clean.data[3 * i + c]!) ** 2
        lifts.after += (mended.data[3 * i + c]! - clean.data[3 * i + c]!) ** 2
        lifts.samples++
      }
    })
  }
  console.log(`${name.padEnd(22)} ${real.length} of ${finds.length} finds real, ${likeness.filter((share) => share > 0.5).length} of ${truths.length} found, intersection over union ${likeness.map((share) => share.toFixed(2)).join(' ')}; ${wrong.length} in it whole`)
}

// Photographs are smaller: how well outlines fit is told of the scenes above.
const photographs = await unlearnedPhotographs()
const lone = { prints: 0, found: 0 }
const falseOn = { scenes: 0, surfaces: 0 }
for (const [seed, n, { raster, surface }] of SEEDS.flatMap((seed) => photographs.map((photograph, n) => [seed, n, photograph] as const))) {
  const light = sceneOf(raster, transfer, Infinity)
  const { mask, extent, clean, damaged } = scanned(damagedPrint(light, seed + n), exposureOf(seed))
  const flaws = findsIn(damaged)
  const wrong = [clean, raster].flatMap(findsIn)
  falseOn[surface ? 'surfaces' : 'scenes'] += wrong.length
  claimed(claimsOf(flaws, flaws.map(({ shape }) => isDamage(insideOutline(shape as Outline, extent), mask))), wrong, surface)
  if (KIND === 'loss') {
    // A loss has fewer others to speak for it where it is the only one.
    const alone = scanned(fadedPrint(light, seed + n, loneDamage(n)), exposureOf(seed))
    if (sumOf(alone.mask) <= LEAST_AREA) continue
    lone.prints++
    if (findsIn(alone.damaged).some(({ shape }) => isDamage(insideOutline(shape as Outline, extent), alone.mask))) lone.found++
  }
}

const precision = all.true / Math.max(1, all.shown)
const recall = all.found / Math.max(1, all.found + all.missed)
const found = all.likeness.filter((share) => share > 0.5).sort((a, b) => a - b)
console.log(`together: precision ${precision.toFixed(3)}, recall ${recall.toFixed(3)}, F1 ${((2 * precision * recall) / (precision + recall)).toFixed(3)}; of those found the intersection over union is ${found[found.length >> 1]!.toFixed(3)} in the middle, ${((100 * found.filter((share) => share >= 0.8).length) / found.length).toFixed(0)} % reach 0.8; ${all.falseWhole} false in ${SEEDS.length * scenes.length} whole prints and the same pictures as they are; ${(all.milliseconds / (SEEDS.length * scenes.reduce((sum, { light }) => sum + (light.width * light.height) / 1e6, 0))).toFixed(0)} ms a megapixel`)
console.log(`${falseOn.scenes} false in ${photographs.filter(({ surface }) => !surface).length} further photographs, ${falseOn.surfaces} in ${photographs.filter(({ surface }) => surface).length} of walls and grounds, whole as prints and as they are, ${SEEDS.length} times`)
if (KIND === 'loss') console.log(`a loss or a tear that is the only one: found in ${lone.found} of ${lone.prints} prints`)
for (const [rate, list] of Object.entries(claims)) console.log(`${rate} flaws: ${list.length} finds, expected calibration error ${calibrationError(list).toFixed(3)}`)
if (KIND === 'stain') console.log(`mended unasked: ${lifts.count} lifted, ${lifts.left} left; error over all that was stained ${Math.sqrt(lifts.before / lifts.samples).toFixed(2)} levels before, ${Math.sqrt(lifts.after / lifts.samples).toFixed(2)} after`)
