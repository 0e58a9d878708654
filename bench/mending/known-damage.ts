import cv from '@techstark/opencv-js'
import { FILL, KNOWN } from '@fennip/core/mend/fill/fill-problem.js'
import { fillToneWaves } from '@fennip/core/mend/fill/fill-tone-waves.js'
import { crop, makeRaster, type IntegerRaster } from '@fennip/core/raster/raster.js'
import { makeTransfer } from '@fennip/core/raster/transfer.js'
import { addBackscatter, addDust, addScratches, addSpecks, copyLight } from '@fennip/demo/damage.js'
import { addFolds, addTears } from '@fennip/demo/print-damage.js'
import { expose, type Light } from '@fennip/demo/photograph.js'
import { furtherPhotographs, openPhotographs } from '../open-photographs.js'
import { inpainted, mendedByMask } from './inpaint.js'
import { measureMask, poolMasks, type MaskResult } from '../measure.js'
import { demoScenes, maskOf, openCv, sceneOf } from '../scenes.js'

/**
 * Known damage of every kind on open photographs and pieces of the demo's pictures, mask given, against the truth and against the two inpainting functions
 * of @techstark/opencv-js in the same run: `npx tsx bench/mending/known-damage.ts [kinds]`.
 */

const transfer = makeTransfer({ type: 'srgb' }, 8)
const SEED = 41
const KINDS: Record<string, (light: Light) => void> = {
  'opaque dust': (light) => void addDust(light, { count: 12, radius: [5, 11], depth: [0.9, 0.95], seed: SEED }),
  specks: (light) => void addSpecks(light, { count: 40, radius: [1.5, 6], seed: SEED }),
  'specks with halo': (light) => void addBackscatter(light, { count: 25, radius: [1.6, 6], seed: SEED }),
  scratches: (light) => void addScratches(light, { count: 8, seed: SEED }),
  folds: (light) => addFolds(light, { count: 3, width: 5, seed: SEED }),
  tears: (light) => addTears(light, { count: 2, width: 16, seed: SEED }),
}
const wanted = process.argv[2]?.split(',') ?? Object.keys(KINDS)
await openCv()

/** What a fill does for a mask, as the inpainting functions are asked: no choice, no check, no steps to keep. */
function filled(damaged: IntegerRaster, mask: Uint8Array): { picture: IntegerRaster; milliseconds: number } {
  const { width, height, channels, data } = damaged
  const picture = makeRaster(width, height, channels, 8)
  const planes = Array.from({ length: channels }, () => new Float32Array(width * height))
  planes.forEach((plane, c) => {
    for (let i = 0; i < plane.length; i++) plane[i] = data[i * channels + c]! / 255
  })
  const role = mask.map((value) => (value ? FILL : KNOWN))
  const start = performance.now()
  fillToneWaves({ width, height, channels: planes, role }, SEED)
  const milliseconds = performance.now() - start
  planes.forEach((plane, c) => {
    for (let i = 0; i < plane.length; i++) picture.data[i * channels + c] = Math.round(255 * plane[i]!)
  })
  return { picture, milliseconds }
}

/** A piece of a picture from its middle, as large as the open photographs are. */
function middleOf(raster: IntegerRaster): IntegerRaster {
  const [width, height] = [Math.min(512, raster.width), Math.min(512, raster.height)]
  return crop(raster, { x: (raster.width - width) >> 1, y: (raster.height - height) >> 1, width, height })
}

/** Mending has learned from none of them. */
async function pictures(): Promise<IntegerRaster[]> {
  const { pylon, shaft, station } = await demoScenes()
  const demo = [pylon, shaft, station].map(({ light }) => middleOf(expose(light, light, { electrons: 14000, readNoise: 6, grainSize: 0, depth: 8, seed: SEED }).clean))
  const further = (await furtherPhotographs()).slice(0, 3).map(({ raster }) => middleOf(raster))
  return [...(await openPhotographs()).map(({ raster }) => raster), ...further, ...demo]
}

const table = new Map<string, { results: MaskResult[]; milliseconds: number }>()
for (const raster of await pictures()) {
  const scene = sceneOf(raster, transfer)
  for (const kind of wanted) {
    const hurt = copyLight(scene)
    KINDS[kind]!(hurt)
    const { clean, damaged } = expose(scene, hurt, { electrons: 14000, readNoise: 6, grainSize: 0, depth: 8, seed: SEED })
    const mask = maskOf(scene, hurt, clean, damaged)
    if (table.size === 0) {
      // What is compiled at the first call is not part of the time of any.
      inpainted(damaged, mask, cv.INPAINT_TELEA)
      inpainted(damaged, mask, cv.INPAINT_NS)
      filled(damaged, mask)
    }
    const made = {
      'inpaint telea': inpainted(damaged, mask, cv.INPAINT_TELEA),
      'inpaint ns': inpainted(damaged, mask, cv.INPAINT_NS),
      'fill of the mask': filled(damaged, mask),
      'Fennip chooses': mendedByMask(damaged, mask),
      'Fennip fill': mendedByMask(damaged, mask, 'fill'),
      'Fennip heal': mendedByMask(damaged, mask, 'heal'),
    }
    for (const [method, { picture, milliseconds }] of Object.entries(made)) {
      const key = `${kind.padEnd(18)}${method}`
      const row = table.get(key) ?? { results: [], milliseconds: 0 }
      row.results.push(measureMask(mask, clean, picture))
      row.milliseconds += milliseconds
      table.set(key, row)
    }
  }
}
console.log('damage            method            psnr raw   psnr   ssim   grain   us a pixel')
for (const [key, { results, milliseconds }] of table) {
  const { psnrRaw, psnr, ssim, grain } = poolMasks(results)
  const pixels = results.reduce((sum, result) => sum + result.pixels, 0)
  console.log(`${key.padEnd(36)} ${psnrRaw.toFixed(1).padStart(6)} ${psnr.toFixed(1).padStart(7)}  ${ssim.toFixed(4)} ${grain.toFixed(2).padStart(5)}   ${((1000 * milliseconds) / pixels).toFixed(1).padStart(6)}`)
}
