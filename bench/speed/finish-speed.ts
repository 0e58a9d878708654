import { mkdtempSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import sharp from 'sharp'
import { openBrowser, rest } from '../../e2e/browser.js'
import { arrival, demoFiles, upload } from '../../demo/load.js'
import { timesToPainted } from './hand.js'
import { startServices } from '../../scripts/services.js'

/**
 * How fast a setting of the finish follows the hand on 24 megapixels, at fit and at 1:1: from the input to painted pixels, in
 * Chromium; and what an export with a finish costs over decoding and encoding alone, measured in the same run.
 */

const home = join(mkdtempSync(join(tmpdir(), 'fennip-finish-')), '.fennip')
const services = await startServices({ home, logLevel: 'silent' })
const browser = await openBrowser()
try {
  const made = (await (await fetch(`${services.address}/api/jobs`, { method: 'POST', headers: { 'content-type': 'application/json' }, body: JSON.stringify({ title: 'Speed' }) })).json()) as { id: string }
  const file = demoFiles().find(({ name }) => name === 'pylon-7-west.jpg')!
  const bytes = await file.make()
  const { picture } = await arrival(services.address, await upload(services.address, made.id, file.name, bytes))
  const ask = async (path: string, body?: unknown) => (await fetch(`${services.address}/api/pictures/${picture}${path}`, body ? { method: 'POST', headers: { 'content-type': 'application/json' }, body: JSON.stringify(body) } : {})).json() as Promise<Record<string, unknown>>
  const step = (id: string, operation: string, settings: object) => ({ id, stage: 'finish', operation, version: 1, settings, strength: 1, enabled: true })
  const operations = [step('c', 'curve', { points: [[0, 0], [0.25, 0.22], [0.75, 0.78], [1, 1]] }), step('b', 'black-and-white', { blackDensity: 2, whiteDensity: 0.02 }), step('s', 'sharpen', { radiusPx: 0.8, amount: 60, threshold: 0.8, halo: 2 })]
  await ask('/edits', { revision: 0, label: 'Finish', operations: [{ type: 'put', list: 'operations', items: operations }] })
  const page = await browser.newPage({ viewport: { width: 1280, height: 800 } })
  await page.goto(`${services.address}/jobs/${made.id}/pictures/${picture}/finish`)
  await page.waitForSelector('[data-test=picture][aria-busy=false] canvas')
  await rest(page, 2500)
  for (const view of ['fit', '1:1'] as const) {
    if (view === '1:1') {
      await page.locator('[data-home]').focus()
      await page.keyboard.press('z')
      await rest(page, 2500)
    }
    for (const [operation, setting] of [['black-and-white', 'blackDensity'], ['sharpen', 'amount']] as const) {
      await page.locator(`[data-operation=${operation}]`).click()
      await rest(page, 800)
      await page.locator(`[data-test=set-${setting}] [role=slider]`).focus()
      const times = await timesToPainted(page, { key: 'ArrowLeft', code: 'ArrowLeft' }, 30)
      console.log(`${operation}, ${view}: median ${times[15]!.toFixed(0)} ms, 95 of 100 ${times[28]!.toFixed(0)} ms`)
    }
  }
  await page.close()
  const run = async (body: object) => {
    const began = performance.now()
    const { id } = await ask('/exports', { outputs: [body] })
    if (!id) throw new Error('The export was refused')
    for (;;) {
      const now = (await (await fetch(`${services.address}/api/runs/${id as string}`)).json()) as { state: string; problem: unknown }
      if (now.state === 'done') return (performance.now() - began) / 1000
      if (now.state === 'failed') throw new Error(JSON.stringify(now.problem))
      await new Promise((resolve) => setTimeout(resolve, 30))
    }
  }
  const measureExports = async (done: string) => {
    for (const [format, depth] of [['tiff', 16], ['jpeg', 8]] as const) {
      await run({ format, depth, quality: 92 })
      const finished = await run({ format, depth, quality: 92 })
      const began = performance.now()
      const { data, info } = await sharp(bytes).raw({ depth: depth === 16 ? 'ushort' : 'uchar' }).toBuffer({ resolveWithObject: true })
      const image = sharp(data, { raw: { width: info.width, height: info.height, channels: 3, ...(depth === 16 ? { depth: 'ushort' } : {}) } as never, limitInputPixels: false })
      await (format === 'tiff' ? image.toColourspace('rgb16').tiff({ compression: 'deflate', predictor: 'horizontal' }) : image.jpeg({ quality: 92 })).toBuffer()
      const reference = (performance.now() - began) / 1000
      console.log(`export ${format} ${depth} bit with ${done}: ${finished.toFixed(1)} s, decode and encode alone ${reference.toFixed(1)} s, ratio ${(finished / reference).toFixed(2)}`)
    }
  }
  await measureExports('curve, black and white, sharpening')
  const [width, height] = [6000, 4000]
  const flaws = Array.from({ length: 300 }, (_, i) => ({ id: `f${i}`, kind: 'dust', shape: { type: 'disc', x: 200 + ((i * 397) % (width - 400)), y: 200 + ((i * 631) % (height - 400)), r: 14 }, state: 'settled', contrast: 5, weight: 50, confidence: 1, origin: 'found' }))
  const mends = flaws.map(({ id, shape }, i) => ({ id: `m${i}`, stage: 'mend', flaw: id, method: 'heal', methodVersion: 2, shape, softEdgePx: 4, strength: 1, seed: i, source: { dx: 60, dy: 20 }, chosenBy: 'fennip', reason: 'Measured.' }))
  const { revision } = (await ask('')) as { revision: number }
  const answer = await ask('/edits', { revision, label: 'Mend and crop', operations: [{ type: 'put', list: 'flaws', items: flaws }, { type: 'put', list: 'steps', items: mends }, { type: 'put', list: 'operations', items: [...operations, step('k', 'crop', { x: 100, y: 100, width: width - 200, height: height - 200 })] }] })
  if (answer.revision !== revision + 1) throw new Error(JSON.stringify(answer))
  await measureExports('300 mends, curve, black and white, sharpening, crop')
} finally {
  await browser.close()
  await services.remove()
  rmSync(join(home, '..'), { recursive: true, force: true })
}
process.exit(0)
