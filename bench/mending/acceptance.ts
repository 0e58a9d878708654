import { mendableRaster } from '@fennip/core/mend/patches/patch.js'
import cv from '@techstark/opencv-js'
import sharp from 'sharp'
import { findFlaws, DEFAULT_FALSE_FINDS } from '@fennip/core/find/find.js'
import { mendAll } from '@fennip/core/mend/picture/mend-all.js'
import type { Flaw, Step } from '@fennip/core/treatment/schema.js'
import { clipRegion, crop, paste, rasterSource, type IntegerRaster } from '@fennip/core/raster/raster.js'
import { shapeCentre } from '@fennip/core/shape/shape.js'
import { makeTransfer } from '@fennip/core/raster/transfer.js'
import { addDust, copyLight, type TrueFlaw } from '@fennip/demo/damage.js'
import { dustyPylon, pylonLight } from '@fennip/demo/pictures.js'
import { expose, type Light } from '@fennip/demo/photograph.js'
import { openPhotographs } from '../open-photographs.js'
import { measureFlaw, pool, type FlawResult } from '../measure.js'
import { trueWeight } from '../truth.js'

/**
 * How well Fennip finds and mends dust, against the truth and against the two inpainting functions of
 * @techstark/opencv-js told the exact mask: `npx tsx bench/mending/acceptance.ts [seeds] [seed on photographs] [least and greatest depth there]`; no
 * seeds are `none`.
 */

const seeds = process.argv[2] === 'none' ? [] : (process.argv[2] ?? '7,201,202,203,204,205').split(',').map(Number)
const photographSeed = Number(process.argv[3] ?? 31)
const [shallowest, deepest] = (process.argv[4] ?? '0.12,0.5').split(',').map(Number) as [number, number]
const transfer = makeTransfer({ type: 'srgb' }, 8)
await new Promise<void>((resolve) => {
  if (cv.Mat) resolve()
  else cv.onRuntimeInitialized = () => resolve()
})

interface Row { readonly name: string; readonly results: FlawResult[]; milliseconds: number }

function report(title: string, rows: readonly Row[]): void {
  console.log(`\n${title}`)
  console.log('method            flaws  error median / 95 %   psnr   gain   ssim    grain  in band   ms a flaw')
  for (const { name, results, milliseconds } of rows) {
    if (results.length === 0) continue
    const p = pool(results)
    console.log(
      `${name.padEnd(17)} ${String(p.flaws).padStart(5)}  ${p.medianError.toFixed(2).padStart(8)} / ${p.worstError.toFixed(2).padEnd(6)} ${p.psnr.toFixed(1).padStart(8)} ${p.gain.toFixed(1).padStart(6)}  ${p.ssim.toFixed(4)}  ${p.grainMedian.toFixed(2)}   ${(100 * p.grainInBand).toFixed(0).padStart(3)} %   ${(milliseconds / results.length).toFixed(0).padStart(6)}`,
    )
  }
}

/** One of the library's inpainting functions over each flaw, told the pixels that the damage changed. */
function inpaint(damaged: IntegerRaster, clean: IntegerRaster, flaws: readonly TrueFlaw[], method: number): { picture: IntegerRaster; milliseconds: number } {
  const picture = { ...damaged, data: damaged.data.slice() }
  let milliseconds = 0
  for (const flaw of flaws) {
    const reach = Math.ceil(2.4 * flaw.r + 12)
    const region = clipRegion({ x: Math.floor(flaw.x) - reach, y: Math.floor(flaw.y) - reach, width: 2 * reach, height: 2 * reach }, damaged.width, damaged.height)
    const piece = crop(damaged, region)
    const truth = crop(clean, region)
    const source = new cv.Mat(region.height, region.width, cv.CV_8UC3)
    source.data.set(piece.data)
    const mask = cv.Mat.zeros(region.height, region.width, cv.CV_8UC1)
    for (let i = 0; i < region.width * region.height; i++) {
      const d = Math.hypot(region.x + (i % region.width) + 0.5 - flaw.x, region.y + Math.floor(i / region.width) + 0.5 - flaw.y)
      const differs = [0, 1, 2].some((c) => Math.abs(piece.data[3 * i + c]! - truth.data[3 * i + c]!) > 2)
      if (differs && d < 1.8 * flaw.r) mask.data[i] = 255
    }
    const result = new cv.Mat()
    const start = performance.now()
    cv.inpaint(source, mask, result, 4, method)
    milliseconds += performance.now() - start
    paste(picture, { ...piece, data: Uint8Array.from(result.data) }, region.x, region.y)
    for (const mat of [source, mask, result]) mat.delete()
  }
  return { picture, milliseconds }
}

function mendAndMeasure(title: string, damaged: IntegerRaster, clean: IntegerRaster, truths: readonly TrueFlaw[], found: readonly Flaw[]): Row[] {
  const pairs = truths.map((truth) => ({ truth, flaw: nearest(truth, found) })).filter((pair): pair is { truth: TrueFlaw; flaw: Flaw } => pair.flaw !== null)
  const mended = { ...damaged, data: damaged.data.slice() }
  const start = performance.now()
  const steps = mendAll(mendableRaster(mended), transfer, found, { id: (flaw) => `m-${flaw.id}` })
  const milliseconds = performance.now() - start
  const measured = (picture: IntegerRaster, chosen = pairs) => chosen.map(({ truth }) => measureFlaw(truth, clean, damaged, picture)).filter((result): result is FlawResult => result !== null)
  const by = (method: string) => pairs.filter(({ flaw }) => steps.find((step) => step.flaw === flaw.id)?.method === method)
  const rows: Row[] = [
    { name: 'Fennip', results: measured(mended), milliseconds },
    { name: '  of these lift', results: measured(mended, by('lift')), milliseconds: 0 },
    { name: '  of these heal', results: measured(mended, by('heal')), milliseconds: 0 },
  ]
  for (const [name, method] of [['inpaint telea', cv.INPAINT_TELEA], ['inpaint ns', cv.INPAINT_NS]] as const) {
    const { picture, milliseconds: time } = inpaint(damaged, clean, pairs.map(({ truth }) => truth), method)
    rows.push({ name, results: measured(picture), milliseconds: time })
  }
  report(title, rows)
  console.log(`pixels changed outside all mends: ${changedOutside(damaged, mended, steps)}`)
  return rows
}

function changedOutside(before: IntegerRaster, after: IntegerRaster, steps: readonly Step[]): number {
  const covered = new Uint8Array(before.width * before.height)
  for (const step of steps) {
    const { x, y, r: size } = shapeCentre(step.shape)
    const r = step.shadow ? step.shadow.radius * 1.7 * (1 + step.shadow.wobble.reduce((sum, part) => sum + Math.abs(part), 0)) + 1 : size + step.softEdgePx / 2 + 1
    for (let py = Math.max(0, Math.floor(y - r)); py <= Math.min(before.height - 1, y + r); py++) {
      for (let px = Math.max(0, Math.floor(x - r)); px <= Math.min(before.width - 1, x + r); px++) covered[py * before.width + px] = 1
    }
  }
  let changed = 0
  for (let i = 0; i < covered.length; i++) {
    if (covered[i]) continue
    for (let c = 0; c < before.channels; c++) if (before.data[i * before.channels + c] !== after.data[i * before.channels + c]) changed++
  }
  return changed
}

function nearest(truth: TrueFlaw, found: readonly Flaw[]): Flaw | null {
  const near = found.filter(({ shape }) => shape.type === 'disc' && Math.hypot(shape.x - truth.x, shape.y - truth.y) < Math.max(3, 0.8 * truth.r))
  return near[0] ?? null
}

const asFlaws = (finds: ReturnType<typeof findFlaws>): Flaw[] => finds.map((find, i) => ({ id: `f${i}`, ...find, state: 'open', origin: 'found' }))

/** As a camera would have written it. */
async function throughJpeg(raster: IntegerRaster): Promise<IntegerRaster> {
  const { width, height, channels } = raster
  const bytes = await sharp(raster.data, { raw: { width, height, channels: channels as 3 } }).jpeg({ quality: 96, chromaSubsampling: '4:4:4' }).toBuffer()
  return { ...raster, data: new Uint8Array(await sharp(bytes).raw().toBuffer()) }
}

const light = await pylonLight()
const bands = [0, 5, 7, 10, 20, 50, Infinity]
const recall = bands.slice(1).map(() => ({ found: 0, all: 0 }))
const pooled = new Map<string, Row>()
for (const seed of seeds) {
  const { clean, damaged: raw, flaws } = dustyPylon(light, seed)
  const damaged = await throughJpeg(raw)
  const start = performance.now()
  const found = asFlaws(findFlaws(rasterSource(damaged), transfer, { kinds: ['dust'], falseFinds: DEFAULT_FALSE_FINDS }))
  const milliseconds = performance.now() - start
  const matched = new Set<Flaw>()
  for (const truth of flaws) {
    const weight = trueWeight(truth, clean, damaged, transfer)
    const hit = nearest(truth, found)
    if (hit) matched.add(hit)
    const band = recall[bands.findIndex((low, i) => weight >= low && weight < bands[i + 1]!)]!
    band.all++
    if (hit) band.found++
  }
  const heavy = flaws.filter((truth) => trueWeight(truth, clean, damaged, transfer) >= 10)
  console.log(`seed ${seed}: ${heavy.filter((truth) => nearest(truth, found)).length} of ${heavy.length} of weight 10 or more found, ${found.length - matched.size} false, ${(milliseconds / 1000).toFixed(1)} s on one thread`)
  for (const row of mendAndMeasure(`pylon, seed ${seed}`, damaged, clean, flaws, found)) {
    const sum = pooled.get(row.name) ?? { name: row.name, results: [], milliseconds: 0 }
    sum.results.push(...row.results)
    sum.milliseconds += row.milliseconds
    pooled.set(row.name, sum)
  }
}
console.log('\nrecall by weight')
recall.forEach(({ found, all }, i) => console.log(`  ${bands[i]} to ${bands[i + 1]}: ${found} of ${all}${all > 0 ? ` (${Math.round((100 * found) / all)} %)` : ''}`))
if (seeds.length > 0) report('all seeds together', [...pooled.values()])

// The same on open photographs, with dust put on in linear light before new photon noise is drawn.
for (const { name, raster } of await openPhotographs()) {
  const scene: Light = {
    width: raster.width,
    height: raster.height,
    channels: [0, 1, 2].map((c) => ({ width: raster.width, height: raster.height, data: Float32Array.from({ length: raster.width * raster.height }, (_value, i) => transfer.light[raster.data[i * 3 + c]!]!) })),
  }
  const damage = copyLight(scene)
  const flaws = addDust(damage, { count: 14, radius: [7, 22], depth: [shallowest, deepest], seed: photographSeed })
  const { clean, damaged } = expose(scene, damage, { electrons: 14000, readNoise: 6, grainSize: 0, depth: 8, seed: photographSeed })
  const given: Flaw[] = flaws.map(({ x, y, r }, i) => ({ id: `f${i}`, kind: 'dust', shape: { type: 'disc', x, y, r }, state: 'open', contrast: -5, weight: 30, confidence: 1, origin: 'found' }))
  mendAndMeasure(`open photograph ${name}, places given`, damaged, clean, flaws, given)
}
