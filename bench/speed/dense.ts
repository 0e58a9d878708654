import { join } from 'node:path'
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { searchTiles } from '@fennip/core/find/find.js'
import { flawsOfFinds } from '@fennip/core/find/found-flaws.js'
import { severity } from '@fennip/core/check/telltales.js'
import { emptyTreatment } from '@fennip/core/treatment/edit.js'
import { encodePicture } from '@fennip/codec/write.js'
import { addSpecks, copyLight } from '@fennip/demo/damage.js'
import { expose } from '@fennip/demo/photograph.js'
import { pylonLight } from '@fennip/demo/pictures.js'
import { folderStorage } from '../../server/storage/folder.js'
import { keepOriginal } from '../../server/storage/storage.js'
import { Threads } from '../../server/threads.js'

/** A dense frame: 5 000 specks in 24 megapixels, found and mended unattended: `npx tsx bench/speed/dense.ts [specks] [seed]`. */

const COUNT = Number(process.argv[2] ?? 5000)
const SEED = Number(process.argv[3] ?? 77)
const home = mkdtempSync(join(tmpdir(), 'fennip-dense-'))
const storage = folderStorage(join(home, 'storage'))
await storage.prepare()
const light = await pylonLight()
const hurt = copyLight(light)
const flaws = addSpecks(hurt, { count: COUNT, radius: [1.5, 9], seed: SEED })
const { damaged } = expose(light, hurt, { electrons: 14000, readNoise: 6, grainSize: 0, depth: 8, seed: SEED })
const file = join(home, 'dense.png')
writeFileSync(file, await encodePicture(damaged, null, { icc: null, exif: null, resolutionPerInch: null }, { format: 'png', depth: 8, quality: 90 }))
const sha256 = await keepOriginal(storage, file)
const threads = new Threads({ storage: join(home, 'storage'), cacheFolder: join(home, 'cache') }, 2)
const options = { kinds: ['speck'], falseFinds: 5 } as const
// Threads start and decode the picture: a worker has that behind it.
await Promise.all(searchTiles(damaged.width, damaged.height).slice(0, 2).map((tile) => threads.searchTile(sha256, tile, options)))
const started = performance.now()
const finds = await threads.search({ sha256, width: damaged.width, height: damaged.height }, options, () => undefined)
const searched = performance.now()
const near = (x: number, y: number, r: number) => flaws.some((flaw) => Math.hypot(flaw.x - x, flaw.y - y) < Math.max(2, 0.8 * Math.max(r, flaw.r)))
const right = finds.filter(({ shape }) => shape.type === 'disc' && near(shape.x, shape.y, shape.r)).length
console.log(`${finds.length} found of ${COUNT} specks, ${finds.length - right} of them none; ${((searched - started) / 1000).toFixed(1)} s`)
const treatment = { ...emptyTreatment({ sha256, width: damaged.width, height: damaged.height, channels: 3, depth: 8 }), flaws: flawsOfFinds(finds, (n) => `f${n}`) }
const steps = await threads.mendOpenFlaws(treatment, null, () => true)
const mended = performance.now()
console.log(`${steps.length} mended in ${((mended - searched) / 1000).toFixed(1)} s; found and mended in ${((mended - started) / 1000).toFixed(1)} s; target 60 s`)
console.log(`source tainted: ${steps.filter(({ telltales }) => severity('taintedSource', telltales?.taintedSource) > 1).length} of ${steps.length}`)
const truly = steps.filter((step) => step.source && step.shape.type === 'disc' && flaws.some((flaw) => Math.hypot(flaw.x - (step.shape as { x: number }).x - step.source!.dx, flaw.y - (step.shape as { y: number }).y - step.source!.dy) < (step.shape as { r: number }).r + 0.7 * flaw.r)).length
console.log(`by the truth ${truly} take from a speck, found or not`)
await threads.stop()
rmSync(home, { recursive: true, force: true })
