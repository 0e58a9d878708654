import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import type { CDPSession, Page } from 'playwright-core'
import type { Flaw, Step } from '../core/treatment/schema.js'
import { rest } from './browser.js'
import { Harness, type Point } from './harness.js'

/** Strokes and outlines, drawn freehand, corner by corner and with a pen, and what can be done with them afterwards. */

let harness: Harness
let page: Page
let picture: string

const flaws = async () => (await harness.opened(picture)).treatment.flaws
const newest = async (): Promise<{ flaw: Flaw; step: Step | undefined }> => {
  const { treatment } = await harness.opened(picture)
  const flaw = treatment.flaws.at(-1)!
  return { flaw, step: treatment.steps.find((step) => step.flaw === flaw.id) }
}
const firstPoint = (step: Step | undefined) => (step!.shape as { points: [number, number][] }).points[0]!
const at = (x: number, y: number) => harness.inView(x, y)
/** A click that sets a corner; apart in time from the last, so that it is no double click. */
async function corner(x: number, y: number): Promise<void> {
  await rest(page, 450)
  const point = await at(x, y)
  await page.mouse.move(point.x, point.y)
  await page.mouse.click(point.x, point.y)
}
async function until(count: number): Promise<void> {
  await expect.poll(async () => (await flaws()).length).toBe(count)
  await harness.saved()
}

beforeAll(async () => {
  ;({ harness, page, picture } = await Harness.onBench('lower-station.tif'))
})
afterAll(() => harness.stop())

describe('strokes', () => {
  it('are drawn freehand, smoothed, and mended at once', async () => {
    await page.keyboard.press('t')
    const path: Point[] = []
    for (let i = 0; i <= 12; i++) path.push(await at(0.2 + 0.02 * i, 0.3 + 0.03 * Math.sin(i / 2)))
    await harness.drag(...path)
    await until(1)
    const { flaw, step } = await newest()
    expect(flaw.shape.type).toBe('stroke')
    const points = (flaw.shape as { points: [number, number][] }).points
    expect(points.length).toBeGreaterThan(5)
    // It goes from left to right, as the hand did.
    expect(points.at(-1)![0] - points[0]![0]).toBeGreaterThan(100)
    expect(step?.method).toBe('fill')
    expect(step?.telltales).toBeDefined()
    await page.waitForSelector('[data-test=selected-mark]')
  })

  it('are set corner by corner: Backspace takes the last back, Enter ends', async () => {
    await page.keyboard.press('Escape')
    for (const [x, y] of [[0.3, 0.6], [0.4, 0.62], [0.9, 0.9]] as const) await corner(x, y)
    await page.waitForSelector('[data-test=drawn]')
    await page.keyboard.press('Backspace')
    await corner(0.5, 0.58)
    expect(await flaws()).toHaveLength(1)
    await page.keyboard.press('Enter')
    await until(2)
    expect((await newest()).flaw.shape).toMatchObject({ type: 'stroke' })
    expect(((await newest()).flaw.shape as { points: unknown[] }).points).toHaveLength(3)
    await page.waitForSelector('[data-test=drawn]', { state: 'detached' })
  })

  it('are abandoned by Escape', async () => {
    await page.keyboard.press('Escape')
    await corner(0.7, 0.7)
    await page.waitForSelector('[data-test=drawn]')
    await page.keyboard.press('Escape')
    await page.waitForSelector('[data-test=drawn]', { state: 'detached' })
    expect(await flaws()).toHaveLength(2)
  })

  it('take their width from the setting, by keys and by the wheel with Alt, and from the pressure of a pen', async () => {
    const size = page.getByRole('slider', { name: 'Size' })
    const before = Number(await size.getAttribute('aria-valuenow'))
    await page.keyboard.press('+')
    await expect.poll(async () => Number(await size.getAttribute('aria-valuenow'))).toBeGreaterThan(before)
    const over = await at(0.6, 0.5)
    await page.mouse.move(over.x, over.y)
    const zoom = await page.locator('.zoom > span').innerText()
    const larger = Number(await size.getAttribute('aria-valuenow'))
    await page.keyboard.down('Alt')
    await page.mouse.wheel(0, 200)
    await page.keyboard.up('Alt')
    await expect.poll(async () => Number(await size.getAttribute('aria-valuenow'))).toBeLessThan(larger)
    expect(await page.locator('.zoom > span').innerText()).toBe(zoom)
    const set = Number(await size.getAttribute('aria-valuenow'))
    const pen: CDPSession = await page.context().newCDPSession(page)
    const press = async (type: 'mousePressed' | 'mouseMoved' | 'mouseReleased', point: Point, force: number) =>
      pen.send('Input.dispatchMouseEvent', { type, x: point.x, y: point.y, button: type === 'mouseMoved' ? 'none' : 'left', buttons: type === 'mouseReleased' ? 0 : 1, clickCount: 1, pointerType: 'pen', force })
    await press('mouseMoved', await at(0.55, 0.75), 0)
    await press('mousePressed', await at(0.55, 0.75), 0.9)
    for (let i = 1; i <= 8; i++) await press('mouseMoved', await at(0.55 + 0.02 * i, 0.75), 0.9)
    await press('mouseReleased', await at(0.71, 0.75), 0)
    await until(3)
    const { width } = (await newest()).flaw.shape as { width: number }
    expect(width).toBeGreaterThan(1.15 * set)
  })
})

describe('a drawn mend', () => {
  it('is filled differently on asking, made wider, moved, and taken out', async () => {
    const { flaw } = await newest()
    const stepNow = async () => (await harness.opened(picture)).treatment.steps.find((step) => step.flaw === flaw.id)
    await page.keyboard.press('3')
    await expect.poll(async () => (await stepNow())?.method).toBe('fill')
    await harness.ready()
    const { seed } = (await stepNow())!
    await page.keyboard.press('o')
    await expect.poll(async () => (await stepNow())?.seed).not.toBe(seed)
    await harness.ready()
    const { width } = (await stepNow())!.shape as { width: number }
    await page.getByRole('slider', { name: 'Width' }).focus()
    await page.keyboard.press('ArrowRight')
    await expect.poll(async () => ((await stepNow())!.shape as { width: number }).width).toBeGreaterThan(width)
    await harness.ready()
    await page.keyboard.press('t')
    const mark = await harness.selectedMark()
    const [x, y] = firstPoint(await stepNow())
    await harness.drag(mark, { x: mark.x, y: mark.y - 40 })
    await expect.poll(async () => y - firstPoint(await stepNow())[1]).toBeGreaterThan(10)
    expect(Math.abs(firstPoint(await stepNow())[0] - x)).toBeLessThan(3)
    await harness.ready()
    // Moved once more and taken out before its mend is chosen: it must not come back.
    await harness.drag({ x: mark.x, y: mark.y - 40 }, { x: mark.x, y: mark.y - 20 })
    await page.keyboard.press('Delete')
    await until(2)
    await rest(page, 900)
    expect(await flaws()).toHaveLength(2)
  })
})

describe('outlines', () => {
  it('are drawn round a place; clicked corners end on the first', async () => {
    await page.keyboard.press('Escape')
    await page.keyboard.press('u')
    const corners = [[0.75, 0.2], [0.8, 0.2], [0.8, 0.26], [0.75, 0.26]] as const
    for (const [x, y] of [...corners, corners[0]]) await corner(x, y)
    await until(3)
    const { flaw } = await newest()
    expect(flaw.shape.type).toBe('outline')
    expect((flaw.shape as { points: unknown[] }).points).toHaveLength(4)
    await page.keyboard.press('Escape')
    const circle: Point[] = []
    for (let i = 0; i <= 20; i++) circle.push(await at(0.3 + 0.03 * Math.cos(i / 3.2), 0.8 + 0.04 * Math.sin(i / 3.2)))
    await harness.drag(...circle)
    await until(4)
    expect((await newest()).flaw.shape.type).toBe('outline')
  })

  it('the picture can still be moved and zoomed with any tool', async () => {
    await page.keyboard.press('Escape')
    const zoom = await page.locator('.zoom > span').innerText()
    const over = await at(0.5, 0.5)
    await page.mouse.move(over.x, over.y)
    await page.mouse.wheel(0, -400)
    await rest(page, 600)
    expect(await page.locator('.zoom > span').innerText()).not.toBe(zoom)
    expect(await flaws()).toHaveLength(4)
  })

  it('nothing was complained of on the way', () => expect(harness.complaints).toEqual([]))
})
