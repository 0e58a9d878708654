import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import type { Page } from 'playwright-core'
import { rest } from './browser.js'
import { Harness } from './harness.js'

/** The stage Assemble: a torn print found in its scan, fitted, moved by hand, joined, mended. */

let harness: Harness
let page: Page
let picture: string
const NAME = 'torn-in-two.tif'
beforeAll(async () => {
  harness = await Harness.start([NAME], {}, undefined, { width: 1600, height: 1066 })
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
  it('is joined into a picture of its own, whose seam is open in Mend and closed there', async () => {
    await harness.test('join').click()
    await harness.test('open-joined').waitFor({ timeout: 120_000 })
    await harness.test('open-joined').click()
    await page.waitForURL(/\/mend$/)
    await page.waitForSelector('[data-test=picture][aria-busy=false] canvas')
    await rest(page, 600)
    const joined = /pictures\/([^/]+)\//.exec(page.url())![1]!
    const opened = await harness.opened(joined)
    expect(opened.treatment.flaws.length).toBeGreaterThan(0)
    expect(opened.treatment.flaws.every(({ kind, state }) => kind === 'loss' && state === 'open')).toBe(true)
    await page.locator('[data-home]').first().focus()
    await page.keyboard.press('Shift+M')
    await expect.poll(async () => (await harness.opened(joined)).treatment.steps.length, { timeout: 120_000 }).toBe(opened.treatment.flaws.length)
  })
  it('nothing was complained of on the way', () => expect(harness.complaints).toEqual([]))
})
