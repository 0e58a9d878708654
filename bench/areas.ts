import { findFlaws } from '@fennip/core/find/find.js'
import { rasterSource } from '@fennip/core/raster/raster.js'
import { makeTransfer } from '@fennip/core/raster/transfer.js'
import { outlinesOfMask } from '@fennip/core/shape/from-mask.js'
import { insideOutline, type Outline } from '@fennip/core/shape/shape.js'
import { addLosses, addTears, copyLight } from '@fennip/demo/damage.js'
import { expose, lightOfRender, type Light } from '@fennip/demo/photograph.js'
import { openPhotographs } from './open-photographs.js'
import { changedAt, renderOf, stainedPrint } from './scenes.js'

/**
 * How well losses with tears, or stains, are found as outlines, put on prints of two renders and seven open photographs,
 * and in the same prints whole; for stains also in the photographs as they are, in colour:
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
  const { width, height } = raster
  scenes.push({ name, light: { width, height, channels: [0, 1, 2].map((c) => ({ width, height, data: Float32Array.from({ length: width * height }, (_value, i) => transfer.light[raster.data[3 * i + c]!]!) })) } })
}

/** A print whole and hurt. */
function damagedPrint(name: string, light: Light): { print: Light; hurt: Light } {
  if (KIND === 'stain') return stainedPrint(name, light, SEED, 1)
  // The white of a print is no lighter than its paper (common practice).
  const print = { ...light, channels: light.channels.map((plane) => ({ ...plane, data: plane.data.map((value) => 0.03 + 0.72 * value) })) }
  const short = Math.min(light.width, light.height)
  const hurt = copyLight(print)
  addTears(hurt, { count: 2, width: Math.max(12, short / 60), seed: SEED })
  addLosses(hurt, { count: 4, radius: [Math.max(12, short / 60), short / 14], seed: SEED + 1 })
  return { print, hurt }
}

interface Result { shown: number; true: number; missed: number; found: number; likeness: number[]; falseWhole: number; milliseconds: number }
const all: Result = { shown: 0, true: 0, missed: 0, found: 0, likeness: [], falseWhole: 0, milliseconds: 0 }
for (const { name, light } of scenes) {
  const { print, hurt } = damagedPrint(name, light)
  const { clean, damaged } = expose(print, hurt, { electrons: 6000, readNoise: 6, grainSize: 0, depth: 8, seed: SEED })
  const mask = Uint8Array.from({ length: light.width * light.height }, (_value, i) => (changedAt(print, hurt, i) ? 1 : 0))
  const whole = { x: 0, y: 0, width: light.width, height: light.height }
  const truths = outlinesOfMask(mask, light.width, light.height, Infinity).map((outline) => insideOutline(outline, whole)).filter((inside) => sumOf(inside) > LEAST_AREA)
  const start = performance.now()
  const finds = findFlaws(rasterSource(damaged), transfer, { kinds: [KIND], falseFinds: 3 }).map(({ shape }) => insideOutline(shape as Outline, whole))
  all.milliseconds += performance.now() - start
  const real = finds.filter((inside) => sumOf(inside, mask) > 0.5 * sumOf(inside))
  const likeness = truths.map((truth) => Math.max(0, ...finds.map((inside) => sumOf(inside, truth) / (sumOf(inside) + sumOf(truth) - sumOf(inside, truth)))))
  let falseWhole = findFlaws(rasterSource(clean), transfer, { kinds: [KIND], falseFinds: 3 }).length
  if (KIND === 'stain') falseWhole += findFlaws(rasterSource(expose(light, light, { electrons: 6000, readNoise: 6, grainSize: 0, depth: 8, seed: SEED }).clean), transfer, { kinds: [KIND], falseFinds: 3 }).length
  all.shown += finds.length
  all.true += real.length
  all.found += likeness.filter((share) => share > 0.5).length
  all.missed += likeness.filter((share) => share <= 0.5).length
  all.likeness.push(...likeness)
  all.falseWhole += falseWhole
  console.log(`${name.padEnd(22)} ${real.length} of ${finds.length} finds real, ${likeness.filter((share) => share > 0.5).length} of ${truths.length} found, intersection over union ${likeness.map((share) => share.toFixed(2)).join(' ')}; ${falseWhole} in the whole print`)
}
const precision = all.true / Math.max(1, all.shown)
const recall = all.found / Math.max(1, all.found + all.missed)
const found = all.likeness.filter((share) => share > 0.5).sort((a, b) => a - b)
console.log(`together: precision ${precision.toFixed(3)}, recall ${recall.toFixed(3)}, F1 ${((2 * precision * recall) / (precision + recall)).toFixed(3)}; of those found the intersection over union is ${found[found.length >> 1]!.toFixed(3)} in the middle, ${((100 * found.filter((share) => share >= 0.8).length) / found.length).toFixed(0)} % reach 0.8; ${all.falseWhole} false in ${scenes.length} whole prints; ${(all.milliseconds / scenes.reduce((sum, { light }) => sum + (light.width * light.height) / 1e6, 0)).toFixed(0)} ms a megapixel`)

function sumOf(inside: Uint8Array, within?: Uint8Array): number {
  let sum = 0
  for (let i = 0; i < inside.length; i++) if (inside[i] && (!within || within[i])) sum++
  return sum
}
