import { crop, type IntegerRaster } from '@fennip/core/raster/raster.js'
import { makeTransfer } from '@fennip/core/raster/transfer.js'
import { addBackscatter, addDust, addScratches, addSpecks, copyLight } from '@fennip/demo/damage.js'
import { addTears } from '@fennip/demo/print-damage.js'
import type { Light } from '@fennip/demo/photograph.js'
import cv from '@techstark/opencv-js'
import { inpainted, mendedByMask } from '../mending/inpaint.js'
import { measureMask, poolMasks, type MaskResult } from '../measure.js'
import { openCv, sceneOf } from '../scenes.js'
import { COLLECTIONS } from './collections.js'
import { develop, drawDevelopment } from './develop.js'
import { harm, type OpticalKind } from './optical-damage.js'
import { plainLift } from './plain-lift.js'

/**
 * Mends told the mask, on collections and makers of damage that are kept apart:
 *
 *   node --import tsx bench/cross/mending.ts [kinds] [collections] [pictures a collection]
 *
 * Compared with leaving it, with the inpainting of the computer-vision library, and for dust with a plain lift of five
 * parameters, on the same mask in the same run.
 */

const transfer = makeTransfer({ type: 'srgb' }, 8)
type Maker = (light: Light, seed: number) => void
/** Makers by kind: the project's own, and the optical one. */
const MAKERS: Record<string, Record<string, Maker>> = {
  dust: { own: (light, seed) => void addDust(light, { count: 8, radius: [3, 18], depth: [0.05, 0.7], seed }), optical: optical('dust', 8) },
  specks: { own: (light, seed) => void addSpecks(light, { count: 25, radius: [1.5, 6], seed }), optical: optical('specks', 25) },
  'specks with halo': { own: (light, seed) => void addBackscatter(light, { count: 14, radius: [1.6, 6], seed }), optical: optical('specks with halo', 14) },
  scratches: { own: (light, seed) => void addScratches(light, { count: 6, seed }), optical: optical('scratches', 6) },
  fibres: { optical: optical('fibres', 6) },
  drops: { optical: optical('drops', 4) },
  'flakes and tears': { own: (light, seed) => addTears(light, { count: 2, width: 14, seed }), optical: optical('flakes', 5) },
}
function optical(kind: OpticalKind, count: number): Maker {
  return (light, seed) => void harm(light, kind, count, seed)
}

const kinds = process.argv[2] && process.argv[2] !== 'all' ? process.argv[2].split(',') : Object.keys(MAKERS)
const names = process.argv[3] && process.argv[3] !== 'all' ? process.argv[3].split(',') : Object.keys(COLLECTIONS)
const most = Number(process.argv[4] ?? 6)
await openCv()

/** Pixels that the harm changed by more than two levels of 255 after smoothing, grown by one. */
function maskOf(clean: IntegerRaster, damaged: IntegerRaster, scene: Light, hurt: Light): Uint8Array {
  const { width, height } = clean
  const [sx, sy] = [scene.width / width, scene.height / height]
  const changed = new Uint8Array(width * height)
  for (let y = 0; y < height; y++) for (let x = 0; x < width; x++) {
    const from = Math.min(scene.height - 1, Math.floor((y + 0.5) * sy)) * scene.width + Math.min(scene.width - 1, Math.floor((x + 0.5) * sx))
    const i = y * width + x
    const isHarmed = scene.channels.some((plane, c) => Math.abs(plane.data[from]! - hurt.channels[c]!.data[from]!) > Math.max(0.002, 0.025 * plane.data[from]!))
    if (isHarmed && [0, 1, 2].some((c) => Math.abs(clean.data[3 * i + c]! - damaged.data[3 * i + c]!) > 2)) changed[i] = 1
  }
  return changed.map((value, i) => {
    const x = i % width
    return value || (x > 0 && changed[i - 1]) || (x + 1 < width && changed[i + 1]) || changed[i - width] || changed[i + width] ? 1 : 0
  })
}

const SEED = 977
console.log('damage            maker    collection    method          psnr   ssim   grain   worse than left')
for (const kind of kinds) {
  for (const [maker, make] of Object.entries(MAKERS[kind]!)) {
    const all = new Map<string, MaskResult[]>()
    for (const name of names) {
      const rows = new Map<string, MaskResult[]>()
      const methods = new Map<string, number>()
      const photographs = (await COLLECTIONS[name]!()).slice(0, most)
      for (const [n, { raster }] of photographs.entries()) {
        const piece = crop(raster, middle(raster))
        const scene = sceneOf(piece, transfer, Infinity)
        const hurt = copyLight(scene)
        const seed = SEED + 31 * n
        make(hurt, seed)
        const how = drawDevelopment(seed, kind === 'scratches' || kind === 'flakes and tears')
        const [clean, damaged] = [await develop(scene, how, seed), await develop(hurt, how, seed)]
        const mask = maskOf(clean, damaged, scene, hurt)
        if (!mask.includes(1)) continue
        const { picture, steps } = mendedByMask(damaged, mask)
        for (const { method } of steps) methods.set(method, (methods.get(method) ?? 0) + 1)
        const made: Record<string, IntegerRaster> = { left: damaged, inpaint: inpainted(damaged, mask, cv.INPAINT_TELEA).picture, Fennip: picture }
        if (kind === 'dust') made['plain lift'] = plainLift(damaged, mask)
        for (const [method, result] of Object.entries(made)) {
          const measured = measureMask(mask, clean, result)
          for (const table of [rows, all]) table.set(method, [...(table.get(method) ?? []), measured])
        }
      }
      for (const [method, results] of rows) tell(kind, maker, name, method, results, rows.get('left')!, method === 'Fennip' ? [...methods].map(([word, count]) => `${word} ${count}`).join(', ') : '')
    }
    if (names.length > 1) for (const [method, results] of all) tell(kind, maker, 'all', method, results, all.get('left')!, '')
  }
}

function tell(kind: string, maker: string, collection: string, method: string, results: readonly MaskResult[], left: readonly MaskResult[], more: string): void {
  const { psnr, ssim, grain } = poolMasks(results)
  const worse = results.filter((result, i) => result.squareError > left[i]!.squareError).length
  console.log(`${kind.padEnd(18)}${maker.padEnd(9)}${collection.padEnd(14)}${method.padEnd(13)} ${psnr.toFixed(1).padStart(6)}  ${ssim.toFixed(3)}  ${grain.toFixed(2).padStart(5)}   ${method === 'left' ? '' : `${worse} of ${results.length}`}   ${more}`)
}

/** At most 560 pixels a side, from the middle. */
function middle({ width, height }: IntegerRaster): { x: number; y: number; width: number; height: number } {
  const [w, h] = [Math.min(560, width), Math.min(560, height)]
  return { x: (width - w) >> 1, y: (height - h) >> 1, width: w, height: h }
}
