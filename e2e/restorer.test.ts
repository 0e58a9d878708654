import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import type { CDPSession, Page } from 'playwright-core'
import { axeFindings, cutOff, rest } from './browser.js'
import { Harness } from './harness.js'

/** The bench as a restorer uses it: nothing lost, nothing swallowed, by pointer, by keys and by touch. */

let harness: Harness
let page: Page
let picture: string
let cdp: CDPSession
const NAME = 'pylon-7-west.jpg'
beforeAll(async () => {
  harness = await Harness.alone([NAME], { hasTouch: true })
  page = harness.page
  picture = await harness.pictureNamed(NAME)
  await harness.open(picture, 'mend')
  cdp = await page.context().newCDPSession(page)
})
afterAll(() => harness.stop())

const steps = async () => (await harness.opened(picture)).treatment.steps
const saidTop = () => harness.test('saved').innerText()
const clickAt = async (x: number, y: number) => {
  const at = await harness.inView(x, y)
  await page.mouse.click(at.x, at.y)
}
const focused = () => page.evaluate(() => document.activeElement?.getAttribute('data-test') ?? document.activeElement?.getAttribute('aria-label') ?? document.activeElement?.tagName ?? '')
const touch = (type: 'touchStart' | 'touchEnd', ...points: { x: number; y: number }[]) => cdp.send('Input.dispatchTouchEvent', { type, touchPoints: points })

describe('a press in the picture', () => {
  it('that is held long, or slips a little, mends where it was meant', async () => {
    await harness.test('tool-spot').click()
    const held = await harness.inView(0.3, 0.3)
    await page.mouse.move(held.x, held.y)
    await page.mouse.down()
    await page.waitForTimeout(600)
    await page.mouse.up()
    await expect.poll(async () => (await steps()).length).toBe(1)
    const slipped = await harness.inView(0.6, 0.3)
    await page.mouse.move(slipped.x, slipped.y)
    await page.mouse.down()
    await page.mouse.move(slipped.x + 4, slipped.y + 4)
    await page.mouse.up()
    await expect.poll(async () => (await steps()).length).toBe(2)
    await harness.saved()
  })
  it('under the words of a lens is not swallowed', async () => {
    await harness.test('lens-negative').click()
    await rest(page, 400)
    const words = (await page.locator('.banner.lens').boundingBox())!
    // At 1:1 the picture fills the view, the words lie over it.
    await page.keyboard.press('z')
    await rest(page, 600)
    await page.mouse.click(words.x + words.width / 2, words.y + words.height / 2)
    await expect.poll(async () => (await steps()).length).toBe(3)
    await harness.test('lens-plain').click()
    await page.keyboard.press('0')
    await harness.saved()
  })
  it('with two fingers mends nothing, and the original can be held by touch', async () => {
    const before = (await steps()).length
    const [a, b] = [await harness.inView(0.4, 0.6), await harness.inView(0.6, 0.6)]
    await touch('touchStart', a, b)
    await page.waitForTimeout(60)
    await touch('touchEnd')
    await page.waitForTimeout(900)
    expect((await steps()).length).toBe(before)
    const hold = (await harness.test('hold').boundingBox())!
    await touch('touchStart', { x: hold.x + 8, y: hold.y + 8 })
    await page.locator('.banner', { hasText: 'Original' }).waitFor()
    await touch('touchEnd')
    await page.locator('.banner', { hasText: 'Original' }).waitFor({ state: 'detached' })
  })
})

describe('what is selected', () => {
  it('near the edge of the whole picture leaves the view as it is', async () => {
    await page.keyboard.press('0')
    await rest(page, 600)
    await clickAt(0.17, 0.12)
    await expect.poll(async () => (await steps()).length).toBe(4)
    await page.keyboard.press('Escape')
    await harness.test('tool-select').click()
    const zoom = await harness.test('zoom').innerText()
    const shown = () => page.locator('[data-test=picture] canvas').first().screenshot()
    await harness.test('marks-none').click()
    await rest(page, 600)
    const before = await shown()
    await page.locator('[data-test=ledger-row]').last().click()
    await rest(page, 900)
    expect(await harness.test('zoom').innerText()).toBe(zoom)
    expect(Buffer.compare(before, await shown())).toBe(0)
    await harness.test('marks-all').click()
  })
  it('keeps its source, mirror and turn when the method changes between heal and clone, and gets back what a method had', async () => {
    await page.locator('[data-test=ledger-row]').first().click()
    await harness.test('method-heal').click()
    await harness.ready()
    await harness.test('mirror').click()
    await page.waitForTimeout(900)
    await harness.saved()
    const flaw = (await steps()).find(({ source }) => source?.mirror)!.flaw
    const step = async () => (await steps()).find((candidate) => candidate.flaw === flaw)!
    const healed = await step()
    await harness.test('method-clone').click()
    await expect.poll(async () => (await step()).method).toBe('clone')
    expect((await step()).source).toEqual(healed.source)
    await harness.ready()
    await harness.test('method-fill').click()
    await expect.poll(async () => (await step()).method).toBe('fill')
    await harness.ready()
    await harness.test('method-heal').click()
    await expect.poll(async () => (await step()).method).toBe('heal')
    expect((await step()).source).toEqual(healed.source)
    await harness.ready()
  })
  it('takes a strength and a size that are typed, and a size by Alt and the wheel', async () => {
    const flaw = (await steps()).find(({ source }) => source?.mirror)!.flaw
    const step = async () => (await steps()).find((candidate) => candidate.flaw === flaw)!
    await page.locator('[data-test=strength-number] input').fill('30')
    await page.keyboard.press('Enter')
    await expect.poll(async () => (await step()).strength).toBe(0.3)
    await page.locator('[data-test=size-number] input').fill('30')
    await page.keyboard.press('Enter')
    await expect.poll(async () => (await step()).shape).toMatchObject({ r: 15 })
    await harness.ready()
    const at = await harness.inView(0.5, 0.5)
    await page.mouse.move(at.x, at.y)
    await page.keyboard.down('Alt')
    await page.mouse.wheel(0, -100)
    await page.mouse.wheel(0, -100)
    await page.keyboard.up('Alt')
    await expect.poll(async () => ((await step()).shape as { r: number }).r).toBeGreaterThan(16)
    await harness.ready()
  })
})

describe('the keyboard', () => {
  it('belongs to a button that has the focus: Enter and Space are for it, not for the flaw', async () => {
    await page.locator('[data-test=ledger-row]').first().click()
    const before = (await harness.opened(picture)).revision
    await harness.test('filter-open').focus()
    await page.keyboard.press('Enter')
    await expect.poll(() => harness.test('filter-open').getAttribute('aria-pressed')).toBe('true')
    await harness.test('filter-all').focus()
    await page.keyboard.press('Space')
    await expect.poll(() => harness.test('filter-all').getAttribute('aria-pressed')).toBe('true')
    expect((await harness.opened(picture)).revision).toBe(before)
  })
  it('finds the ledger as one stop with arrows inside, and all that is open can be mended by a key', async () => {
    await harness.test('ledger').focus()
    const first = await page.locator('[data-test=ledger] [aria-selected=true]').getAttribute('id')
    await page.keyboard.press('ArrowDown')
    await expect.poll(() => page.locator('[data-test=ledger] [aria-selected=true]').getAttribute('id')).not.toBe(first)
    expect(await focused()).toBe('ledger')
    await page.keyboard.press('Tab')
    expect(await page.evaluate(() => document.activeElement!.closest('[data-test=ledger]'))).toBeNull()
    await harness.test('ledger').focus()
    // One flaw is opened again, and mended with all that is open.
    await page.keyboard.press('Delete')
    await harness.saved()
    const open = (await harness.opened(picture)).treatment.flaws.filter(({ state }) => state === 'open').length
    const steppedBefore = (await steps()).length
    await page.keyboard.press('Shift+M')
    if (open > 0) await expect.poll(async () => (await steps()).length).toBeGreaterThan(steppedBefore)
    else expect((await steps()).length).toBe(steppedBefore)
    await harness.idle()
  })
  it('is with the picture after a control was used by pointer, after a slider, and after going to another stage', async () => {
    await page.locator('[data-test=ledger-row]').first().click()
    await harness.test('method-heal').click()
    await harness.ready()
    expect(await focused()).toBe('Picture')
    const slider = (await page.locator('[data-test=strength] .el-slider__button-wrapper').boundingBox())!
    await harness.drag({ x: slider.x + 5, y: slider.y + 8 }, { x: slider.x - 20, y: slider.y + 8 })
    await page.waitForTimeout(300)
    expect(await focused()).toBe('Picture')
    const id = () => page.locator('[data-test=ledger] [aria-selected=true]').getAttribute('id')
    const at = await id()
    await page.keyboard.press('ArrowDown')
    await expect.poll(id).not.toBe(at)
    await harness.test('stage-find').click()
    await page.waitForURL(/\/find$/)
    await page.waitForTimeout(400)
    expect(await focused()).not.toBe('BODY')
    await harness.test('stage-mend').click()
    await page.waitForURL(/\/mend$/)
    await page.waitForSelector('[data-test=picture][aria-busy=false] canvas')
  })
})

describe('a server out of reach', () => {
  it('loses nothing: what was done meanwhile goes on from another page, and the words are true', async () => {
    const before = (await steps()).length
    await harness.test('tool-spot').click()
    const back = harness.services!.kill('database', 5000)
    await clickAt(0.45, 0.75)
    await page.waitForFunction(() => document.querySelector('[data-test=saved]')?.textContent?.startsWith('Not saved'))
    expect(await saidTop()).toContain('kept in this browser')
    await page.locator('.top-bar a.soft').click()
    await page.waitForURL(new RegExp(`/jobs/${harness.job}$`))
    expect(await harness.test('waiting').innerText()).toContain('kept in this browser')
    await back
    await expect.poll(async () => (await steps().catch(() => [])).length).toBe(before + 1)
    await harness.test('waiting').waitFor({ state: 'detached' })
    await harness.open(picture, 'mend')
  })
  it('begins nothing it cannot, and says so', async () => {
    await harness.open(picture, 'find')
    const runs = async () => ((await (await fetch(`${harness.address}/api/pictures/${picture}`)).json()) as { runs: unknown[] }).runs.length
    const before = await runs()
    const back = harness.services!.kill('database', 4000)
    await harness.test('find').click()
    await page.locator('.el-message').first().waitFor()
    await back
    await expect.poll(() => runs().catch(() => -1)).toBe(before)
    await harness.open(picture, 'mend')
  })
  it('a reload within a moment of a click does not lose the mend', async () => {
    const before = (await steps()).length
    await harness.test('tool-spot').click()
    await clickAt(0.75, 0.75)
    await page.waitForTimeout(25)
    await page.reload()
    await expect.poll(async () => (await steps()).length).toBe(before + 1)
    await harness.saved()
  })
})

describe('pages', () => {
  it('have titles of their own, and an address that leads nowhere has a page that says so', async () => {
    await page.waitForSelector('[data-test=picture][aria-busy=false] canvas')
    expect(await page.title()).toContain(NAME)
    await page.goto(`${harness.address}/jobs/nowhere`)
    await page.getByText('There is nothing at this address').waitFor()
    expect(await page.title()).toContain('Nothing here')
    await harness.test('to-shelf').click()
    await page.waitForSelector('[data-test=job]')
  })
  it('a new job asks for its title at once; a job is deleted after a question and brought back', async () => {
    await harness.test('new-job').click()
    await page.waitForTimeout(500)
    await page.keyboard.type('Short job')
    await page.keyboard.press('Enter')
    await page.waitForURL(/\/jobs\/[0-9a-f-]+$/)
    await page.locator('.brand').click()
    const job = page.locator('[data-test=job]', { hasText: 'Short job' })
    await job.locator('[data-test=delete-job]').click()
    await page.locator('.el-message-box').getByText('Keep it').click()
    await job.locator('[data-test=delete-job]').click()
    await page.locator('.el-message-box .el-button--primary').click()
    await job.waitFor({ state: 'detached' })
    await page.locator('[data-test=deleted-jobs] [data-test=restore-job]').click()
    await job.waitFor()
  })
  it('a picture is deleted after a question and brought back', async () => {
    await page.goto(`${harness.address}/jobs/${harness.job}`)
    const row = page.locator(`[data-test=picture-row][data-name="${NAME}"]`)
    await row.locator('[data-test=delete-picture]').click()
    await page.locator('.el-message-box .el-button--primary').click()
    await row.waitFor({ state: 'detached' })
    await harness.test('restore-picture').click()
    await row.waitFor()
  })
  it('pass axe (WCAG 2 A and AA), and cut nothing at 1024 x 700: shelf, contact sheet, sensor page, bench, hand over', async () => {
    const { sensors } = (await (await fetch(`${harness.address}/api/jobs/${harness.job}/sensors`)).json()) as { sensors: { id: string }[] }
    const job = `/jobs/${harness.job}`
    await page.setViewportSize({ width: 1024, height: 700 })
    for (const path of ['/', job, `${job}/hand-over`, `${job}/sensors/${sensors[0]!.id}`, ...['assemble', 'find', 'mend', 'finish', 'correct', 'rebuild', 'hand-over'].map((stage) => `${job}/pictures/${picture}/${stage}`)]) {
      await page.goto(harness.address + path)
      await rest(page, 700)
      if (path.endsWith('mend')) {
        await page.locator('[data-test=ledger-row]').first().click()
        await rest(page, 700)
      }
      expect(await cutOff(page), path).toEqual([])
      expect(await axeFindings(page), path).toEqual([])
    }
    await page.setViewportSize({ width: 1280, height: 800 })
  })
  it('help says the keys and words of a screen, takes the keys while it is open, and gives the focus back', async () => {
    await page.goto(`${harness.address}/jobs/${harness.job}/pictures/${picture}/mend`)
    await page.waitForSelector('[data-test=tool-spot]')
    await page.locator('[data-home]').first().focus()
    await page.keyboard.press('?')
    const help = page.locator('[data-test=help-dialog]')
    await help.waitFor()
    await rest(page, 400)
    expect(await help.textContent()).toContain('mend all open')
    expect(await help.textContent()).toContain('gives back what shows through the flaw')
    expect(await axeFindings(page)).toEqual([])
    await page.keyboard.press('s')
    await page.keyboard.press('Escape')
    await help.waitFor({ state: 'hidden' })
    expect(await harness.test('tool-spot').getAttribute('aria-checked')).toBe('false')
    await page.keyboard.press('s')
    await expect.poll(() => harness.test('tool-spot').getAttribute('aria-checked')).toBe('true')
    await page.keyboard.press('s')
  })
})
