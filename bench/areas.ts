import { findFlaws } from '@fennip/core/find/find.js'
import { rasterSource } from '@fennip/core/raster/raster.js'
import { makeTransfer } from '@fennip/core/raster/transfer.js'
import { mendAll } from '@fennip/core/treatment/mend-all.js'
import { outlinesOfMask } from '@fennip/core/shape/from-mask.js'
import { insideOutline, type Outline } from '@fennip/core/shape/shape.js'
import { expose, lightOfRender, type Light } from '@fennip/demo/photograph.js'
import { openPhotographs } from './open-photographs.js'
import { changedAt, renderOf, sceneOf, stainedPrint, tornPrint } from './scenes.js'
import { calibrationError, type Claim } from './truth.js'

/**
 * How well losses with tears, or stains, are found as outlines, put on prints of two renders and seven open photographs,
 * and in the same prints whole; for stains also in the photographs as they are, in colour, and how near to the truth their lifts come:
 * `npx tsx bench/areas.ts [loss|stain] [seed]`.
 */

const KIND = process.argv[2] === 'stain' ? 'stain' : 'loss'
const SEED = Number(process.argv[3] ?? 81)
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
/** Of the finds on damaged prints alone, and on prints half of which are whole. */
const claims: { many: Claim[]; few: Claim[] } = { many: [], few: [] }
const all: Result = { shown: 0, true: 0, missed: 0, found: 0, likeness: [], falseWhole: 0, milliseconds: 0 }
for (const { name, light } of scenes) {
  const { print, hurt } = KIND === 'stain' ? stainedPrint(light, SEED, 1) : tornPrint(light, SEED, 0, { tears: 2, losses: 4 })
  const { clean, damaged } = expose(print, hurt, { electrons: 6000, readNoise: 6, grainSize: 0, depth: 8, seed: SEED })
  const mask = Uint8Array.from({ length: light.width * light.height }, (_value, i) => (changedAt(print, hurt, i) ? 1 : 0))
  const extent = { x: 0, y: 0, width: light.width, height: light.height }
  const truths = outlinesOfMask(mask, light.width, light.height, Infinity).map((outline) => insideOutline(outline, extent)).filter((inside) => sumOf(inside) > LEAST_AREA)
  const start = performance.now()
  const flaws = findFlaws(rasterSource(damaged), transfer, { kinds: [KIND], falseFinds: 3 })
  const finds = flaws.map(({ shape }) => insideOutline(shape as Outline, extent))
  all.milliseconds += performance.now() - start
  const isReal = finds.map((inside) => sumOf(inside, mask) > 0.5 * sumOf(inside))
  const real = finds.filter((_inside, i) => isReal[i])
  const likeness = truths.map((truth) => Math.max(0, ...finds.map((inside) => sumOf(inside, truth) / (sumOf(inside) + sumOf(truth) - sumOf(inside, truth)))))
  const whole = [clean, ...(KIND === 'stain' ? [expose(light, light, { electrons: 6000, readNoise: 6, grainSize: 0, depth: 8, seed: SEED }).clean] : [])]
  const wrong = whole.flatMap((picture) => findFlaws(rasterSource(picture), transfer, { kinds: [KIND], falseFinds: 3 }))
  const onDamaged = flaws.map(({ confidence }, i) => ({ confidence, real: isReal[i]! }))
  claims.many.push(...onDamaged)
  claims.few.push(...onDamaged, ...wrong.map(({ confidence }) => ({ confidence, real: false })))
  all.shown += finds.length
  all.true += real.length
  all.found += likeness.filter((share) => share > 0.5).length
  all.missed += likeness.filter((share) => share <= 0.5).length
  all.likeness.push(...likeness)
  all.falseWhole += wrong.length
  if (KIND === 'stain') {
    const mended = { ...damaged, data: damaged.data.slice() }
    const steps = mendAll(mended, transfer, flaws.map((find, i) => ({ id: `f${i}`, state: 'open', origin: 'found', ...find })), { id: ({ id }) => id })
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
  console.log(`${name.padEnd(22)} ${real.length} of ${finds.length} finds real, ${likeness.filter((share) => share > 0.5).length} of ${truths.length} found, intersection over union ${likeness.map((share) => share.toFixed(2)).join(' ')}; ${wrong.length} in the whole print`)
}
const precision = all.true / Math.max(1, all.shown)
const recall = all.found / Math.max(1, all.found + all.missed)
const found = all.likeness.filter((share) => share > 0.5).sort((a, b) => a - b)
console.log(`together: precision ${precision.toFixed(3)}, recall ${recall.toFixed(3)}, F1 ${((2 * precision * recall) / (precision + recall)).toFixed(3)}; of those found the intersection over union is ${found[found.length >> 1]!.toFixed(3)} in the middle, ${((100 * found.filter((share) => share >= 0.8).length) / found.length).toFixed(0)} % reach 0.8; ${all.falseWhole} false in ${scenes.length} whole prints; ${(all.milliseconds / scenes.reduce((sum, { light }) => sum + (light.width * light.height) / 1e6, 0)).toFixed(0)} ms a megapixel`)
for (const [rate, list] of Object.entries(claims)) console.log(`${rate} flaws: ${list.length} finds, expected calibration error ${calibrationError(list).toFixed(3)}`)
if (KIND === 'stain') console.log(`mended unasked: ${lifts.count} lifted, ${lifts.left} left; error over all that was stained ${Math.sqrt(lifts.before / lifts.samples).toFixed(2)} levels before, ${Math.sqrt(lifts.after / lifts.samples).toFixed(2)} after`)

function sumOf(inside: Uint8Array, within?: Uint8Array): number {
  let sum = 0
  for (let i = 0; i < inside.length; i++) if (inside[i] && (!within || within[i])) sum++
  return sum
}
