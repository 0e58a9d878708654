import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import type { Page } from 'playwright-core'
import { areaCoverage } from '../../core/shape/zone/area.js'
import { rest } from '../browser.js'
import { Harness } from '../harness.js'

/** Guards and zones in Chromium: grown from strokes, drawn by outline, changed, and what they do to mends. */

let harness: Harness
let page: Page
let picture: string
const areas = async () => (await harness.opened(picture)).treatment.areas ?? []
const at = (x: number, y: number) => harness.inView(x, y)
const line = async (from: [number, number], to: [number, number]) => harness.drag(await at(...from), await at(...to))

beforeAll(async () => {
  ;({ harness, page, picture } = await Harness.onBench('pylon-7-west.jpg', { width: 1500, height: 1000 }))
})
afterAll(() => harness.stop())

describe('a guard', () => {
  it('grows from a stroke inside and strokes outside, can be corrected with more, and is kept', async () => {
    await page.keyboard.press('g')
    await harness.test('area-slip').waitFor()
    // The meadow below, the sky above.
    await line([0.2, 0.93], [0.6, 0.94])
    await harness.test('grown').first().waitFor()
    await page.keyboard.press('i')
    expect(await harness.test('side-outside').getAttribute('aria-checked')).toBe('true')
    await line([0.3, 0.3], [0.6, 0.35])
    await rest(page, 300)
    await expect.poll(async () => (await harness.test('grow-state').innerText()).startsWith('Draw more')).toBe(true)
    await page.keyboard.press('Enter')
    await expect.poll(async () => (await areas()).length).toBe(1)
    await harness.saved()
    const [guard] = await areas()
    expect(guard).toMatchObject({ name: 'Guard 1', role: 'guard', softEdgePx: 0 })
    const inside = (x: number, y: number) => areaCoverage([guard!], { x, y, width: 1, height: 1 })?.data[0] ?? 0
    expect(inside(600, 930)).toBe(1)
    expect(inside(600, 300)).toBe(0)
    await harness.test('area-guard').first().waitFor()
  })

  it('stops a mend at its edge, and refuses what lies in it with the reason', async () => {
    await page.keyboard.press('Escape')
    await page.keyboard.press('s')
    const sky = await at(0.4, 0.3)
    await page.mouse.click(sky.x, sky.y)
    await expect.poll(async () => (await harness.opened(picture)).treatment.steps.length).toBe(1)
    const meadow = await at(0.4, 0.95)
    await page.mouse.click(meadow.x, meadow.y)
    await page.getByText(/lies in the guard "Guard 1"/).waitFor()
    expect((await harness.opened(picture)).treatment.steps).toHaveLength(1)
    await page.keyboard.press('s')
  })

  it('refuses a source that would take from it, at the pointer, and leaves the source where it was', async () => {
    await page.keyboard.press('Escape')
    const sky = await at(0.4, 0.3)
    await page.mouse.click(sky.x, sky.y)
    await page.waitForSelector('[data-test=selected-mark]')
    await page.click('[data-test=method-heal]')
    await harness.ready()
    const source = (await harness.test('source-mark').boundingBox())!
    const step = async () => (await harness.opened(picture)).treatment.steps[0]!
    const before = (await step()).source
    await page.mouse.move(source.x + source.width / 2, source.y + source.height / 2)
    await page.mouse.down()
    const meadow = await at(0.4, 0.93)
    for (let i = 1; i <= 8; i++) await page.mouse.move(source.x + ((meadow.x - source.x) * i) / 8, source.y + ((meadow.y - source.y) * i) / 8)
    expect(await harness.test('refusal').innerText()).toContain('takes from the guard Guard 1')
    await page.mouse.up()
    await page.getByText(/The source takes from the guard/).waitFor()
    await rest(page, 500)
    expect((await step()).source).toEqual(before)
  })

  it('is softened, named, made a zone and a guard again; mends are released and held with it', async () => {
    await page.keyboard.press('Escape')
    await page.keyboard.press('g')
    // The one that was made last is still selected.
    await harness.test('area-name').fill('Meadow')
    await harness.test('area-name').press('Tab')
    await expect.poll(async () => (await areas())[0]!.name).toBe('Meadow')
    await page.locator('[data-test=area-soft-edge] [role=slider]').focus()
    await page.keyboard.press('ArrowRight')
    await expect.poll(async () => (await areas())[0]!.softEdgePx).toBe(1)
    await page.click('[data-test=role-zone]')
    await expect.poll(async () => (await areas())[0]!.role).toBe('zone')
    expect((await harness.opened(picture)).treatment.steps.some((step) => step.guards)).toBe(false)
    await page.click('[data-test=role-guard]')
    await expect.poll(async () => (await areas())[0]!.role).toBe('guard')
    await page.click('[data-test=undo]')
    await expect.poll(async () => (await areas())[0]!.role).toBe('zone')
  })

  it('is drawn by outline, taken from, and the flaws in it are chosen together', async () => {
    // A click on the selected one lets it go, so that a new one is drawn.
    await harness.test('area').first().click()
    await harness.test('area-name').waitFor({ state: 'detached' })
    await page.click('[data-test=area-outline]')
    const corners = [[0.3, 0.2], [0.5, 0.2], [0.5, 0.4], [0.3, 0.4], [0.3, 0.2]] as const
    for (const [x, y] of corners) {
      await rest(page, 450)
      const point = await at(x, y)
      await page.mouse.click(point.x, point.y)
    }
    await expect.poll(async () => (await areas()).length).toBe(2)
    expect((await areas())[1]!.parts).toHaveLength(1)
    await page.click('[data-test=area-take]')
    const round = await Promise.all(Array.from({ length: 14 }, (_value, i) => at(0.48 + 0.02 * Math.cos(i / 2), 0.37 + 0.02 * Math.sin(i / 2))))
    await harness.drag(...round)
    await expect.poll(async () => (await areas())[1]!.parts.map(({ mode }) => mode)).toEqual(['add', 'take'])
    await page.click('[data-test=area-flaws]')
    await rest(page, 300)
    expect(await page.evaluate(() => document.querySelectorAll('[data-test=ledger-row].grouped').length)).toBe(1)
    await page.keyboard.press('Escape')
    await page.click('[data-test=area-remove]')
    await expect.poll(async () => (await areas()).length).toBe(1)
  })

  it('says where to search: only in it, or everywhere but in it', async () => {
    await page.keyboard.press('Escape')
    const [zone] = await areas()
    const inside = (x: number, y: number) => (areaCoverage([zone!], { x: Math.floor(x), y: Math.floor(y), width: 1, height: 1 })?.data[0] ?? 0) >= 0.5
    const found = async () => (await harness.opened(picture)).treatment.flaws.filter(({ origin }) => origin === 'found').map(({ shape }) => shape as { x: number; y: number })
    await page.click('[data-test=stage-find]')
    const everywhere = await harness.falseFindsTold()
    for (const part of ['Only in', 'All but']) {
      await harness.choose('where', `${part} ${zone!.name}`)
      expect((await harness.falseFindsTold()).mean).toBeLessThan(everywhere.mean)
    }
    // Of what the whole picture tells, nothing is promised.
    const kinds = page.locator('[data-test^=kind-]')
    const checked = await kinds.evaluateAll((all) => all.filter((kind) => kind.querySelector('input')!.checked).map((kind) => kind.getAttribute('data-test')!))
    for (const kind of checked) await harness.test(kind).click()
    await harness.test('kind-stain').click()
    expect(await harness.test('false-finds').count()).toBe(0)
    expect(await page.getByRole('slider', { name: 'False finds to look at' }).count()).toBe(0)
    await harness.test('kind-stain').click()
    for (const kind of checked) await harness.test(kind).click()
    expect(await harness.test('false-finds').count()).toBe(1)
    await page.click('[data-test=find]')
    await expect.poll(async () => (await found()).length).toBeGreaterThan(3)
    await harness.idle()
    const sky = await found()
    expect(sky.some(({ x, y }) => inside(x, y))).toBe(false)
    // The meadow has next to nothing; what was found elsewhere stays.
    await harness.choose('where', `Only in ${zone!.name}`)
    await page.click('[data-test=find]')
    await page.waitForSelector('[data-test=run]')
    await harness.idle()
    expect((await found()).filter(({ x, y }) => !inside(x, y))).toHaveLength(sky.length)
    // Taken out in another window while it is chosen, the whole picture is what is searched.
    const { revision } = await harness.opened(picture)
    await fetch(`${harness.address}/api/pictures/${picture}/edits`, {
      method: 'POST', headers: { 'content-type': 'application/json' },
      body: JSON.stringify({ revision, label: 'Take out', operations: [{ type: 'remove', list: 'areas', ids: [zone!.id] }] }),
    })
    await harness.test('where').waitFor({ state: 'detached' })
    expect(await harness.falseFindsTold()).toEqual(everywhere)
    await page.click('[data-test=find]')
    await page.waitForSelector('[data-test=run]')
    await harness.idle()
  })

  it('nothing was complained of on the way', () => expect(harness.complaints.filter((text) => !text.includes('422'))).toEqual([]))
})
