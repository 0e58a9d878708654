import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import type { Page } from 'playwright-core'
import { rest } from './browser.js'
import { Harness } from './harness.js'

/** The stage Assemble: a torn print found in its scan, fitted, moved by hand, joined, mended. */

let harness: Harness
let page: Page
let picture: string
const NAME = 'torn-in-two.tif'
const DUSK = ['dusk-dark.jpg', 'dusk-middle.jpg', 'dusk-light.jpg']
beforeAll(async () => {
  harness = await Harness.start([NAME, ...DUSK], {}, { width: 1800, height: 1200 }, { width: 1600, height: 1066 })
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
    await harness.test('piece').nth(1).waitFor({ timeout: 120_000 })
    expect(await harness.test('piece').count()).toBe(2)
    await harness.test('piece-row').nth(1).click()
    // The lower piece lies turned by 1.6 degrees; which of both is moved, the other is the base.
    const turned = Math.abs(Number((await number('piece-turn').inputValue()).replace('−', '-')))
    expect(Math.abs(turned - 1.6)).toBeLessThan(0.35)
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
    await expect.poll(() => harness.test('fit-from-here').count(), { timeout: 120_000 }).toBe(0)
    expect(Math.abs(Number(await number('piece-right').inputValue()) - before)).toBeLessThan(3)
  })
  it('is joined into a picture of its own, whose seam is open in Mend and closed there', { timeout: 240_000 }, async () => {
    await harness.test('join').click()
    await harness.test('open-joined').waitFor({ timeout: 120_000 })
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
    await expect.poll(async () => (await harness.opened(joined)).treatment.steps.length, { timeout: 120_000 }).toBeGreaterThan(0.5 * opened.treatment.flaws.length)
  })
})

describe('a bracket at dusk', () => {
  it('is proposed on the contact sheet and merged, what moved shown as every exposure has it', async () => {
    await page.goto(`${harness.services.address}/jobs/${harness.job}`)
    await harness.test('bracket-proposal').waitFor()
    expect(await harness.test('bracket-proposal').innerText()).toContain('dusk-dark.jpg, dusk-middle.jpg, dusk-light.jpg')
    await harness.test('merge-bracket').click()
    await page.waitForURL(/\/assemble$/)
    await harness.test('bracket').waitFor({ timeout: 120_000 })
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
    const merges = async () => ((await (await fetch(`${harness.services.address}/api/jobs/${harness.job}`)).json()) as { list: { name: string }[] }).list.filter(({ name }) => name.endsWith('-merged.tif')).length
    await expect.poll(merges, { timeout: 120_000 }).toBe(2)
    await expect.poll(() => harness.test('merge-again').isDisabled(), { timeout: 30_000 }).toBe(true)
    expect(await harness.test('moving-thing').first().locator('[data-test=take-from]').nth(0).getAttribute('aria-pressed')).toBe('true')
    expect(await harness.test('open-merged').innerText()).toBe(before)
    await harness.test('open-merged').click()
    await page.waitForURL(/\/find$/)
    const merged = /pictures\/([^/]+)\//.exec(page.url())![1]!
    await expect.poll(async () => (await harness.opened(merged)).picture.original.depth).toBe(16)
  })
  it('nothing was complained of on the way', () => expect(harness.complaints).toEqual([]))
})
