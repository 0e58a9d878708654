import { findFlaws } from '@fennip/core/find/find.js'
import type { Find } from '@fennip/core/find/finds.js'
import { rasterSource, type IntegerRaster } from '@fennip/core/raster/raster.js'
import { makeTransfer } from '@fennip/core/raster/transfer.js'
import type { SearchKind } from '@fennip/core/treatment/schema.js'
import { copyLight } from '@fennip/demo/damage.js'
import { sceneOf } from '../scenes.js'
import { COLLECTIONS } from './collections.js'
import { develop, drawDevelopment } from './develop.js'
import { harm, type MadeFlaw, type OpticalKind } from './optical-damage.js'

/**
 * What the finder finds of damage that it has not learned from, on photographs that it has not learned from:
 *
 *   node --import tsx bench/cross/finding.ts [kinds] [collections] [pictures a collection]
 *
 * Recall counts flaws with a contrast over 3 deviations of a pixel; precision counts every find; false finds are those on
 * the clean picture, developed alike, over what the control promises.
 */

const transfer = makeTransfer({ type: 'srgb' }, 8)
const CONTROL = 3
const LEAST_CONTRAST = 3
interface Search { readonly made: readonly OpticalKind[]; readonly count: number; readonly medium: 'frame' | 'scan'; readonly kinds: readonly SearchKind[] }
const FRAME_KINDS: readonly SearchKind[] = ['dust', 'speck']
const SCAN_KINDS: readonly SearchKind[] = ['dust', 'speck', 'mould', 'line', 'loss', 'stain']
const SEARCHES: Readonly<Record<string, Search>> = {
  'dust on a frame': { made: ['dust'], count: 14, medium: 'frame', kinds: FRAME_KINDS },
  'specks on a frame': { made: ['specks with halo'], count: 25, medium: 'frame', kinds: FRAME_KINDS },
  'specks on a scan': { made: ['specks'], count: 30, medium: 'scan', kinds: SCAN_KINDS },
  'scratches on a scan': { made: ['scratches'], count: 6, medium: 'scan', kinds: SCAN_KINDS },
  'fibres on a scan': { made: ['fibres'], count: 6, medium: 'scan', kinds: SCAN_KINDS },
  'flakes on a scan': { made: ['flakes'], count: 5, medium: 'scan', kinds: SCAN_KINDS },
}
const wanted = process.argv[2] && process.argv[2] !== 'all' ? process.argv[2].split(',') : Object.keys(SEARCHES)
const names = process.argv[3] && process.argv[3] !== 'all' ? process.argv[3].split(',') : Object.keys(COLLECTIONS)
const most = Number(process.argv[4] ?? 6)

interface Tally { flaws: number; found: number; finds: number; right: number; clean: number; promised: number; asDust: number; claims: { confidence: number; real: boolean }[] }
const empty = (): Tally => ({ flaws: 0, found: 0, finds: 0, right: 0, clean: 0, promised: 0, asDust: 0, claims: [] })

/** Mean change over the deviation of a pixel of the clean picture around, in levels. */
function contrastOf(flaw: MadeFlaw, scale: { x: number; y: number }, width: number, clean: IntegerRaster, damaged: IntegerRaster): number {
  let [change, count, noise, pairs] = [0, 0, 0, 0]
  for (const i of flaw.pixels) {
    const [x, y] = [Math.floor((i % width) * scale.x), Math.floor(Math.floor(i / width) * scale.y)]
    const at = 3 * (y * clean.width + x) + 1
    change += Math.abs(damaged.data[at]! - clean.data[at]!)
    count++
    if (x + 1 < clean.width) {
      noise += Math.abs(clean.data[at + 3]! - clean.data[at]!)
      pairs++
    }
  }
  // Mean absolute difference of two normal deviates is 2 / sqrt(pi) deviations.
  return change / Math.max(1, count) / Math.max(0.8, (noise / Math.max(1, pairs)) / 1.128)
}

console.log('search                collection    flaws recall precision  F1    clean finds/promised  off   finds by kind')
for (const name of wanted) {
  const { made, count, medium, kinds } = SEARCHES[name]!
  const all = empty()
  for (const collection of names) {
    const tally = empty()
    const byKind = new Map<string, number>()
    for (const [n, { raster }] of (await COLLECTIONS[collection]!()).slice(0, most).entries()) {
      const scene = sceneOf(raster, transfer, Infinity)
      const hurt = copyLight(scene)
      const seed = 4001 + 37 * n
      const size = Math.sqrt((scene.width * scene.height) / 300_000)
      const flaws = made.flatMap((kind) => harm(hurt, kind, Math.round(count * Math.max(0.6, size)), seed))
      const how = drawDevelopment(seed, medium === 'scan')
      const [clean, damaged] = [await develop(scene, how, seed), await develop(hurt, how, seed)]
      const options = { kinds, falseFinds: CONTROL, medium }
      const finds = findFlaws(rasterSource(damaged), transfer, options)
      const onClean = findFlaws(rasterSource(clean), transfer, options)
      const scale = { x: clean.width / scene.width, y: clean.height / scene.height }
      // What made each pixel of the developed picture, plus 1.
      const owner = new Uint16Array(clean.width * clean.height)
      flaws.forEach((flaw, k) => {
        for (const i of flaw.pixels) owner[Math.floor(Math.floor(i / scene.width) * scale.y) * clean.width + Math.floor((i % scene.width) * scale.x)] = k + 1
      })
      const hits = new Map<number, number>()
      for (const find of finds) {
        byKind.set(find.kind, (byKind.get(find.kind) ?? 0) + 1)
        const touched = touchedBy(find, owner, clean.width, clean.height)
        for (const [k, share] of touched) hits.set(k, (hits.get(k) ?? 0) + share)
        const real = touched.size > 0
        tally.finds++
        if (real) tally.right++
        tally.claims.push({ confidence: find.confidence, real })
      }
      flaws.forEach((flaw, k) => {
        if (contrastOf(flaw, scale, scene.width, clean, damaged) < LEAST_CONTRAST) return
        tally.flaws++
        // Of what is long, a good part has to be found.
        if ((hits.get(k + 1) ?? 0) >= (flaw.path ? 0.4 * flaw.path.length : 1)) tally.found++
      })
      tally.clean += onClean.length
      tally.promised += CONTROL
    }
    tell(name, collection, tally, [...byKind].map(([kind, number]) => `${kind} ${number}`).join(', '))
    for (const key of ['flaws', 'found', 'finds', 'right', 'clean', 'promised'] as const) all[key] += tally[key]
    all.claims.push(...tally.claims)
  }
  if (names.length > 1) tell(name, 'all', all, '')
}

/** Flaws under a find, by how many of their path's places or pixels it touches. */
function touchedBy({ shape }: Find, owner: Uint16Array, width: number, height: number): Map<number, number> {
  const touched = new Map<number, number>()
  const look = (x: number, y: number, r: number) => {
    const here = new Set<number>()
    for (let dy = -Math.ceil(r); dy <= r; dy++) for (let dx = -Math.ceil(r); dx <= r; dx++) {
      const [px, py] = [Math.floor(x + dx), Math.floor(y + dy)]
      if (px >= 0 && py >= 0 && px < width && py < height && dx * dx + dy * dy <= r * r + 0.5) here.add(owner[py * width + px]!)
    }
    here.delete(0)
    for (const k of here) touched.set(k, (touched.get(k) ?? 0) + 1)
  }
  if (shape.type === 'disc') look(shape.x, shape.y, Math.max(1, 0.7 * shape.r))
  else if (shape.type === 'stroke') {
    for (let k = 0; k + 1 < shape.points.length; k++) {
      const [[ax, ay], [bx, by]] = [shape.points[k]!, shape.points[k + 1]!]
      const steps = Math.max(1, Math.round(Math.hypot(bx - ax, by - ay) / 2))
      for (let s = 0; s < steps; s++) look(ax + ((bx - ax) * s) / steps, ay + ((by - ay) * s) / steps, Math.max(1, shape.width / 2))
    }
  } else {
    const [cx, cy] = [shape.points.reduce((sum, [x]) => sum + x, 0) / shape.points.length, shape.points.reduce((sum, [, y]) => sum + y, 0) / shape.points.length]
    for (const [x, y] of shape.points) for (const t of [0.2, 0.5, 0.8]) look(cx + t * (x - cx), cy + t * (y - cy), 1)
  }
  return touched
}

function tell(name: string, collection: string, { flaws, found, finds, right, clean, promised, claims }: Tally, kinds: string): void {
  const [recall, precision] = [found / Math.max(1, flaws), right / Math.max(1, finds)]
  const f1 = (2 * recall * precision) / Math.max(1e-9, recall + precision)
  // Mean distance of confidence from the truth over five bins.
  let off = 0
  for (let bin = 0; bin < 5; bin++) {
    const here = claims.filter(({ confidence }) => Math.min(4, Math.floor(5 * confidence)) === bin)
    if (here.length > 0) off += Math.abs(here.reduce((sum, { confidence, real }) => sum + confidence - (real ? 1 : 0), 0)) / claims.length
  }
  console.log(`${name.padEnd(22)}${collection.padEnd(14)}${String(flaws).padStart(5)}  ${recall.toFixed(2)}   ${precision.toFixed(2)}    ${f1.toFixed(2)}   ${clean} / ${promised.toFixed(1)}${' '.repeat(14)}${off.toFixed(2)}   ${kinds}`)
}
