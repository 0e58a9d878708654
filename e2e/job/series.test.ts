import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { readFileSync } from 'node:fs'
import type { Page } from 'playwright-core'
import { Harness } from '../harness.js'

/** Contact sheet, batches, sensor page, rounds and lenses, driven in Chromium. */

const SERIES = ['pylon-4-noon.jpg', 'pylon-4-cable.jpg', 'pylon-5-north.jpg', 'pylon-5-sky.jpg']
let harness: Harness
let page: Page
beforeAll(async () => {
  harness = await Harness.start([...SERIES, 'lower-station.tif'], {}, { width: 2200, height: 1466 })
  page = harness.page
})
afterAll(() => harness.stop())

const row = (name: string) => page.locator(`[data-test=picture-row][data-name="${name}"]`)
/** A picture of what the view shows, to see that it changed. */
const seen = async () => (await harness.test('picture').screenshot()).toString('base64')
const select = (name: string) => row(name).locator('.el-checkbox').click()
const names = () => page.locator('[data-test=picture-row] .name b').allInnerTexts()
const batchOver = (words: string) => expect.poll(() => page.locator('[data-test=batch-words]').first().innerText()).toContain(words)

describe('the contact sheet', () => {
  it('searches what is selected as one batch, with progress', async () => {
    await page.goto(`${harness.address}/jobs/${harness.job}`)
    await page.waitForSelector('[data-test=picture-row]')
    await select('pylon-4-noon.jpg')
    await select('lower-station.tif')
    await harness.test('find-chosen').click()
    await batchOver('2 of 2 done')
    await expect.poll(() => row('pylon-4-noon.jpg').locator('[data-test=verdict]').innerText()).toBe('quick')
    expect(await row('pylon-5-sky.jpg').locator('[data-test=verdict]').innerText()).toBe('not searched')
    expect(await row('pylon-4-noon.jpg').locator('[data-test=burden]').innerText()).toMatch(/covered, (none|\d+) on the subject/)
  })
  it('shows and orders by verdict, and sets a picture aside', async () => {
    await harness.choose('filter', 'quick')
    expect(await names()).toContain('pylon-4-noon.jpg')
    expect(await names()).not.toContain('pylon-5-sky.jpg')
    await harness.choose('filter', 'all')
    await harness.choose('order', 'by name')
    expect(await names()).toEqual([...(await names())].sort())
    await row('pylon-4-noon.jpg').locator('[data-test=aside]').click()
    await expect.poll(() => row('pylon-4-noon.jpg').locator('[data-test=verdict]').innerText()).toBe('set aside')
    await harness.choose('filter', 'to do')
    await expect.poll(names).not.toContain('pylon-4-noon.jpg')
    await harness.choose('filter', 'set aside')
    expect(await names()).toEqual(['pylon-4-noon.jpg'])
    await row('pylon-4-noon.jpg').locator('[data-test=aside]').click()
    await harness.choose('filter', 'all')
    await expect.poll(names).toHaveLength(5)
  })
  it('pauses a batch, goes on with it and cancels another', async () => {
    await harness.test('all').click()
    await harness.test('export-chosen').click()
    await harness.test('batch-pause').first().click()
    await expect.poll(() => harness.test('batch-words').first().innerText()).toContain('paused')
    await harness.test('batch-resume').first().click()
    await batchOver('5 of 5 done')
    await harness.test('export-chosen').click()
    await harness.test('batch-cancel').first().click()
    await batchOver('cancelled')
    await harness.test('all').click()
  })
  it('has no chart to apply before one is learned', async () => {
    await select('pylon-4-cable.jpg')
    expect(await harness.test('chart-chosen').isDisabled()).toBe(true)
  })
  it('says of each picture why its work failed, tries it again, and lets go of it', async () => {
    const ask = async (path: string, body?: unknown) => (await (await fetch(harness.address + path, body ? { method: 'POST', headers: { 'content-type': 'application/json' }, body: JSON.stringify(body) } : {})).json()) as { sensors: { id: string }[] }
    const { sensors } = await ask(`/api/jobs/${harness.job}/sensors`)
    // What the button holds back until there is a chart.
    await ask(`/api/jobs/${harness.job}/batches`, { kind: 'chart', pictures: [await harness.pictureNamed('pylon-4-noon.jpg')], parameters: { sensor: sensors[0]!.id } })
    await batchOver('1 failed')
    await page.getByText('pylon-4-noon.jpg: Nothing has been learned').waitFor()
    await harness.test('batch-retry').first().click()
    await batchOver('1 failed')
    await page.getByRole('button', { name: 'Dismiss' }).first().click()
    await expect.poll(() => page.getByText('Nothing has been learned').count()).toBe(0)
  })
})

describe('the sensor page', () => {
  it('learns a chart from frames and draws it', async () => {
    await harness.test('sensor').click()
    await page.waitForSelector('[data-test=frame]')
    expect(await harness.test('learn').isDisabled()).toBe(true)
    await harness.test('all-frames').click()
    await harness.test('learn').click()
    await page.waitForSelector('[data-test=sensor-map]')
    expect(await page.locator('[data-test=mark]').count()).toBeGreaterThan(10)
    expect(await page.getByText('Light lost at f/16, from').count()).toBe(1)
  })
  it('applies it and shows each mark in all frames, before and after', async () => {
    await harness.test('apply').click()
    await expect.poll(() => harness.test('check-row').count()).toBeGreaterThan(2)
    await expect.poll(() => harness.test('check-counts').innerText()).toMatch(/^0 of \d\d/)
    const inked = (index: number) => page.evaluate((i) => {
      const [canvas] = [...document.querySelectorAll<HTMLCanvasElement>('[data-test=check-row] canvas')].slice(i)
      const { data } = canvas!.getContext('2d')!.getImageData(0, 0, canvas!.width, canvas!.height)
      let low = 255
      let high = 0
      for (let k = 1; k < data.length; k += 4) {
        low = Math.min(low, data[k]!)
        high = Math.max(high, data[k]!)
      }
      return high - low
    }, index)
    // The shadow is seen before, and is gone after: less contrast is left.
    await expect.poll(() => inked(0)).toBeGreaterThan(8)
    await expect.poll(async () => (await inked(1)) < (await inked(0))).toBe(true)
  })
  it('settles and leaves by key, and goes on to the next', async () => {
    const judged = async () => Number((await harness.test('check-counts').innerText()).split(' ')[0])
    const before = await judged()
    await page.keyboard.press('Enter')
    await expect.poll(judged).toBe(before + 1)
    await page.keyboard.press('l')
    await expect.poll(judged).toBe(before + 2)
    const mark = () => page.locator('.check .head b').innerText()
    const first = await mark()
    await page.keyboard.press('ArrowRight')
    await expect.poll(mark).not.toBe(first)
    // Enter on a button is for that button, not for the mark.
    await page.locator('[data-test=all-frames] input').focus()
    const now = await judged()
    await page.locator('[data-test=learn]').focus()
    await page.keyboard.press('Enter')
    await page.waitForTimeout(400)
    expect(await judged()).toBe(now)
    await page.locator('[data-home]').focus()
    await page.keyboard.press('a')
    await expect.poll(judged).toBeGreaterThan(before + 2)
  })
  it('lets a frame be put to another body, and back', async () => {
    const frames = () => harness.test('frame').count()
    const before = await frames()
    const row = page.locator('[data-test=frame]', { hasText: 'pylon-5-sky.jpg' })
    await row.getByText('Other body').click()
    const field = page.getByRole('dialog').locator('input')
    expect(await field.inputValue()).toBe('Orrendale Optical OT-1')
    await field.fill('Borrowed body')
    await page.getByRole('button', { name: 'Keep' }).click()
    await expect.poll(frames).toBe(before - 1)
    const { list } = (await (await fetch(`${harness.address}/api/jobs/${harness.job}`)).json()) as { list: { id: string; name: string; sensor: { name: string } | null }[] }
    const moved = list.find(({ name }) => name === 'pylon-5-sky.jpg')!
    expect(moved.sensor!.name).toBe('Borrowed body')
    await fetch(`${harness.address}/api/pictures/${moved.id}/sensor`, { method: 'POST', headers: { 'content-type': 'application/json' }, body: JSON.stringify({ name: 'Orrendale Optical OT-1' }) })
    await page.reload()
    await expect.poll(frames).toBe(before)
    await page.waitForSelector('[data-test=check-row]')
  })
  it('keeps the chart as a file that can be taken in again', async () => {
    const [download] = await Promise.all([page.waitForEvent('download'), harness.test('chart-keep').click()])
    const path = await download.path()
    expect(JSON.parse(readFileSync(path, 'utf8'))).toMatchObject({ format: 'fennip-sensor-chart', version: 1 })
    await harness.test('chart-picker').setInputFiles(path)
    await page.getByText('marks were taken in').waitFor()
    await harness.test('chart-picker').setInputFiles({ name: 'notes.json', mimeType: 'application/json', buffer: Buffer.from('no chart') })
    await page.getByText('notes.json is not JSON').waitFor()
  })
  it('opens the flaw that is meant on the bench', async () => {
    await harness.test('check-bench').click()
    await page.waitForSelector('[data-test=picture][aria-busy=false]')
    await expect.poll(() => page.url()).toContain('flaw=chart-')
    await expect.poll(() => page.locator('[aria-label="Selected flaw"]').count()).toBe(1)
  })
})

describe('a round', () => {
  const share = async () => Number(/(\d+) %/.exec(await harness.test('round-share').innerText())?.[1] ?? 100)
  it('walks the picture at 1:1 by key and remembers what was looked at', async () => {
    const picture = await harness.pictureNamed('lower-station.tif')
    await harness.open(picture, 'find')
    expect(await share()).toBe(0)
    await page.keyboard.press('PageDown')
    await expect.poll(share).toBeGreaterThan(0)
    const first = await share()
    await page.keyboard.press('PageDown')
    await expect.poll(share).toBeGreaterThan(first)
    await new Promise((resolve) => setTimeout(resolve, 2500))
    const kept = await share()
    await page.reload()
    await page.waitForSelector('[data-test=picture][aria-busy=false]')
    expect(await share()).toBe(kept)
  })
  it('ends when all was looked at, and begins anew', async () => {
    for (let i = 0; i < 12 && (await harness.test('round-share').innerText()) !== 'all looked at'; i++) {
      await page.keyboard.press('PageDown')
      await new Promise((resolve) => setTimeout(resolve, 700))
    }
    expect(await harness.test('round-share').innerText()).toBe('all looked at')
    await harness.test('round-anew').click()
    await expect.poll(share).toBeLessThan(60)
  })
})

describe('flaws that are decided together', () => {
  interface Kept { id: string; kind: string; state: string }
  let picture: string
  const flaws = async () => (await harness.opened(picture)).treatment.flaws as unknown as Kept[]
  it('lines that may be wires are asked for once, and left when they belong to the picture', async () => {
    picture = await harness.pictureNamed('lower-station.tif')
    const { revision } = await harness.opened(picture)
    const wire = (id: string, y: number) => ({ id, kind: 'wire', shape: { type: 'stroke', points: [[20, y], [580, y + 6]], width: 3 }, state: 'open', contrast: -5, weight: 40, confidence: 0.9, origin: 'found' })
    await fetch(`${harness.address}/api/pictures/${picture}/edits`, { method: 'POST', headers: { 'content-type': 'application/json' }, body: JSON.stringify({ revision, label: 'Wires', operations: [{ type: 'put', list: 'flaws', items: [wire('w1', 60), wire('w2', 90)] }] }) })
    await harness.open(picture, 'find')
    expect(await harness.test('wires').innerText()).toContain('2 long dark lines')
    await harness.test('wires-keep').click()
    await harness.saved()
    expect((await flaws()).filter(({ kind }) => kind === 'wire').map(({ state }) => state)).toEqual(['left', 'left'])
    expect(await harness.test('wires').count()).toBe(0)
    await harness.test('undo').click()
    await harness.test('wires-flaws').click()
    await harness.saved()
    await expect.poll(async () => (await flaws()).filter(({ kind }) => kind === 'wire').length).toBe(0)
    expect((await flaws()).filter(({ id }) => id === 'w1' || id === 'w2').map(({ kind }) => kind)).toEqual(['hair', 'hair'])
  })
  it('none like one are left in one step, and more like it are searched for', async () => {
    await page.locator('[data-test=ledger-row]', { hasText: 'Speck' }).first().click()
    const before = await flaws()
    await harness.test('more-like').click()
    await expect.poll(async () => {
      const { runs } = (await (await fetch(`${harness.address}/api/pictures/${picture}`)).json()) as { runs: { state: string; parameters: { like?: string } }[] }
      return runs[0]?.parameters.like ? runs[0].state : 'not begun'
    }).toBe('done')
    await harness.idle()
    expect((await flaws()).slice(0, before.length).map(({ id }) => id)).toEqual(before.map(({ id }) => id))
    await page.locator('[data-test=ledger-row]', { hasText: 'Speck' }).first().click()
    await harness.test('none-like').click()
    await harness.saved()
    const left = (await flaws()).filter(({ state }) => state === 'left')
    expect(left.length).toBeGreaterThan(0)
    expect(new Set(left.map(({ kind }) => kind))).toEqual(new Set(['speck']))
    await harness.test('undo').click()
    await expect.poll(async () => (await flaws()).filter(({ state }) => state === 'left').length).toBe(0)
  })
})

describe('lenses', () => {
  it('say so on the picture, can be adjusted, and are put back when the stage is left', async () => {
    const before = await seen()
    await harness.test('lens-relief').click()
    await page.getByText('Relief lens: the result is not touched').waitFor()
    await expect.poll(async () => (await seen()) !== before).toBe(true)
    await new Promise((resolve) => setTimeout(resolve, 800))
    const wide = await seen()
    await harness.test('lens-set').click()
    await page.getByRole('slider', { name: 'Radius of the relief lens' }).press('Home')
    await expect.poll(async () => (await seen()) !== wide).toBe(true)
    await harness.test('lens-grain').click()
    await page.getByText('Grain lens: the result is not touched').waitFor()
    await page.getByText('Mend', { exact: true }).first().click()
    await expect.poll(() => page.getByText('the result is not touched').count()).toBe(0)
  })
  it('nothing was complained of on the way', () => expect(harness.complaints).toEqual([]))
})
