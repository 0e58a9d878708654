import { mkdtempSync } from 'node:fs'
import { createRequire } from 'node:module'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import type cvModule from '@techstark/opencv-js'
import { readPicture } from '@fennip/codec/read.js'
import { encodePicture } from '@fennip/codec/write.js'
import { findFlaws, searchTiles } from '@fennip/core/find/find.js'
import { chooseMend } from '@fennip/core/mend/choose.js'
import { fill } from '@fennip/core/mend/fill/fill.js'
import { fitShadow } from '@fennip/core/mend/lift/fit-shadow.js'
import { heal } from '@fennip/core/mend/heal/heal.js'
import { lift } from '@fennip/core/mend/lift/lift.js'
import { lossOfShadow } from '@fennip/core/mend/lift/light-loss.js'
import { searchSources } from '@fennip/core/mend/heal/source-search.js'
import { rasterSource } from '@fennip/core/raster/raster.js'
import { makeTransfer } from '@fennip/core/raster/transfer.js'
import { layOver } from '@fennip/core/mend/patches/patch.js'
import { SEARCH_KINDS, type Flaw } from '@fennip/core/treatment/schema.js'
import { DEMO_TITLE, demoFiles, loadDemo } from '@fennip/demo/load.js'
import { openBrowser, rest } from '../../e2e/browser.js'
import { startServices } from '../../scripts/services.js'
import { buildWeb } from '../../scripts/build-web.js'
import { Threads } from '../../server/threads.js'
import { framesOfPan } from './hand.js'
import { hashFile } from '../../server/storage/storage.js'

/** Speed, each against a reference measured in the same run: `npm run bench`. Nothing else may run meanwhile. */

const line = (what: string, value: string, against = '') => console.log(`${what.padEnd(58)} ${value.padStart(12)}   ${against}`)
const milliseconds = (value: number) => (value >= 1000 ? `${(value / 1000).toFixed(2)} s` : `${value.toFixed(1)} ms`)
async function timed<T>(work: () => T | Promise<T>): Promise<{ value: T; time: number }> {
  const start = performance.now()
  const value = await work()
  return { value, time: performance.now() - start }
}
const middle = (values: number[]) => [...values].sort((a, b) => a - b)[values.length >> 1]!

await buildWeb()
const home = mkdtempSync(join(tmpdir(), 'fennip-bench-'))
const services = await startServices({ home, logLevel: 'silent' })
const job = await loadDemo(services.address, () => undefined, demoFiles().filter(({ name }) => name === 'pylon-7-west.jpg'))
const list = ((await (await fetch(`${services.address}/api/jobs/${job}`)).json()) as { list: { id: string; original: { sha256: string } }[] }).list
const { id: picture, original } = list[0]!
const file = join(home, 'storage/originals', original.sha256.slice(0, 2), original.sha256)
if ((await hashFile(file)) !== original.sha256) throw new Error('the original changed')

// Find
const decoded = await timed(() => readPicture(file, 'pylon-7-west.jpg'))
const { pixels, header } = decoded.value
const source = rasterSource(pixels)
const transfer = makeTransfer(header.profile.curve, header.depth)
const cv = createRequire(import.meta.url)('@techstark/opencv-js') as typeof cvModule
if (!cv.Mat) await new Promise<void>((resolve) => (cv.onRuntimeInitialized = () => resolve()))
const reference = await timed(() => {
  const mat = new cv.Mat(pixels.height, pixels.width, cv.CV_8UC3)
  mat.data.set(pixels.data)
  const result = new cv.Mat()
  cv.medianBlur(mat, result, 5)
  mat.delete()
  result.delete()
})
line('5 x 5 median of the library over 24 megapixels', milliseconds(reference.time), 'reference')
const single = await timed(() => findFlaws(source, transfer, { kinds: ['dust'], falseFinds: 4 }))
line('find dust over 24 megapixels, one thread', milliseconds(single.time), `${(single.time / reference.time).toFixed(2)} of the reference`)
const threads = new Threads({ storage: join(home, 'storage'), cacheFolder: join(home, 'cache') }, 2)
// Threads start and decode the picture.
await Promise.all(searchTiles(pixels.width, pixels.height).slice(0, 2).map((tile) => threads.searchTile(original.sha256, tile, { kinds: ['dust'], falseFinds: 4 })))
for (const kinds of [['dust'], ['dust', 'speck'], [...SEARCH_KINDS]] as const) {
  const search = async () => (await timed(() => threads.search({ sha256: original.sha256, width: pixels.width, height: pixels.height }, { kinds, falseFinds: 4 }, () => undefined))).time
  // What runs for the first time is still being compiled; a worker goes on from picture to picture.
  for (const [which, time] of [['first search', await search()], ['later, middle of three', middle([await search(), await search(), await search()])]] as const) {
    line(`find ${kinds.length === SEARCH_KINDS.length ? 'everything' : kinds.join(' and ')}, two threads, ${which}`, milliseconds(time), `${(time / reference.time).toFixed(2)} of the reference; target 6 s, aim 3 s`)
  }
}
await threads.stop()

// One mend
for (const r of [10, 30, 100]) {
  const disc = { type: 'disc', x: 1500, y: 900, r } as const
  const repeat = r === 100 ? 5 : 15
  const many = async (work: () => unknown) => {
    const times: number[] = []
    for (let n = 0; n < repeat; n++) times.push((await timed(work)).time)
    return middle(times)
  }
  const fit = fitShadow(source, transfer, disc, 'detector')
  line(`fit a shadow of radius ${r} px`, milliseconds(await many(() => fitShadow(source, transfer, disc, 'detector'))))
  if (fit) line(`lift it`, milliseconds(await many(() => lift(source, transfer, lossOfShadow({ ...fit.shadow, damping: 0.4 }), 1))))
  line(`search sources, radius ${r} px`, milliseconds(await many(() => searchSources(source, disc, []))))
  line(`heal, radius ${r} px`, milliseconds(await many(() => heal(source, { shape: disc, source: { dx: Math.round(2.5 * r), dy: 0 }, softEdgePx: 6, strength: 1 }))))
  const flaw: Flaw = { id: 'f', kind: 'speck', shape: disc, state: 'open', contrast: 0, weight: 0, confidence: 1, origin: 'hand' }
  line(`heal with source search and telltales, radius ${r} px`, milliseconds(await many(() => chooseMend({ picture: source, transfer, flaw, openFlaws: [], id: 'm' }))))
}

// Fill of 40 000 pixels, thin and wide
for (const [what, shape] of [
  ['fill 40 000 px along a stroke 16 px wide', { type: 'stroke', points: [[400, 2900], [2900, 3000]], width: 16 }],
  ['fill 40 000 px in one piece', { type: 'disc', x: 2500, y: 2900, r: 113 }],
] as const) {
  const filled = await timed(() => fill(source, { shape: shape.type === 'disc' ? shape : { ...shape, points: shape.points.map(([x, y]): [number, number] => [x, y]) }, softEdgePx: 2, strength: 1, seed: 1, avoid: [] }))
  line(what, milliseconds(filled.time), 'target 1 s, aim 300 ms')
}

// Export with 300 mends against decoding and encoding alone
const patches = Array.from({ length: 300 }, (_value, i) => heal(source, { shape: { type: 'disc', x: 200 + (i % 20) * 280, y: 200 + Math.floor(i / 20) * 200, r: 20 }, source: { dx: 60, dy: 0 }, softEdgePx: 6, strength: 1 }))
for (const [format, depth] of [['jpeg', 8], ['tiff', 8]] as const) {
  const alone = await timed(async () => {
    const picture = await readPicture(file, 'x')
    return encodePicture(picture.pixels, null, picture.header.metadata, { format, depth, quality: 92 })
  })
  const full = await timed(async () => {
    const picture = await readPicture(file, 'x')
    const whole = { x: 0, y: 0, width: picture.pixels.width, height: picture.pixels.height }
    for (const patch of patches) layOver(picture.pixels, whole, patch)
    return encodePicture(picture.pixels, null, picture.header.metadata, { format, depth, quality: 92 })
  })
  line(`export ${format} of 24 megapixels with 300 mends`, milliseconds(full.time), `${(full.time / alone.time).toFixed(2)} of decode and encode alone (${milliseconds(alone.time)}); target 2, aim 1.2`)
}

// In the browser
const browser = await openBrowser()
const page = await browser.newPage({ viewport: { width: 1280, height: 800 } })
const begun = performance.now()
await page.goto(`${services.address}/jobs/${job}/pictures/${picture}/mend`)
await page.waitForFunction(() => performance.getEntriesByName('fennip-painted').length > 0, undefined, { polling: 'raf' })
line('first view of a 24 megapixel picture, address to pixels', milliseconds(performance.now() - begun))
await rest(page, 1500)
await page.click('[data-test=tool-spot]')
await page.keyboard.press('z')
await rest(page, 1500)
const box = (await page.locator('[data-test=picture]').boundingBox())!
const times: number[] = []
for (let i = 0; i < 25; i++) {
  const x = box.x + 60 + ((i * 97) % (box.width - 120))
  const y = box.y + 60 + ((i * 61) % (box.height - 120))
  await page.mouse.move(x, y)
  await page.waitForTimeout(400)
  await page.evaluate(() => {
    performance.clearMarks('fennip-click')
    performance.clearMarks('fennip-painted')
  })
  await page.mouse.click(x, y)
  const time = await page
    .waitForFunction(() => {
      const [click] = performance.getEntriesByName('fennip-click')
      const painted = performance.getEntriesByName('fennip-painted').at(-1)
      return click && painted && painted.startTime > click.startTime ? painted.startTime - click.startTime : 0
    }, undefined, { timeout: 5000, polling: 'raf' })
    .then((handle) => handle.jsonValue())
    .catch(() => null)
  if (time) times.push(time)
  await page.keyboard.press('Escape')
}
times.sort((a, b) => a - b)
line(`click to mended pixels, radius 24 px, median of ${times.length}`, milliseconds(middle(times)), `95 of 100: ${milliseconds(times[Math.floor(0.95 * times.length)]!)}; target 50 ms, aim 33 ms`)

const { revision } = (await (await fetch(`${services.address}/api/pictures/${picture}`)).json()) as { revision: number }
const flaws: Flaw[] = Array.from({ length: 2000 }, (_value, i) => ({ id: `x${i}`, kind: 'dust', shape: { type: 'disc', x: 50 + (i % 50) * 118, y: 50 + Math.floor(i / 50) * 97, r: 18 }, state: 'open', contrast: -4, weight: 20, confidence: 0.9, origin: 'found' }))
await fetch(`${services.address}/api/pictures/${picture}/edits`, { method: 'POST', headers: { 'content-type': 'application/json' }, body: JSON.stringify({ revision, label: 'Many', operations: [{ type: 'put', list: 'flaws', items: flaws }] }) })
await page.reload()
await page.waitForSelector('[data-test=ledger-row]')
await rest(page, 2000)
line('pan with 2 000 marks', `${(await framesOfPan(page)).toFixed(0)} frames/s`, 'target 30, aim 40')
await browser.close()
await services.remove()
console.log(`\n${DEMO_TITLE}: pylon-7-west.jpg`)
process.exit(0)
