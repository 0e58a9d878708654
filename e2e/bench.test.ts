import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { createHash } from 'node:crypto'
import { mkdtempSync, readdirSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { fileURLToPath } from 'node:url'
import type { Browser, Page } from 'playwright-core'
import sharp from 'sharp'
import { levelCount } from '../core/raster/pyramid.js'
import { rasterSource } from '../core/raster/raster.js'
import { makeTransfer } from '../core/raster/transfer.js'
import { makePatches, renderRegion } from '../core/render/patch.js'
import type { Flaw, Treatment } from '../core/treatment/schema.js'
import { readPicture } from '../codec/read.js'
import { demoFiles, loadDemo, DEMO_TITLE } from '../demo/load.js'
import { startServices, type Services } from '../scripts/services.js'
import { openBrowser, rest } from './browser.js'

const home = mkdtempSync(join(tmpdir(), 'fennip-e2e-'))
const complaints: string[] = []
let services: Services
let browser: Browser
let page: Page
let job: string
let picture: string

interface Opened { revision: number; treatment: Treatment; picture: { original: { sha256: string; width: number; height: number; depth: 8 | 16; channels: 1 | 3 } } }
const opened = async () => (await (await fetch(`${services.address}/api/pictures/${picture}`)).json()) as Opened
const test = (name: string) => page.locator(`[data-test=${name}]`)
const saved = () => page.waitForFunction(() => document.querySelector('[data-test=saved]')?.textContent === 'All saved')
async function idle(): Promise<void> {
  await page.waitForSelector('[data-test=run]', { state: 'detached', timeout: 60000 })
  await rest(page, 300)
}
/** Where the selected mark's path begins, in page pixels: its middle and radius. */
async function selectedMark(): Promise<{ x: number; y: number; r: number }> {
  await rest(page, 400)
  const box = (await test('selected-mark').boundingBox())!
  return { x: box.x + box.width / 2, y: box.y + box.height / 2, r: box.width / 2 }
}
async function drag(from: { x: number; y: number }, to: { x: number; y: number }): Promise<void> {
  await page.mouse.move(from.x, from.y)
  await page.mouse.down()
  for (let i = 1; i <= 6; i++) await page.mouse.move(from.x + ((to.x - from.x) * i) / 6, from.y + ((to.y - from.y) * i) / 6)
  await page.waitForTimeout(80)
  await page.mouse.up()
}

beforeAll(async () => {
  services = await startServices({ home, logLevel: 'silent' })
  job = await loadDemo(services.address, () => undefined, demoFiles({ width: 1500, height: 1000 }, { width: 900, height: 600 }).filter(({ name }) => name === 'pylon-7-west.jpg' || name.startsWith('lower')))
  browser = await openBrowser()
  page = await browser.newPage({ viewport: { width: 1280, height: 800 } })
  page.on('pageerror', (error) => complaints.push(String(error)))
  page.on('console', (message) => {
    if (message.type() === 'error') complaints.push(message.text().slice(0, 300))
  })
})
afterAll(async () => {
  await browser.close()
  await services.stop()
  rmSync(home, { recursive: true, force: true })
})

describe('from a dusty frame to a finished one', () => {
  it('shelf and contact sheet lead to the bench', async () => {
    await page.goto(services.address)
    await page.getByText(DEMO_TITLE).click()
    await page.waitForSelector('[data-test=picture-row]')
    expect(await test('picture-row').count()).toBe(2)
    await page.getByText('pylon-7-west.jpg').click()
    await page.waitForURL(/\/find$/)
    picture = page.url().split('/').at(-2)!
    await page.waitForSelector('[data-test=picture] canvas')
  })

  it('finds dust with progress; the ledger has it, heaviest first', async () => {
    await test('find').click()
    await page.waitForSelector('[data-test=ledger-row]', { timeout: 60000 })
    await idle()
    const { treatment } = await opened()
    expect(treatment.flaws.length).toBeGreaterThan(8)
    const heaviest = [...treatment.flaws].sort((a, b) => b.weight - a.weight)[0]! as Flaw & { shape: { r: number } }
    await expect.poll(() => test('ledger-row').first().innerText()).toContain(`${Math.round(2 * heaviest.shape.r)} px`)
  })

  it('lenses change the view alone, say so, and go back when the stage is left', async () => {
    const before = await page.screenshot()
    await test('lens-negative').click()
    await rest(page, 500)
    expect(Buffer.compare(before, await page.screenshot())).not.toBe(0)
    await page.getByText('Negative lens: the result is not touched').waitFor()
    await test('lens-relief').click()
    await page.getByText('Relief lens: the result is not touched').waitFor()
    const { revision } = await opened()
    await test('stage-mend').click()
    await page.waitForURL(/\/mend$/)
    await page.getByText('the result is not touched').waitFor({ state: 'detached' })
    expect((await opened()).revision).toBe(revision)
  })

  it('mends all; each has its reason and telltales', async () => {
    await test('mend-all').click()
    await page.waitForFunction(() => [...document.querySelectorAll('[data-test=ledger-row]')].every((row) => /lift|heal/.test(row.textContent ?? '')), undefined, { timeout: 60000 })
    await idle()
    const { treatment } = await opened()
    expect(treatment.steps.length).toBe(treatment.flaws.length)
    for (const step of treatment.steps) {
      expect(step.reason.length).toBeGreaterThan(10)
      expect(step.telltales).toBeDefined()
    }
    await test('ledger-row').first().click()
    expect(await test('reason').innerText()).toMatch(/lets|Healed/)
    await page.getByRole('table', { name: 'Telltales' }).waitFor()
  })

  it('steps through by keys, settles and leaves, undoes and redoes', async () => {
    await test('ledger-row').first().click()
    await page.keyboard.press('Enter')
    await saved()
    await page.keyboard.press('ArrowDown')
    await page.keyboard.press('l')
    await saved()
    await expect.poll(async () => (await opened()).treatment.flaws.map((flaw) => flaw.state).sort().filter((state) => state !== 'mended')).toEqual(['left', 'settled'])
    await page.keyboard.press('Control+z')
    await expect.poll(async () => (await opened()).treatment.flaws.filter((flaw) => flaw.state === 'left').length).toBe(0)
    await page.keyboard.press('Control+Shift+z')
    await expect.poll(async () => (await opened()).treatment.flaws.filter((flaw) => flaw.state === 'left').length).toBe(1)
  })

  it('filters show what is left, open or to judge', async () => {
    await test('filter-left').click()
    await expect.poll(() => test('ledger-row').count()).toBe(1)
    await test('filter-open').click()
    await expect.poll(() => test('ledger-row').count()).toBe(0)
    await test('filter-all').click()
  })

  it('a click with the Spot tool mends at once and is saved; a reload shows it again', async () => {
    await page.keyboard.press('Escape')
    await test('tool-spot').click()
    const box = (await test('picture').boundingBox())!
    const at = { x: box.x + box.width * 0.3, y: box.y + box.height * 0.3 }
    const { treatment: before } = await opened()
    await page.mouse.move(at.x, at.y)
    await page.mouse.click(at.x, at.y)
    await page.waitForSelector('[data-test=selected-mark]')
    await saved()
    await expect.poll(async () => (await opened()).treatment.steps.length).toBe(before.steps.length + 1)
    await page.reload()
    await page.waitForSelector('[data-test=ledger-row]')
    expect((await opened()).treatment.flaws.length).toBe(before.flaws.length + 1)
  })

  it('a mend is moved, resized, given another source, and its source dragged', async () => {
    const flaw = (await opened()).treatment.flaws.find((candidate) => candidate.origin === 'hand')!
    const stepNow = async () => (await opened()).treatment.steps.find((step) => step.flaw === flaw.id)!
    await test('order').click()
    const rows = test('ledger-row')
    for (let i = 0; i < (await rows.count()); i++) if ((await rows.nth(i).innerText()).startsWith('Spot')) await rows.nth(i).click()
    await test('method-heal').click()
    await expect.poll(async () => (await stepNow()).method).toBe('heal')
    await saved()
    await page.keyboard.press('z')
    await rest(page, 500)
    const mark = await selectedMark()
    await drag(mark, { x: mark.x + 30, y: mark.y + 12 })
    const startX = (flaw.shape as { x: number }).x
    await expect.poll(async () => ((await stepNow()).shape as { x: number }).x - startX).toBeGreaterThan(20)
    const moved = await selectedMark()
    const r = ((await stepNow()).shape as { r: number }).r
    await drag({ x: moved.x + moved.r, y: moved.y }, { x: moved.x + moved.r + 14, y: moved.y })
    await expect.poll(async () => ((await stepNow()).shape as { r: number }).r).toBeGreaterThan(r + 8)
    await saved()
    const first = (await stepNow()).source!
    await page.keyboard.press('o')
    await expect.poll(async () => (await stepNow()).source).not.toEqual(first)
    await saved()
    await rest(page, 400)
    const source = (await test('source-mark').boundingBox())!
    const before = (await stepNow()).source!
    await drag({ x: source.x + source.width / 2, y: source.y + source.height / 2 }, { x: source.x + source.width / 2 + 20, y: source.y + source.height / 2 + 26 })
    await expect.poll(async () => (await stepNow()).source!.dy - before.dy).toBeGreaterThan(10)
    await saved()
  })

  it('strength and method are set on the slip; taken out, the spot is gone', async () => {
    const flaw = (await opened()).treatment.flaws.find((candidate) => candidate.origin === 'hand' && candidate.kind === 'other')!
    const stepNow = async () => (await opened()).treatment.steps.find((step) => step.flaw === flaw.id)
    await page.getByRole('slider', { name: 'Strength' }).focus()
    for (let i = 0; i < 10; i++) await page.keyboard.press('ArrowLeft')
    await expect.poll(async () => (await stepNow())!.strength).toBeCloseTo(0.9, 5)
    await page.getByRole('slider', { name: 'Soft edge' }).focus()
    const soft = (await stepNow())!.softEdgePx
    await page.keyboard.press('ArrowRight')
    await expect.poll(async () => (await stepNow())!.softEdgePx).toBe(soft + 1)
    await test('method-clone').click()
    await expect.poll(async () => (await stepNow())!.method).toBe('clone')
    await saved()
    await test('take-out').click()
    await expect.poll(async () => (await opened()).treatment.flaws.some((candidate) => candidate.id === flaw.id)).toBe(false)
  })

  it('marks are shown as all, unsettled or none; the original while a key is held', async () => {
    await page.keyboard.press('Escape')
    // Marks far outside the view are not drawn.
    await page.keyboard.press('0')
    await rest(page, 900)
    const shown = () => page.locator('[data-test=marks] path').count()
    const all = await shown()
    await test('marks-unsettled').click()
    await expect.poll(shown).toBe(all - 2)
    await test('marks-none').click()
    await expect.poll(shown).toBe(0)
    await page.getByText('Marks are hidden').waitFor()
    await test('marks-all').click()
    await page.keyboard.down('Space')
    await page.locator('.banner', { hasText: 'Original' }).waitFor()
    await page.keyboard.up('Space')
    await page.locator('.banner', { hasText: 'Original' }).waitFor({ state: 'detached' })
  })

  it('hands over a file that an independent reader opens', async () => {
    await test('stage-hand-over').click()
    await test('export').click()
    await page.waitForSelector('[data-test=download]', { timeout: 60000 })
    const [download] = await Promise.all([page.waitForEvent('download'), test('download').first().click()])
    expect(download.suggestedFilename()).toBe('pylon-7-west-mended.tif')
    const meta = await sharp(await download.path()).metadata()
    expect(meta).toMatchObject({ format: 'tiff', width: 1500, height: 1000, depth: 'uchar' })
  })

  it('Chromium and Node render the same treatment to the same bytes', async () => {
    const { treatment, picture: about } = await opened()
    const { original } = treatment
    expect(treatment.steps.map((step) => step.method)).toContain('lift')
    const assets = fileURLToPath(new URL('../web/dist/assets/', import.meta.url))
    const script = readdirSync(assets).find((name) => name.startsWith('pixels.worker') && name.endsWith('.js'))!
    const summary = ((await (await fetch(`${services.address}/api/jobs/${job}`)).json()) as { list: { id: string }[] }).list.find(({ id }) => id === picture)
    // The application's own worker, spoken to in the messages of comlink; it asks the server for no patch.
    const digest = await page.evaluate(
      async ({ script, summary, treatment }) => {
        const worker = new Worker(`/assets/${script}`, { type: 'module' })
        const call = (path: string, ...values: unknown[]) =>
          new Promise<unknown>((resolve, reject) => {
            const id = crypto.randomUUID()
            const listen = (event: MessageEvent) => {
              if ((event.data as { id: string }).id !== id) return
              worker.removeEventListener('message', listen)
              const answer = event.data as { type: string; name?: string; value: unknown }
              if (answer.type === 'HANDLER') reject(new Error(JSON.stringify(answer.value)))
              else resolve(answer.value)
            }
            worker.addEventListener('message', listen)
            worker.postMessage({ id, type: 'APPLY', path: [path], argumentList: values.map((value) => ({ type: 'RAW', value })) })
          })
        await call('open', summary)
        await call('update', treatment, false)
        const bytes = (await call('resultBytes', { x: 0, y: 0, width: treatment.original.width, height: treatment.original.height })) as Uint8Array<ArrayBuffer>
        worker.terminate()
        const hash = new Uint8Array(await crypto.subtle.digest('SHA-256', bytes))
        return { length: bytes.length, hash: [...hash].map((byte) => byte.toString(16).padStart(2, '0')).join('') }
      },
      { script, summary, treatment },
    )
    const path = join(home, 'storage/originals', about.original.sha256.slice(0, 2), about.original.sha256)
    const { pixels, header } = await readPicture(path, 'original')
    const source = rasterSource(pixels)
    const patches = makePatches(source, makeTransfer(header.profile.curve, header.depth), original, treatment.steps, levelCount(original.width, original.height), { get: () => undefined, set: () => undefined })
    const ours = renderRegion(source, patches, { x: 0, y: 0, width: original.width, height: original.height })
    expect(digest.length).toBe(ours.data.byteLength)
    expect(digest.hash).toBe(createHash('sha256').update(ours.data).digest('hex'))
  })

  it('the ledger stays quick with 10 000 rows', async () => {
    const list = ((await (await fetch(`${services.address}/api/jobs/${job}`)).json()) as { list: { id: string; name: string }[] }).list
    const print = list.find(({ name }) => name.startsWith('lower'))!.id
    const flaws: Flaw[] = Array.from({ length: 10000 }, (_value, i) => ({ id: `x${i}`, kind: 'speck', shape: { type: 'disc', x: 5 + (i % 890), y: 5 + ((i * 7) % 590), r: 2 }, state: 'open', contrast: 4, weight: 10 + (i % 977), confidence: 0.8, origin: 'found' }))
    await fetch(`${services.address}/api/pictures/${print}/edits`, { method: 'POST', headers: { 'content-type': 'application/json' }, body: JSON.stringify({ revision: 0, label: 'Many', operations: [{ type: 'put', list: 'flaws', items: flaws }] }) })
    await page.goto(`${services.address}/jobs/${job}/pictures/${print}/mend`)
    await page.waitForSelector('[data-test=ledger-row]')
    await page.getByText('10\u202f000 flaws').waitFor()
    expect(await test('ledger-row').count()).toBeLessThan(60)
    const worst = await page.evaluate(async () => {
      const ledger = document.querySelector('[data-test=ledger]')!
      let longest = 0
      let last = performance.now()
      for (let i = 0; i < 40; i++) {
        ledger.scrollTop += 4000
        await new Promise(requestAnimationFrame)
        longest = Math.max(longest, performance.now() - last)
        last = performance.now()
      }
      return longest
    })
    // Not a timed test of speed: only that a scroll never freezes for a second.
    expect(worst).toBeLessThan(1000)
  })

  it('nothing was complained of on the way', () => {
    expect(complaints).toEqual([])
  })
})
