import { expectedFalseFinds } from '@fennip/core/find/judging/false-finds.js'
import { findFlaws } from '@fennip/core/find/find.js'
import type { Find } from '@fennip/core/find/finds.js'
import { logLight } from '@fennip/core/raster/log-light.js'
import { clipRegion, crop, rasterSource, type IntegerRaster } from '@fennip/core/raster/raster.js'
import { DEVIATION_PER_MAD, median } from '@fennip/core/numbers/statistics.js'
import { makeTransfer, type Transfer } from '@fennip/core/raster/transfer.js'
import type { Stroke } from '@fennip/core/shape/shape.js'
import { addDust, addHairs, addScratches, addSpecks, copyLight, type TrueFlaw } from '@fennip/demo/damage.js'
import { addMould } from '@fennip/demo/print-damage.js'
import { expose, printOf } from '@fennip/demo/photograph.js'
import { LinePlaces, linesOf, shareOn } from '../learn/line-places.js'
import { openPhotographs } from '../open-photographs.js'
import { demoScenes, FRAME, PRINT, sceneOf, throughJpeg, TONINGS, type ExposedScene } from '../scenes.js'
import { calibrationError, trueWeight, type Claim } from '../truth.js'

/**
 * How well flaws are found, on seeds that nothing was fitted on: precision, recall and F1 by kind and by contrast and
 * weight; how far confidence is from the truth at two rates of flaws; and false finds on clean pictures:
 * `npx tsx bench/finding/finding.ts [seeds, as 501,601] [control]`, about a minute a seed; of one seed there are some 50 scratches.
 */

const SEEDS = (process.argv[2] ?? '501').split(',').map(Number)
const CONTROL = Number(process.argv[3] ?? 3)
interface Scene extends ExposedScene { readonly print: boolean }
const { pylon, shaft, station } = await demoScenes()
const scenes: Scene[] = [{ ...pylon, print: false }, { ...shaft, print: false }, { ...station, print: true }]
const photographs = (await openPhotographs()).map(({ name, raster }) => ({ name, light: sceneOf(raster, makeTransfer({ type: 'srgb' }, 8)) }))
for (const { name, light } of photographs) scenes.push({ name, light, exposure: FRAME, print: false })
for (const [i, { name, light }] of photographs.slice(0, TONINGS.length).entries()) scenes.push({ name: `print of ${name}`, light: printOf(light, TONINGS[i]!), exposure: PRINT, print: true })

const KINDS = ['dust', 'speck', 'mould', 'scratch', 'hair'] as const
type Kind = (typeof KINDS)[number]
interface Outcome { readonly kind: Kind; readonly contrast: number; readonly weight: number; readonly found: boolean }
const outcomes: Outcome[] = []
/** False finds count against the strength that they have themselves. */
const alarms: { kind: Kind; contrast: number; weight: number }[] = []
const believed: (Claim & { readonly rate: string })[] = []

/** Deviation of a pixel of log light around a place. */
function noiseAt(clean: IntegerRaster, transfer: Transfer, x: number, y: number): number {
  const region = clipRegion({ x: Math.floor(x) - 24, y: Math.floor(y) - 24, width: 48, height: 48 }, clean.width, clean.height)
  const light = logLight(crop(clean, region), transfer)
  const differences: number[] = []
  for (let i = 1; i < light.data.length; i++) if (i % region.width !== 0) differences.push(Math.abs(light.data[i]! - light.data[i - 1]!))
  return Math.max(1e-4, (DEVIATION_PER_MAD * median(Float32Array.from(differences))) / Math.sqrt(2))
}

/** What damage changed at a place, in log light; null outside the picture. */
function changeAt([x, y]: readonly [number, number], clean: IntegerRaster, damaged: IntegerRaster, transfer: Transfer): number | null {
  const pixel = { x: Math.floor(x), y: Math.floor(y), width: 1, height: 1 }
  if (pixel.x < 0 || pixel.y < 0 || pixel.x >= clean.width || pixel.y >= clean.height) return null
  return logLight(crop(damaged, pixel), transfer).data[0]! - logLight(crop(clean, pixel), transfer).data[0]!
}

/** Mean difference that a flaw makes, over the deviation of a pixel. */
function trueContrast(flaw: TrueFlaw, clean: IntegerRaster, damaged: IntegerRaster, transfer: Transfer): number {
  const places = flaw.path ?? Array.from({ length: 40 }, (_value, k) => [flaw.x + 0.6 * flaw.r * Math.cos(k) * Math.sqrt(k / 40), flaw.y + 0.6 * flaw.r * Math.sin(k) * Math.sqrt(k / 40)] as const)
  const changes = places.flatMap((place) => changeAt(place, clean, damaged, transfer) ?? [])
  return Math.abs(changes.reduce((sum, change) => sum + change, 0) / Math.max(1, changes.length)) / noiseAt(clean, transfer, flaw.x, flaw.y)
}

/** Of what a line changes on the whole, the share that makes a place of it one to be found. */
const SEEN = 1 / 3

/**
 * The places of a line that are damaged: where it changed the picture by more than one deviation of a pixel, and by a third of
 * what it does on the whole. Over what is as bright as a scratch nothing is to be seen, and nothing to be found.
 */
function damagedPlaces(flaw: TrueFlaw, clean: IntegerRaster, damaged: IntegerRaster, transfer: Transfer): (readonly [number, number])[] {
  const changes = flaw.path!.map((place) => Math.abs(changeAt(place, clean, damaged, transfer) ?? 0))
  const mean = changes.reduce((sum, change) => sum + change, 0) / changes.length
  const least = Math.max(noiseAt(clean, transfer, flaw.x, flaw.y), SEEN * mean)
  return flaw.path!.filter((_place, k) => changes[k]! > least)
}

/** What may be a wire of the picture is a question, asked once for all that are alike, and no find. */
const kindOf = ({ kind }: Find): Kind | null => (kind === 'wire' ? null : kind === 'fold' ? 'scratch' : (kind as Kind))

for (const [base, rate, share] of SEEDS.flatMap((seed) => [[seed, 'many', 1], [seed, 'few', 0.2]] as const)) {
  for (const [i, { name, light, exposure, print: isPrint }] of scenes.entries()) {
    const seed = base + 10 * i + (rate === 'few' ? 5 : 0)
    const size = (light.width * light.height) / 6e6
    const count = (full: number) => Math.max(1, Math.round(full * share * Math.max(0.12, size)))
    const hurt = copyLight(light)
    const flaws: TrueFlaw[] = [
      ...(isPrint ? addMould(hurt, { colonies: count(12), spots: 10, radius: [1.5, 8], depth: [0.12, 1.4], seed: seed + 4 }) : []),
      ...addDust(hurt, { count: count(isPrint ? 6 : 50), radius: [5, 24], depth: [0.02, 0.42], seed }),
      ...addSpecks(hurt, { count: count(140), radius: [1.2, 7], seed: seed + 1 }),
      ...(isPrint || name.endsWith('g') ? [
        ...addScratches(hurt, { count: count(14), seed: seed + 2 }),
        ...addHairs(hurt, { count: count(8), width: [1, 3.5], depth: [0.08, 0.8], tone: 'both', seed: seed + 3 }),
      ] : []),
    ]
    const { clean, damaged } = expose(light, hurt, { ...exposure, seed })
    const transfer = makeTransfer({ type: 'srgb' }, exposure.depth)
    const finds = findFlaws(rasterSource(damaged), transfer, { kinds: ['dust', 'speck', ...(isPrint ? ['mould' as const] : []), ...(flaws.some(({ path }) => path) ? ['line' as const] : [])], falseFinds: CONTROL })
    const lines = linesOf(flaws)
    const truthLines = new LinePlaces(lines.map(({ path }) => path!), 6)
    const foundLines = new LinePlaces(finds.flatMap(({ shape }) => (shape.type === 'stroke' ? [shape.points] : [])), 6)
    const discs = flaws.filter(({ path }) => !path)
    const touches = (find: Find, flaw: TrueFlaw) => find.shape.type === 'disc' && Math.hypot(find.shape.x - flaw.x, find.shape.y - flaw.y) < Math.max(2, 0.8 * flaw.r)
    for (const flaw of discs) {
      outcomes.push({ kind: flaw.kind as Kind, contrast: trueContrast(flaw, clean, damaged, transfer), weight: trueWeight(flaw, clean, damaged, transfer), found: finds.some((find) => touches(find, flaw)) })
    }
    for (const flaw of lines) {
      const contrast = trueContrast(flaw, clean, damaged, transfer)
      outcomes.push({ kind: flaw.kind as Kind, contrast, weight: contrast * Math.sqrt(flaw.path!.length / 2), found: shareOn(damagedPlaces(flaw, clean, damaged, transfer), foundLines) > 0.5 })
    }
    for (const find of finds) {
      const real = find.shape.type === 'disc'
        ? discs.some((flaw) => touches(find, flaw)) || truthLines.near(find.shape.x, find.shape.y) >= 0
        : shareOn((find.shape as Stroke).points, truthLines) > 0.5
      believed.push({ rate, confidence: find.confidence, real })
      const kind = kindOf(find)
      if (!real && kind) alarms.push({ kind, contrast: Math.abs(find.contrast), weight: find.weight })
    }
  }
}

console.log('kind      contrast weight   flaws  recall  precision  F1')
for (const kind of KINDS) {
  for (const [least, heavy] of [[0, 0], [1, 10], [3, 10], [3, 30]] as const) {
    const among = outcomes.filter((flaw) => flaw.kind === kind && flaw.contrast > least && flaw.weight > heavy)
    const found = among.filter((flaw) => flaw.found).length
    const wrong = alarms.filter((find) => find.kind === kind && find.contrast > least && find.weight > heavy).length
    const recall = found / Math.max(1, among.length)
    const precision = found / Math.max(1, found + wrong)
    console.log(`${kind.padEnd(9)} > ${String(least).padEnd(6)} > ${String(heavy).padEnd(5)} ${String(among.length).padStart(6)}  ${recall.toFixed(3).padStart(6)}  ${precision.toFixed(3).padStart(9)}  ${((2 * recall * precision) / Math.max(1e-9, recall + precision)).toFixed(3)}`)
  }
}
for (const rate of ['many', 'few']) {
  const list = believed.filter((find) => find.rate === rate)
  console.log(`${rate} flaws: ${list.length} finds, expected calibration error ${calibrationError(list).toFixed(3)}`)
}

for (const stored of ['as they are', 'out of a camera, JPEG of quality 92'] as const) {
  console.log(`clean pictures ${stored}, control ${CONTROL} a 24 megapixels:`)
  let all = 0
  let told = 0
  let megapixels = 0
  for (const { name, light, exposure, print } of scenes) {
    const { clean } = expose(light, light, { ...exposure, seed: SEEDS[0]! + 99 })
    if (stored !== 'as they are' && exposure.depth !== 8) continue
    const picture = stored === 'as they are' ? clean : await throughJpeg(clean)
    const found = findFlaws(rasterSource(picture), makeTransfer({ type: 'srgb' }, exposure.depth), { kinds: ['dust', 'speck', ...(print ? ['mould' as const] : []), 'line'], falseFinds: CONTROL })
    const finds = found.filter((find) => kindOf(find))
    const expected = expectedFalseFinds(CONTROL)
    all += finds.length
    told += expected.mean
    megapixels += (light.width * light.height) / 1e6
    console.log(`  ${name.padEnd(22)} ${finds.length} (${KINDS.map((kind) => `${finds.filter((find) => kindOf(find) === kind).length} ${kind}`).join(', ')}), ${found.length - finds.length} that may be wires; promised ${expected.mean.toFixed(2)}, at most ${expected.most}${finds.length > expected.most ? ': MORE' : ''}`)
  }
  console.log(`  together ${all} where ${told.toFixed(1)} are promised; ${((24 * all) / megapixels).toFixed(1)} a 24 megapixels over ${megapixels.toFixed(1)} megapixels`)
}
