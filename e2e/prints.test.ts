import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import type { Page } from 'playwright-core'
import { rest } from './browser.js'
import { Harness } from './harness.js'
import { stainedPrint } from '../demo/pictures.js'

/** What is wrong with prints from albums: stains that are lifted, losses and tears that wait for the restorer. */

let harness: Harness
let page: Page
let picture: string
const treatment = async () => (await harness.opened(picture)).treatment

beforeAll(async () => {
  harness = await Harness.start(['stained-print.tif', 'torn-print.tif', 'lower-station.tif'], {}, undefined, { width: 2400, height: 1600 })
  page = harness.page
})
afterAll(() => harness.stop())

describe('a stained print', () => {
  it('is searched for stains unasked, since it is a scan', async () => {
    picture = await harness.pictureNamed('stained-print.tif')
    await harness.open(picture, 'find')
    expect(await harness.test('kind-stain').locator('input').isChecked()).toBe(true)
    expect(await harness.test('kind-moire').locator('input').isChecked()).toBe(false)
    await harness.searchFor('stain')
    const { flaws } = await treatment()
    expect(new Set(flaws.map(({ kind }) => kind))).toEqual(new Set(['stain']))
    expect(flaws.length).toBeGreaterThan(5)
    await expect.poll(() => harness.test('ledger-row').first().textContent()).toContain('Stain')
  })

  it('has its stains lifted, and says by what', async () => {
    await harness.open(picture, 'mend')
    await harness.mendAllOpen()
    const { flaws, steps } = await treatment()
    // What is too faint to say what it takes stays open.
    expect(flaws.filter(({ state }) => state === 'open').length).toBe(flaws.length - steps.length)
    expect(steps.length).toBeGreaterThan(0.7 * flaws.length)
    expect(new Set(steps.map(({ method }) => method))).toEqual(new Set(['lift']))
    const tinted = steps.filter(({ tint }) => tint !== undefined)
    expect(tinted.length).toBeGreaterThan(0.8 * steps.length)
    for (const { tint } of tinted) expect(tint!.depth.length).toBeGreaterThan(1)
    await harness.test('ledger-row').first().click()
    await expect.poll(() => page.locator('aside.slip').textContent()).toContain('Its colour tells how much light it takes')
  })

  it('shows less of a lift by its strength, and takes that back', async () => {
    const id = (await treatment()).steps[0]!.flaw
    await harness.test('ledger-row').first().click()
    await harness.ready()
    const before = (await treatment()).steps.find((step) => step.flaw === id)
    await page.getByRole('slider', { name: 'Strength' }).focus()
    await page.keyboard.press('ArrowLeft')
    await expect.poll(async () => (await treatment()).steps.filter(({ strength }) => strength < 1).length).toBe(1)
    await harness.saved()
    await page.keyboard.press('Control+z')
    await expect.poll(async () => (await treatment()).steps.filter(({ strength }) => strength < 1).length).toBe(0)
    expect((await treatment()).steps.find((step) => step.flaw === id)).toEqual(before)
  })
})

describe('mould on that print', () => {
  it('is found spot by spot', async () => {
    await harness.open(picture, 'find')
    await harness.searchFor('mould')
    const found = (await treatment()).flaws.filter(({ kind }) => kind === 'mould')
    const { flaws: spots } = await stainedPrint({ width: 1200, height: 800 })
    expect(spots.length).toBeGreaterThan(25)
    const isOn = ({ shape }: (typeof found)[number]) => shape.type === 'disc' && spots.some(({ x, y, r }) => Math.hypot(x - shape.x, y - shape.y) < Math.max(2, 0.8 * r))
    expect(found.filter(isOn).length).toBeGreaterThan(0.6 * spots.length)
    // A small spot of foxing may pass for one.
    expect(found.filter((flaw) => !isOn(flaw)).length).toBeLessThan(6)
  })
})

describe('a torn print', () => {
  it('has its losses found as outlines', async () => {
    picture = await harness.pictureNamed('torn-print.tif')
    await harness.open(picture, 'find')
    await harness.searchFor('loss')
    const { flaws } = await treatment()
    expect(flaws.every(({ kind, shape }) => kind === 'loss' && shape.type === 'outline')).toBe(true)
    await expect.poll(() => harness.test('ledger-row').first().textContent()).toContain('Loss or tear')
  })

  it('waits for the restorer, who fills what is lost', async () => {
    await harness.open(picture, 'mend')
    // A run that is asked to mend all leaves them alone.
    await page.click('[data-test=mend-all]')
    await rest(page, 1500)
    await harness.idle()
    expect((await treatment()).steps).toEqual([])
    await harness.test('ledger-row').first().click()
    await page.waitForSelector('[data-test=selected-mark]')
    await page.keyboard.press('3')
    await expect.poll(async () => (await treatment()).steps.map(({ method }) => method)).toEqual(['fill'])
    await harness.ready()
    await rest(page, 300)
    expect(harness.complaints).toEqual([])
  })
})

describe('a print that is delivered small', () => {
  it('says how many of its flaws nobody will see then', async () => {
    picture = await harness.pictureNamed('lower-station.tif')
    await harness.open(picture, 'find')
    const usual = await harness.falseFindsTold()
    expect(usual.most).toBeGreaterThan(usual.mean)
    // With more false finds to look at, fainter and smaller ones are found.
    await page.getByRole('slider', { name: 'False finds to look at' }).focus()
    for (let k = 0; k < 4; k++) await page.keyboard.press('ArrowRight')
    const more = await harness.falseFindsTold()
    expect(more.mean).toBeGreaterThan(5 * usual.mean)
    expect(more.most).toBeGreaterThan(usual.most)
    await harness.searchFor('speck')
    await harness.open(picture, 'mend')
    // In its own size all that was found is seen.
    expect(await harness.test('choose-unseen').count()).toBe(0)
    await harness.choose('delivered', '300 px')
    await expect.poll(() => harness.test('choose-unseen').textContent()).toMatch(/^[1-9]\d* not seen$/)
    await harness.choose('delivered', 'its own size')
    await expect.poll(() => harness.test('choose-unseen').count()).toBe(0)
    expect(harness.complaints).toEqual([])
  })
  it('says which of its finds are doubtful, shows these first, and chooses them together', async () => {
    const doubtful = harness.test('choose-doubtful')
    await expect.poll(() => doubtful.textContent()).toMatch(/^[1-9]\d* doubtful$/)
    const count = Number.parseInt((await doubtful.textContent())!, 10)
    while ((await harness.test('order').textContent()) !== 'Most doubtful first') await harness.test('order').click()
    const first = harness.test('ledger-row').first()
    await expect.poll(() => first.innerText()).toContain('doubtful')
    await first.click()
    expect(await harness.test('likelihood').textContent()).toMatch(/^Of 100 such finds about [1-4]?\d (is|are) real\.$/)
    await doubtful.click()
    await expect.poll(() => harness.test('group').locator('h2').textContent()).toBe(`${count} flaws`)
    expect(harness.complaints).toEqual([])
  })
})
