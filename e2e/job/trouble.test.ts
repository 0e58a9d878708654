import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import type { CDPSession, Page } from 'playwright-core'
import { rest } from '../browser.js'
import { Harness, type Point } from '../harness.js'

/** What must not go wrong: a lost database while editing, and fingers that only meant to move the picture. */

let harness: Harness
let page: Page
let picture: string
let fingers: CDPSession

const steps = async () => (await harness.opened(picture)).treatment.steps
const touch = (type: 'touchStart' | 'touchMove' | 'touchEnd', ...points: Point[]) =>
  fingers.send('Input.dispatchTouchEvent', { type, touchPoints: points.map(({ x, y }, id) => ({ x: Math.round(x), y: Math.round(y), id })) })

/** Two fingers land one after the other and draw apart. */
async function pinch(middle: Point, from: number, to: number): Promise<void> {
  const at = (r: number): [Point, Point] => [{ x: middle.x - r, y: middle.y }, { x: middle.x + r, y: middle.y }]
  await touch('touchStart', at(from)[0])
  await page.waitForTimeout(40)
  await touch('touchStart', ...at(from))
  for (let i = 1; i <= 8; i++) {
    await touch('touchMove', ...at(from + ((to - from) * i) / 8))
    await page.waitForTimeout(20)
  }
  await touch('touchEnd')
  await rest(page, 600)
}

const scale = async () => page.locator('.zoom > span').innerText()

beforeAll(async () => {
  harness = await Harness.alone(['pylon-7-west.jpg'], { hasTouch: true })
  page = harness.page
  picture = await harness.pictureNamed('pylon-7-west.jpg')
  await harness.open(picture, 'mend')
  fingers = await page.context().newCDPSession(page)
})
afterAll(() => harness.stop())

describe('touch', () => {
  it('one finger taps and mends', async () => {
    await harness.test('tool-spot').click()
    const at = await harness.inView(0.4, 0.3)
    await touch('touchStart', at)
    await touch('touchEnd')
    await expect.poll(async () => (await steps()).length).toBe(1)
    await harness.saved()
  })

  it('two fingers move and zoom the picture and never mend', async () => {
    const before = await scale()
    await pinch(await harness.inView(0.5, 0.5), 40, 170)
    expect(await scale()).not.toBe(before)
    await harness.saved()
    expect(await steps()).toHaveLength(1)
  })

  it('a second finger that lands while a mark is dragged takes the drag back', async () => {
    await page.keyboard.press('0')
    await rest(page, 700)
    const mark = await harness.selectedMark()
    const [before] = await steps()
    await touch('touchStart', mark)
    await touch('touchMove', { x: mark.x + 20, y: mark.y })
    await page.waitForTimeout(60)
    await touch('touchStart', { x: mark.x + 20, y: mark.y }, { x: mark.x + 160, y: mark.y })
    await touch('touchMove', { x: mark.x + 30, y: mark.y }, { x: mark.x + 190, y: mark.y })
    await touch('touchEnd')
    await rest(page, 800)
    await harness.saved()
    expect(await steps()).toEqual([before])
  })
})

describe('a lost database', () => {
  it('is said at once; what was done meanwhile is kept on screen, sent by itself and there after a reload', async () => {
    await page.keyboard.press('Escape')
    const back = harness.services!.kill('database', 8000)
    const at = await harness.inView(0.7, 0.35)
    await page.mouse.click(at.x, at.y)
    await page.waitForFunction(() => document.querySelector('[data-test=saved]')?.textContent?.startsWith('Not saved'))
    expect(await harness.test('ledger-row').count()).toBe(2)
    await back
    await page.waitForFunction(() => document.querySelector('[data-test=saved]')?.textContent === 'All saved')
    expect(await steps()).toHaveLength(2)
    await page.reload()
    await page.waitForSelector('[data-test=ledger-row]')
    expect(await harness.test('ledger-row').count()).toBe(2)
  })

  it('is all that was complained of', () => {
    // Failed requests are the browser's own report of the lost database.
    expect(harness.complaints.filter((complaint) => !/Failed to load resource|ERR_/.test(complaint))).toEqual([])
  })
})
