import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { createHash } from 'node:crypto'
import { join } from 'node:path'
import type { Page } from 'playwright-core'
import sharp from 'sharp'
import { levelCount } from '../core/raster/pyramid.js'
import { rasterSource } from '../core/raster/raster.js'
import { makeTransfer } from '../core/raster/transfer.js'
import { makePatches, renderRegion } from '../core/mend/patches/patch.js'
import type { Flaw, Step, Treatment } from '../core/treatment/schema.js'
import { readPicture } from '../codec/read.js'
import { DEMO_TITLE } from '../demo/load.js'
import { rest } from './browser.js'
import { Harness } from './harness.js'

let harness: Harness
let page: Page
let picture: string

const opened = () => harness.opened(picture)
const test = (name: string) => harness.test(name)
const saved = () => harness.saved()

/** Hash of the whole result as the application's own worker in Chromium renders it, and as Node does. */
async function renderedTwice(treatment: Treatment): Promise<{ chromium: string; node: string }> {
  const { original } = treatment
  const [chromium] = await harness.workerHashes(picture, [{ treatment, method: 'resultBytes', values: [{ x: 0, y: 0, width: original.width, height: original.height }] }])
  const path = join(harness.home, 'storage/originals', original.sha256.slice(0, 2), original.sha256)
  const { pixels, header } = await readPicture(path, 'original')
  const source = rasterSource(pixels)
  const patches = makePatches(source, makeTransfer(header.profile.curve, header.depth), treatment, levelCount(original.width, original.height), { get: () => undefined, set: () => undefined })
  const ours = renderRegion(source, patches, { x: 0, y: 0, width: original.width, height: original.height })
  return { chromium: chromium!, node: createHash('sha256').update(ours.data).digest('hex') }
}

beforeAll(async () => {
  harness = await Harness.start(['pylon-7-west.jpg', 'lower-station.tif'], {}, { width: 1500, height: 1000 }, { width: 900, height: 600 })
  page = harness.page
})
afterAll(() => harness.stop())

describe('from a dusty frame to a finished one', () => {
  it('shelf and contact sheet lead to the bench', async () => {
    await page.goto(harness.address)
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
    await page.waitForSelector('[data-test=ledger-row]')
    await harness.idle()
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
    // Both halves follow what is set.
    await test('beside-toggle').click()
    await rest(page, 800)
    const beside = () => page.locator('.views > :first-child canvas').first().screenshot()
    const narrow = await beside()
    await test('lens-set').click()
    await page.getByRole('slider', { name: 'Radius of the relief lens' }).focus()
    for (let k = 0; k < 20; k++) await page.keyboard.press('ArrowRight')
    await rest(page, 1500)
    expect(Buffer.compare(narrow, await beside())).not.toBe(0)
    await page.keyboard.press('Escape')
    await test('beside-toggle').click()
    const { revision } = await opened()
    await test('stage-mend').click()
    await page.waitForURL(/\/mend$/)
    await page.getByText('the result is not touched').waitFor({ state: 'detached' })
    expect((await opened()).revision).toBe(revision)
  })

  it('mends all; each has its reason and telltales', async () => {
    await test('mend-all').click()
    await page.waitForFunction(() => [...document.querySelectorAll('[data-test=ledger-row]')].every((row) => /lift|heal|fill/.test(row.textContent ?? '')))
    await harness.idle()
    const { treatment } = await opened()
    expect(treatment.steps.length).toBe(treatment.flaws.length)
    for (const step of treatment.steps) {
      expect(step.reason.length).toBeGreaterThan(10)
      expect(step.telltales).toBeDefined()
    }
    await test('ledger-row').first().click()
    expect(await test('reason').innerText()).toMatch(/lets|Healed|Filled/)
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
    await harness.ready()
    await page.keyboard.press('z')
    await rest(page, 500)
    const mark = await harness.selectedMark()
    await harness.drag(mark, { x: mark.x + 30, y: mark.y + 12 })
    const startX = (flaw.shape as { x: number }).x
    await expect.poll(async () => ((await stepNow()).shape as { x: number }).x - startX).toBeGreaterThan(20)
    const moved = await harness.selectedMark()
    const r = ((await stepNow()).shape as { r: number }).r
    await harness.drag({ x: moved.x + moved.r, y: moved.y }, { x: moved.x + moved.r + 14, y: moved.y })
    await expect.poll(async () => ((await stepNow()).shape as { r: number }).r).toBeGreaterThan(r + 8)
    await harness.ready()
    const first = (await stepNow()).source!
    await page.keyboard.press('o')
    await expect.poll(async () => (await stepNow()).source).not.toEqual(first)
    await harness.ready()
    await rest(page, 400)
    const source = (await test('source-mark').boundingBox())!
    const before = (await stepNow()).source!
    await harness.drag({ x: source.x + source.width / 2, y: source.y + source.height / 2 }, { x: source.x + source.width / 2 + 20, y: source.y + source.height / 2 + 26 })
    await expect.poll(async () => (await stepNow()).source!.dy - before.dy).toBeGreaterThan(10)
    await harness.ready()
  })

  it('strength and method are set on the slip; taken out, the spot is gone', async () => {
    const flaw = (await opened()).treatment.flaws.find((candidate) => candidate.origin === 'hand' && candidate.kind === 'other')!
    const stepNow = async () => (await opened()).treatment.steps.find((step) => step.flaw === flaw.id)
    await page.getByRole('slider', { name: 'Strength' }).focus()
    for (let i = 0; i < 10; i++) await page.keyboard.press('ArrowLeft')
    await expect.poll(async () => (await stepNow())!.strength).toBeCloseTo(0.9, 5)
    // However many key presses it took, it is one gesture.
    const { done } = (await (await fetch(`${harness.address}/api/pictures/${picture}/gestures`)).json()) as { done: { label: string }[] }
    expect(done.filter(({ label }) => label.startsWith('Set the strength'))).toHaveLength(1)
    await page.getByRole('slider', { name: 'Soft edge' }).focus()
    const soft = (await stepNow())!.softEdgePx
    await page.keyboard.press('ArrowRight')
    await expect.poll(async () => (await stepNow())!.softEdgePx).toBe(soft + 1)
    await test('method-clone').click()
    await expect.poll(async () => (await stepNow())!.method).toBe('clone')
    await harness.ready()
    await test('take-out').click()
    await expect.poll(async () => (await opened()).treatment.flaws.some((candidate) => candidate.id === flaw.id)).toBe(false)
  })

  it('the list of steps goes back and forward to any of them', async () => {
    const { treatment: before } = await opened()
    await test('steps').click()
    const list = test('steps-list')
    await list.getByText('As it came in').waitFor()
    await list.getByText('Mend all', { exact: false }).or(list.getByText(/^Mend \d+ flaws$/)).first().click()
    await expect.poll(async () => (await opened()).treatment.flaws.every((flaw) => flaw.state !== 'settled')).toBe(true)
    await list.getByText('As it came in').click()
    await expect.poll(async () => (await opened()).treatment.flaws.length).toBe(0)
    // The newest stands first.
    await list.getByRole('button').first().click()
    await expect.poll(async () => (await opened()).treatment).toEqual(before)
    await test('steps').click()
    await list.waitFor({ state: 'hidden' })
  })

  it('marks are shown as all, unsettled or none; the original while a key is held', async () => {
    await page.keyboard.press('Escape')
    // Marks far outside the view are not drawn; of the whole picture all are.
    await page.keyboard.press('0')
    // Marks that look alike are one path; each begins with a move.
    const shown = async () => (await page.locator('[data-test=marks] path').evaluateAll((paths) => paths.map((path) => path.getAttribute('d') ?? ''))).join('').split('M').length - 1
    const all = (await opened()).treatment.flaws.length
    await expect.poll(shown).toBe(all)
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

  it('a divider shows the original on its left and the result on its right', async () => {
    const { treatment } = await opened()
    const step = treatment.steps.find(({ method, telltales }) => method !== 'clone' && telltales)!
    const { x, y } = step.shape as { x: number; y: number }
    /** The middle of the mend as it is on the screen. */
    const colour = async () => {
      await rest(page, 500)
      return page.evaluate(([px, py]) => {
        const canvas = document.querySelector<HTMLCanvasElement>('[data-test=picture] canvas')!
        const [divider] = document.querySelectorAll<HTMLElement>('[data-test=divider]')
        const box = canvas.getBoundingClientRect()
        const scale = canvas.width / box.width
        // The picture fills the view in height or width, in the middle.
        const fit = Math.min(box.width / 1500, box.height / 1000)
        const at = { x: (box.width - 1500 * fit) / 2 + px! * fit, y: (box.height - 1000 * fit) / 2 + py! * fit }
        return { pixel: [...canvas.getContext('2d')!.getImageData(Math.round(at.x * scale), Math.round(at.y * scale), 1, 1).data], x: at.x + box.x, divided: !!divider }
      }, [x, y])
    }
    await page.keyboard.press('Escape')
    await page.keyboard.press('0')
    const result = await colour()
    await page.keyboard.down('Space')
    const original = await colour()
    await page.keyboard.up('Space')
    expect(original.pixel).not.toEqual(result.pixel)
    await page.keyboard.press('d')
    const line = test('divider')
    const drag = async (to: number) => {
      const box = (await line.boundingBox())!
      await harness.drag({ x: box.x + box.width / 2, y: box.y + 100 }, { x: to, y: box.y + 100 })
    }
    await drag(result.x + 60)
    expect((await colour()).pixel).toEqual(original.pixel)
    await drag(result.x - 60)
    expect((await colour()).pixel).toEqual(result.pixel)
    await page.keyboard.press('d')
    await line.waitFor({ state: 'detached' })
    expect((await colour()).pixel).toEqual(result.pixel)
  })

  it('hands over a file that an independent reader opens', async () => {
    await test('stage-hand-over').click()
    await test('export').click()
    await page.waitForSelector('[data-test=download]')
    const [download] = await Promise.all([page.waitForEvent('download'), test('download').first().click()])
    expect(download.suggestedFilename()).toBe('pylon-7-west-archive.tif')
    const meta = await sharp(await download.path()).metadata()
    expect(meta).toMatchObject({ format: 'tiff', width: 1500, height: 1000, depth: 'ushort' })
  })

  it('Chromium and Node render the same treatment to the same bytes', async () => {
    const { treatment } = await opened()
    expect(treatment.steps.map((step) => step.method)).toContain('lift')
    const { chromium, node } = await renderedTwice(treatment)
    expect(chromium).toBe(node)
    // Every other method over one another, sources mirrored, turned and scaled, at a guard with a soft edge.
    const at = (id: string, method: Step['method'], shape: Step['shape'], more: Partial<Step>): Step => ({ id, stage: 'mend', flaw: id, method, methodVersion: method === 'fill' ? 1 : 2, shape, softEdgePx: 4, strength: 0.9, seed: 3, guards: ['g'], chosenBy: 'hand', reason: '', ...more })
    const disc = (x: number, y: number, r: number): Step['shape'] => ({ type: 'disc', x, y, r })
    const steps = [
      at('a', 'heal', disc(400, 300, 30), { source: { dx: 90, dy: -20 } }),
      at('b', 'clone', disc(420, 310, 26), { source: { dx: -80, dy: 30, mirror: true, turn: 0.7, scale: 1.3 } }),
      at('c', 'heal', disc(440, 280, 22), { source: { dx: 70, dy: 60, turn: -2, scale: 0.7 } }),
      at('d', 'fill', { type: 'stroke', points: [[380, 250], [470, 340]], width: 9 }, {}),
      at('e', 'fill', disc(430, 330, 24), {}),
    ]
    const crafted: Treatment = {
      ...treatment,
      flaws: steps.map(({ id, shape }): Flaw => ({ id, kind: 'other', shape, state: 'mended', contrast: 0, weight: 0, confidence: 1, origin: 'hand' })),
      steps,
      areas: [{ id: 'g', name: 'Guard', role: 'guard', softEdgePx: 12, parts: [{ mode: 'add', shape: { type: 'outline', points: [[380, 300], [500, 310], [500, 360], [380, 350]] } }] }],
    }
    const both = await renderedTwice(crafted)
    expect(both.chromium).toBe(both.node)
    expect(both.chromium).not.toBe(chromium)
  })

  it('the ledger stays quick with 10 000 rows', async () => {
    const list = ((await (await fetch(`${harness.address}/api/jobs/${harness.job}`)).json()) as { list: { id: string; name: string }[] }).list
    const print = list.find(({ name }) => name.startsWith('lower'))!.id
    const flaws: Flaw[] = Array.from({ length: 10000 }, (_value, i) => ({ id: `x${i}`, kind: 'speck', shape: { type: 'disc', x: 5 + (i % 890), y: 5 + ((i * 7) % 590), r: 2 }, state: 'open', contrast: 4, weight: 10 + (i % 977), confidence: 0.8, origin: 'found' }))
    await fetch(`${harness.address}/api/pictures/${print}/edits`, { method: 'POST', headers: { 'content-type': 'application/json' }, body: JSON.stringify({ revision: 0, label: 'Many', operations: [{ type: 'put', list: 'flaws', items: flaws }] }) })
    await page.goto(`${harness.address}/jobs/${harness.job}/pictures/${print}/mend`)
    await page.waitForSelector('[data-test=ledger-row]')
    await page.getByText('10\u202f000 flaws', { exact: true }).waitFor()
    expect(await test('ledger-row').count()).toBeLessThan(60)
    // Quick because only what is seen is there: at the far end as at the start, and the rows are those of the end.
    // How long a scroll takes is measured in bench/, where a busy machine fails nothing.
    const placeOfFirst = () => test('ledger-row').first().evaluate((row: HTMLElement) => row.style.transform)
    const first = await placeOfFirst()
    const rows = await page.evaluate(async () => {
      const ledger = document.querySelector('[data-test=ledger]')!
      let most = 0
      for (let i = 0; i < 40; i++) {
        ledger.scrollTop = ledger.scrollHeight * (i / 39)
        await new Promise(requestAnimationFrame)
        most = Math.max(most, document.querySelectorAll('[data-test=ledger-row]').length)
      }
      return most
    })
    expect(rows).toBeLessThan(60)
    expect(await placeOfFirst()).not.toBe(first)
  })

  it('nothing was complained of on the way', () => {
    expect(harness.complaints).toEqual([])
  })
})
