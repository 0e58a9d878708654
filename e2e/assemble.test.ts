import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { readFileSync } from 'node:fs'
import { join } from 'node:path'
import type { Page } from 'playwright-core'
import sharp from 'sharp'
import { arrival, upload } from '../demo/load.js'
import { rest } from './browser.js'
import { Harness } from './harness.js'

/** The stage Assemble: a torn print found in its scan, fitted, moved by hand, joined, mended. */

let harness: Harness
let page: Page
let picture: string
const NAME = 'torn-in-two.tif'
const DUSK = ['dusk-dark.jpg', 'dusk-middle.jpg', 'dusk-light.jpg']
beforeAll(async () => {
  harness = await Harness.start([NAME, ...DUSK], {}, { width: 1200, height: 800 }, { width: 1600, height: 1066 })
  page = harness.page
  picture = await harness.pictureNamed(NAME)
  await harness.open(picture, 'mend')
  await harness.test('stage-assemble').click()
  await page.waitForURL(/\/assemble$/)
})
afterAll(() => harness.stop())

const number = (name: string) => page.locator(`[data-test=${name}-number] input`)

describe('a print torn in two', () => {
  it('is cut out of its scan and fitted along the tear', async () => {
    await harness.test('fit').click()
    await harness.test('piece').nth(1).waitFor()
    expect(await harness.test('piece').count()).toBe(2)
    await harness.test('piece-row').nth(1).click()
    // The lower piece lies turned by 1.6 degrees; which of both is moved, the other is the base.
    const turned = Math.abs(Number((await number('piece-turn').inputValue()).replace('−', '-')))
    // Paper is lost along its tear, here more and there less; the borders of the print tell the turn.
    expect(Math.abs(turned - 1.6)).toBeLessThan(0.3)
    await harness.test('seam').waitFor()
  })
  it('is moved by drag, by its corner, by keys and by numbers, and fitted again from there', async () => {
    const before = Number(await number('piece-right').inputValue())
    const box = (await harness.test('piece').nth(1).boundingBox())!
    await page.mouse.move(box.x + box.width / 2, box.y + box.height / 2)
    await page.mouse.down()
    await page.mouse.move(box.x + box.width / 2 + 20, box.y + box.height / 2 + 4, { steps: 5 })
    await page.mouse.up()
    const dragged = Number(await number('piece-right').inputValue())
    expect(dragged).toBeGreaterThan(before + 8)
    await page.locator('[data-test=pieces]').focus()
    await page.keyboard.press('ArrowLeft')
    expect(Number(await number('piece-right').inputValue())).toBeCloseTo(dragged - 1, 1)
    await page.keyboard.press('Alt+ArrowLeft')
    expect(Number(await number('piece-right').inputValue())).toBeCloseTo(dragged - 1.1, 1)
    await page.keyboard.press('.')
    await number('piece-down').fill(String(Number(await number('piece-down').inputValue()) - 3))
    await page.keyboard.press('Enter')
    await harness.test('fit-from-here').click()
    await expect.poll(() => harness.test('fit-from-here').count()).toBe(0)
    expect(Math.abs(Number(await number('piece-right').inputValue()) - before)).toBeLessThan(3)
  })
  it('is joined into a picture of its own, whose seam is open in Mend and closed there', async () => {
    await harness.test('join').click()
    await harness.test('open-joined').waitFor()
    await harness.test('open-joined').click()
    await page.waitForURL(/\/mend$/)
    await page.waitForSelector('[data-test=picture][aria-busy=false] canvas')
    await rest(page, 600)
    const joined = /pictures\/([^/]+)\//.exec(page.url())![1]!
    const opened = await harness.opened(joined)
    expect(opened.treatment.flaws.length).toBeGreaterThan(0)
    expect(opened.treatment.flaws.every(({ kind, state }) => kind === 'other' && state === 'open')).toBe(true)
    await harness.test('mend-all').click()
    // What nothing serves for is left to the restorer; the rest is closed.
    await expect.poll(async () => (await harness.opened(joined)).treatment.steps.length).toBeGreaterThan(0.5 * opened.treatment.flaws.length)
    await healAt(joined, 0.3, 0.2)
    await healAt(joined, 0.6, 0.85)
  })
  it('is moved and joined again: what was done on the joined picture goes along with its pieces', async () => {
    const before = await newest('-joined.tif')
    const placeOf = async (id: string, name: string) => ((await harness.opened(id)).treatment.flaws.find((flaw) => flaw.id === name)!.shape as { x: number; y: number })
    await page.goto(`${harness.address}/jobs/${harness.job}/pictures/${await harness.pictureNamed(NAME)}/assemble`)
    await harness.test('piece').nth(1).click()
    const down = number('piece-down')
    await down.fill(String(Number(await down.inputValue()) + 25))
    await page.keyboard.press('Enter')
    await harness.test('join').click()
    await expect.poll(() => newest('-joined.tif')).not.toBe(before)
    await expect.poll(() => harness.test('carried').innerText()).toContain('picture joined before')
    const after = await newest('-joined.tif')
    await expect.poll(async () => (await harness.opened(after)).treatment.steps.length).toBe(2)
    // Of two places one lies on the piece that lies still, the other on the one that was moved down by 25.
    const moves = await Promise.all(['heal-30', 'heal-60'].map(async (name) => (await placeOf(after, name)).y - (await placeOf(before, name)).y))
    expect(Math.abs(Math.max(...moves) - Math.min(...moves) - 25)).toBeLessThan(0.5)
  })
  it('is cropped and handed over: the file that is fetched is the joined, mended picture in its new frame', async () => {
    const joined = await newest('-joined.tif')
    await harness.open(joined, 'finish')
    await harness.test('finish-crop').click()
    await rest(page, 500)
    const handle = (await harness.test('crop-handle').nth(2).boundingBox())!
    await harness.drag({ x: handle.x + 5, y: handle.y + 5 }, { x: handle.x - 90, y: handle.y - 60 })
    const crop = async () => (await harness.opened(joined)).treatment.operations?.find(({ operation }) => operation === 'crop')?.settings as { width: number; height: number } | undefined
    await expect.poll(async () => (await crop())?.width).toBeGreaterThan(100)
    await page.waitForTimeout(700)
    await harness.saved()
    await harness.test('stage-hand-over').click()
    await page.waitForSelector('[data-test=output-preview]')
    await harness.test('export').click()
    await page.waitForSelector('[data-test=download]')
    const { width, height } = (await crop())!
    const { original } = (await harness.opened(joined)).picture
    expect(width).toBeLessThan(original.width)
    const [download] = await Promise.all([page.waitForEvent('download'), harness.test('download').first().click()])
    expect(await sharp(await download.path()).metadata()).toMatchObject({ format: 'tiff', depth: 'ushort', width, height })
  })
})

/** The picture of the job that was made last with such a name. */
async function newest(ending: string): Promise<string> {
  const { list } = (await (await fetch(`${harness.address}/api/jobs/${harness.job}`)).json()) as { list: { id: string; name: string }[] }
  return list.filter(({ name }) => name.endsWith(ending)).at(-1)!.id
}

/** A spot that is healed from beside it, as it is saved. */
async function healAt(id: string, right: number, down: number): Promise<void> {
  const { revision, picture: { original: { width, height } } } = await harness.opened(id)
  const name = `heal-${Math.round(100 * right)}`
  const shape = { type: 'disc', x: right * width, y: down * height, r: 6 }
  const flaw = { id: name, kind: 'other', shape, state: 'mended', contrast: 0, weight: 0, confidence: 1, origin: 'hand' }
  const step = { id: `step-of-${name}`, stage: 'mend', flaw: name, method: 'heal', methodVersion: 2, shape, softEdgePx: 2, strength: 1, seed: 0, source: { dx: 30, dy: 0 }, chosenBy: 'hand', reason: 'test' }
  const answer = await fetch(`${harness.address}/api/pictures/${id}/edits`, { method: 'POST', headers: { 'content-type': 'application/json' }, body: JSON.stringify({ revision, label: 'Healed', operations: [{ type: 'put', list: 'flaws', items: [flaw] }, { type: 'put', list: 'steps', items: [step] }] }) })
  expect(answer.status).toBe(200)
}

describe('a bracket at dusk', () => {
  it('is proposed on the contact sheet and merged, what moved shown as every exposure has it', async () => {
    await page.goto(`${harness.address}/jobs/${harness.job}`)
    await harness.test('bracket-proposal').waitFor()
    expect(await harness.test('bracket-proposal').innerText()).toContain('dusk-dark.jpg, dusk-middle.jpg, dusk-light.jpg')
    await harness.test('merge-bracket').click()
    await page.waitForURL(/\/assemble$/)
    await harness.test('bracket').waitFor()
    expect(await harness.test('moving-thing').count()).toBeGreaterThan(0)
    // Three exposures of each thing; one is taken.
    expect(await harness.test('moving-thing').first().locator('[data-test=take-from]').count()).toBe(3)
    expect(await harness.test('moving-thing').first().locator('[aria-pressed=true]').count()).toBe(1)
  })
  it('is merged again with a thing from another exposure, and opened as a picture of 16 bits', async () => {
    const first = await harness.test('moving-thing').first().locator('[data-test=take-from]').nth(0)
    await first.click()
    expect(await first.getAttribute('aria-pressed')).toBe('true')
    const before = await harness.test('open-merged').innerText()
    await harness.test('merge-again').click()
    const merges = async () => ((await (await fetch(`${harness.address}/api/jobs/${harness.job}`)).json()) as { list: { name: string }[] }).list.filter(({ name }) => name.endsWith('-merged.tif')).length
    await expect.poll(merges).toBe(2)
    await expect.poll(() => harness.test('merge-again').isDisabled()).toBe(true)
    expect(await harness.test('moving-thing').first().locator('[data-test=take-from]').nth(0).getAttribute('aria-pressed')).toBe('true')
    expect(await harness.test('open-merged').innerText()).toBe(before)
    await harness.test('open-merged').click()
    await page.waitForURL(/\/find$/)
    const merged = /pictures\/([^/]+)\//.exec(page.url())![1]!
    await expect.poll(async () => (await harness.opened(merged)).picture.original.depth).toBe(16)
    await healAt(merged, 0.2, 0.3)
  })
  it('takes a zone of the reference from another exposure by hand', async () => {
    const reference = await harness.pictureNamed('dusk-middle.jpg')
    await putZone(reference, 'gate')
    await page.goto(`${harness.address}/jobs/${harness.job}/pictures/${reference}/assemble`)
    await harness.test('bracket').waitFor()
    const before = await harness.test('moving-thing').count()
    await harness.choose('zone-taken', 'gate')
    await harness.choose('zone-from', 'dusk-dark.jpg')
    await harness.test('merge-again').click()
    await expect.poll(() => harness.test('moving-thing').count()).toBe(before + 1)
    expect(await harness.test('moving-thing').last().innerText()).toContain('gate')
    expect(await harness.test('moving-thing').last().locator('[data-test=take-from]').nth(0).getAttribute('aria-pressed')).toBe('true')
    // What was done on the picture merged before went along.
    await expect.poll(() => harness.test('carried').innerText()).toContain('1 step')
    expect((await harness.opened(await newest('-merged.tif'))).treatment.steps.map(({ id }) => id)).toEqual(['step-of-heal-20'])
  })
})

/** A zone near the middle of a picture, as Correct makes it. */
async function putZone(id: string, name: string): Promise<void> {
  const { revision, picture: { original: { width, height } } } = await harness.opened(id)
  const shape = { type: 'disc', x: 0.45 * width, y: 0.55 * height, r: 0.06 * width }
  const area = { id: name, name, role: 'zone', softEdgePx: 6, parts: [{ mode: 'add', shape }] }
  const answer = await fetch(`${harness.address}/api/pictures/${id}/edits`, { method: 'POST', headers: { 'content-type': 'application/json' }, body: JSON.stringify({ revision, label: 'Zone', operations: [{ type: 'put', list: 'areas', items: [area] }] }) })
  expect(answer.status).toBe(200)
}
const send = async (name: string, bytes: Buffer) => (await arrival(harness.address, await upload(harness.address, harness.job, name, bytes))).picture!

describe('a part from another picture', () => {
  it('is brought over through a zone and opened', async () => {
    const middle = await harness.pictureNamed('dusk-middle.jpg')
    const { sha256, ...size } = (await harness.opened(middle)).picture.original
    const original = readFileSync(join(harness.home, 'storage/originals', sha256.slice(0, 2), sha256))
    await send('next-frame.jpg', await sharp(original).linear(1.15, 0).jpeg({ quality: 95 }).toBuffer())
    const other = await send('harmed.jpg', await sharp(original).composite([{ input: Buffer.from('<svg width="60" height="60"><circle cx="30" cy="30" r="28" fill="#111"/></svg>'), left: Math.round(0.45 * size.width) - 30, top: Math.round(0.55 * size.height) - 30 }]).jpeg({ quality: 95 }).toBuffer())
    await putZone(other, 'lost')
    await page.goto(`${harness.address}/jobs/${harness.job}/pictures/${other}/assemble`)
    await harness.choose('over-zone', 'lost')
    await harness.choose('over-from', 'next-frame.jpg')
    await harness.test('bring-over').click()
    await harness.test('open-brought').click()
    await page.waitForURL(/\/mend$/)
    const made = /pictures\/([^/]+)\//.exec(page.url())![1]!
    expect(made).not.toBe(other)
    expect((await harness.opened(made)).treatment.areas?.map(({ name }) => name)).toEqual(['lost'])
  })
})

describe('pieces on two scans', () => {
  it('are chosen on the contact sheet, laid on one sheet, and fitted there', async () => {
    const scan = async (name: string, isUpper: boolean) => {
      const [width, height] = [380, 300]
      const data = Uint8Array.from({ length: width * height }, (_, i) => {
        const [x, y] = [(i % width) - 40, Math.floor(i / width) - 40]
        const isOn = x >= 0 && x < 300 && y >= 0 && y < 210 && y < 110 + 12 * Math.sin(x / 19) + 7 * Math.sin(x / 7.3) === isUpper
        return isOn ? Math.round(110 + 30 * Math.sin(x / 9 + y / 31) + 26 * Math.sin(y / 13 - x / 41) + 18 * Math.sin((x + y) / 5.3)) : 20
      })
      return send(name, await sharp(data, { raw: { width, height, channels: 1 } }).png().toBuffer())
    }
    await scan('half-upper.png', true)
    await scan('half-lower.png', false)
    await page.goto(`${harness.address}/jobs/${harness.job}`)
    for (const name of ['half-upper.png', 'half-lower.png']) await page.locator(`[data-name="${name}"] .el-checkbox`).click()
    await harness.test('lay-chosen').click()
    await page.waitForURL(/\/assemble$/)
    await harness.test('open-laid').click()
    await harness.test('fit').click()
    await harness.test('piece').nth(1).waitFor()
    expect(await harness.test('piece').count()).toBe(2)
  })
  it('nothing was complained of on the way', () => expect(harness.complaints).toEqual([]))
})
