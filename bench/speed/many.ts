import { mkdtempSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import sharp from 'sharp'
import type { Page } from 'playwright-core'
import type { Flaw, OperationStep } from '../../core/treatment/schema.js'
import { makeRandom } from '../../core/random.js'
import { arrival, demoFiles, upload } from '../../demo/load.js'
import { openBrowser, rest } from '../../e2e/browser.js'
import { buildWeb } from '../../scripts/build-web.js'
import { startServices } from '../../scripts/services.js'
import { framesOfPan, framesPerSecond, timesToPainted, timesToSelected } from './hand.js'

/**
 * What many of a thing cost: 2 000 drawn strokes on a picture of 24 megapixels (opened, dragged about), 10 000 flaws against
 * ten (opened, the next one chosen, a mark undone), 500 frames in a job (opened, scrolled). `npx tsx bench/speed/many.ts [strokes] [flaws] [frames]`
 */

const FRAMES = 500
const asked = process.argv.slice(2)
const isAsked = (what: string) => asked.length === 0 || asked.includes(what)
await buildWeb()
const home = mkdtempSync(join(tmpdir(), 'fennip-many-'))
const services = await startServices({ home: join(home, '.fennip'), logLevel: 'silent' })
const browser = await openBrowser()

async function ask<T>(method: string, path: string, body?: unknown): Promise<T> {
  const answer = await fetch(services.address + path, { method, ...(body === undefined ? {} : { headers: { 'content-type': 'application/json' }, body: JSON.stringify(body) }) })
  const told = (await answer.json()) as T
  if (!answer.ok) throw new Error(JSON.stringify(told))
  return told
}
const middle = (values: readonly number[]) => values[values.length >> 1]!

/** Open an address: seconds to the first painted picture, and until nothing is left to paint. */
async function opened(page: Page, path: string): Promise<string> {
  const began = performance.now()
  await page.goto(services.address + path)
  await page.waitForFunction(() => performance.getEntriesByName('fennip-painted').length > 0, undefined, { polling: 'raf', timeout: 60_000 })
  const first = (performance.now() - began) / 1000
  await page.waitForSelector('[data-test=picture][aria-busy=false]')
  return `${first.toFixed(2)} s to pixels, ${((performance.now() - began) / 1000).toFixed(2)} s to rest`
}

const file = demoFiles().find(({ name }) => name === 'pylon-7-west.jpg')!
const bytes = await file.make()
const aPicture = async (job: string): Promise<string> => (await arrival(services.address, await upload(services.address, job, file.name, bytes))).picture!

/** Groups of 200 short strokes all over the picture, as folds of cloth are drawn. */
function groups(count: number): OperationStep[] {
  const random = makeRandom(11)
  return Array.from({ length: count }, (_, g) => ({
    id: `group-${g}`, stage: 'rebuild', operation: 'draw', version: 1, strength: 1, enabled: true,
    settings: {
      name: `folds ${g + 1}`, softPx: 2, grain: 100,
      strokes: Array.from({ length: 200 }, () => {
        const [x, y, turn] = [200 + 5600 * random.uniform(), 200 + 3600 * random.uniform(), 6.28 * random.uniform()]
        return { points: Array.from({ length: 8 }, (_unused, k) => [x + 12 * k * Math.cos(turn + 0.05 * k), y + 12 * k * Math.sin(turn + 0.05 * k), 0.5]), widthPx: 14, opacity: 60, hardness: 30, tone: [0.4, 0.42, 0.45], pen: 'size' }
      }),
    },
  }))
}

const flaws = (count: number): Flaw[] => Array.from({ length: count }, (_, i) => ({ id: `x${i}`, kind: 'dust', shape: { type: 'disc', x: 30 + (i % 120) * 49, y: 30 + Math.floor(i / 120) * 46, r: 9 }, state: 'open', contrast: -4, weight: 20, confidence: 0.9, origin: 'found' }))

try {
  const { id: job } = await ask<{ id: string }>('POST', '/api/jobs', { title: 'Many' })
  const page = await browser.newPage({ viewport: { width: 1280, height: 800 } })

  if (isAsked('strokes')) await manyStrokes(page, job)
  if (isAsked('flaws')) for (const count of [10, 10_000]) await manyFlaws(page, job, count)
  if (isAsked('frames')) await manyFrames(page)
} finally {
  await browser.close()
  await services.remove()
  rmSync(home, { recursive: true, force: true })
}
process.exit(0)

async function manyStrokes(page: Page, job: string): Promise<void> {
  const drawn = await aPicture(job)
  const steps = groups(10)
  for (const [k, step] of steps.entries()) await ask('POST', `/api/pictures/${drawn}/edits`, { revision: k, label: 'Drawn', operations: [{ type: 'put', list: 'operations', items: [step] }] })
  console.log(`2 000 strokes: ${await opened(page, `/jobs/${job}/pictures/${drawn}/rebuild`)} (2 s wanted)`)
  await rest(page, 1500)
  console.log(`2 000 strokes, dragged about: ${(await framesOfPan(page)).toFixed(0)} frames/s (40 wanted)`)
}

async function manyFlaws(page: Page, job: string, count: number): Promise<void> {
  const picture = await aPicture(job)
  const list = flaws(count)
  for (let k = 0; k * 2000 < count; k++) await ask('POST', `/api/pictures/${picture}/edits`, { revision: k, label: 'Many', operations: [{ type: 'put', list: 'flaws', items: list.slice(k * 2000, (k + 1) * 2000) }] })
  const words = await opened(page, `/jobs/${job}/pictures/${picture}/mend`)
  await rest(page, 1500)
  await page.locator('[data-home]').focus()
  await page.keyboard.press('Home')
  await rest(page, 1500)
  const next = await timesToSelected(page, { key: 'ArrowDown', code: 'ArrowDown' }, 8)
  await rest(page, 1500)
  await page.keyboard.press('m')
  await rest(page, 1500)
  const [undone] = await timesToPainted(page, { key: 'z', code: 'KeyZ', ctrlKey: true }, 1)
  await rest(page, 1500)
  console.log(`${count} flaws: ${words}; the next one ${middle(next).toFixed(0)} ms, undo ${undone!.toFixed(0)} ms, dragged about ${(await framesOfPan(page)).toFixed(0)} frames/s`)
}

async function manyFrames(page: Page): Promise<void> {
  const { id: many } = await ask<{ id: string }>('POST', '/api/jobs', { title: 'Five hundred' })
  const began = performance.now()
  for (let i = 0; i < FRAMES; i++) {
    const bytes = await sharp({ create: { width: 360, height: 240, channels: 3, background: { r: 60 + (i % 120), g: 110, b: 150 }, noise: { type: 'gaussian', mean: 20, sigma: 8 } } as never }).jpeg({ quality: 88 }).toBuffer()
    await upload(services.address, many, `frame-${String(i).padStart(3, '0')}.jpg`, bytes)
  }
  for (;;) {
    const { list } = await ask<{ list: unknown[] }>('GET', `/api/jobs/${many}`)
    if (list.length === FRAMES) break
    await new Promise((resolve) => setTimeout(resolve, 500))
  }
  console.log(`${FRAMES} frames of 0.1 megapixels taken in: ${((performance.now() - began) / 1000).toFixed(0)} s`)
  const start = performance.now()
  await page.goto(`${services.address}/jobs/${many}`)
  await page.waitForSelector('[data-test=picture-row]')
  await page.evaluate(() => new Promise((resolve) => requestAnimationFrame(() => requestAnimationFrame(resolve))))
  console.log(`${FRAMES} frames: contact sheet ${((performance.now() - start) / 1000).toFixed(2)} s (1 s wanted)`)
  await rest(page, 1500)
  const frames = framesPerSecond(page)
  await page.mouse.move(640, 500)
  for (let i = 0; i < 120; i++) {
    await page.mouse.wheel(0, i < 80 ? 240 : -240)
    await page.waitForTimeout(14)
  }
  console.log(`${FRAMES} frames, scrolled: ${(await frames).toFixed(0)} frames/s (40 wanted)`)
}
