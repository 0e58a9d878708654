import { readFileSync } from 'node:fs'
import sharp from 'sharp'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import type { Page } from 'playwright-core'
import { rest } from '../browser.js'
import { runEnded } from '../../demo/load.js'
import { Harness } from '../harness.js'

/** The stage Hand over: a finished picture, four files and the report, opened; then the job as an archive that is taken in. */
describe('handing over', () => {
  let harness: Harness
  let page: Page
  let picture = ''
  const test = (name: string) => harness.test(name)
  const post = async (path: string, body: unknown) => (await (await fetch(`${harness.address}/api${path}`, { method: 'POST', headers: { 'content-type': 'application/json' }, body: JSON.stringify(body) })).json()) as { id: string }
  const ended = async (run: string) => {
    expect(await runEnded(harness.address, run)).toMatchObject({ state: 'done' })
  }

  beforeAll(async () => {
    harness = await Harness.start(['stained-print.tif'], {}, { width: 1500, height: 1000 }, { width: 2400, height: 1600 })
    page = harness.page
    picture = await harness.pictureNamed('stained-print.tif')
  })
  afterAll(() => harness.stop())

  it('shows what a file will be, and says it in words, as its settings change', async () => {
    await ended((await post(`/pictures/${picture}/find`, { kinds: ['speck', 'mould'], falseFinds: 3 })).id)
    await ended((await post(`/pictures/${picture}/mend`, { revision: (await harness.opened(picture)).revision })).id)
    await page.goto(`${harness.address}/jobs/${harness.job}/pictures/${picture}/hand-over`)
    await page.waitForSelector('[data-test=output-preview]')
    expect(await test('output-plan').textContent()).toMatch(/archive · 1.200 × 800 px · 10\.2 × 6\.8 cm at 300 per inch · about \d/)
    await test('output-row').filter({ hasText: 'screen' }).click()
    await expect.poll(() => test('output-loss').allTextContents()).toContain('JPEG holds 8 bits a sample; the picture has 16. Choose TIFF or PNG to keep them.')
    await test('longest-number').locator('input').fill('600')
    await test('longest-number').locator('input').press('Enter')
    await expect.poll(() => test('output-plan').textContent()).toMatch(/600 × 400 px/)
    expect(await test('output-row').filter({ hasText: 'screen' }).textContent()).toContain('longest side 600 px')
  })

  it('keeps the settings for the job', async () => {
    await expect.poll(async () => ((await (await fetch(`${harness.address}/api/jobs/${harness.job}/outputs`)).json()) as { outputs: { name: string; longestPx?: number }[] }).outputs.find(({ name }) => name === 'screen')!.longestPx).toBe(600)
    await page.reload()
    await page.waitForSelector('[data-test=output-preview]')
    await expect.poll(() => test('output-row').filter({ hasText: 'screen' }).textContent()).toContain('600 px')
  })

  it('a remark is pinned to a place and answered', async () => {
    await test('show-remarks').click()
    await rest(page)
    const view = (await test('picture').boundingBox())!
    await page.mouse.click(view.x + view.width * 0.6, view.y + view.height * 0.4)
    await test('remark-text').fill('Was the stain there when it came?')
    await test('remark-pin-it').click()
    await test('remark-answer').fill('Yes, since the flood.')
    await test('remark-answer').press('Enter')
    await expect.poll(async () => (await harness.opened(picture)).treatment.remarks?.[0]?.answer).toBe('Yes, since the flood.')
    const [remark] = (await harness.opened(picture)).treatment.remarks!
    expect(remark).toMatchObject({ text: 'Was the stain there when it came?', answer: 'Yes, since the flood.' })
    const at = harness.page.locator('[data-test=remark-pin]')
    expect(await at.count()).toBe(1)
    // A click on the pin selects it and begins no other.
    await page.mouse.click(view.x + view.width * 0.6, view.y + view.height * 0.4)
    expect(await test('remark-text').count()).toBe(0)
  })

  it('four files and the report are written, and the report opens', async () => {
    await test('report-html').click()
    expect(await test('export').textContent()).toContain('Write 6 files')
    await test('export').click()
    await page.waitForSelector('[data-test=download]')
    expect(await test('written-file').allTextContents()).toEqual([expect.stringContaining('stained-print-archive.tif'), expect.stringContaining('stained-print-print.tif'), expect.stringContaining('stained-print-screen.jpg'), expect.stringContaining('stained-print-before-and-after.jpg'), expect.stringContaining('stained-print-report.pdf'), expect.stringContaining('stained-print-report.html')].map((name) => name as unknown))
    const [download] = await Promise.all([page.waitForEvent('download'), test('download').nth(2).click()])
    expect(await sharp(await download.path()).metadata()).toMatchObject({ format: 'jpeg', width: 600, height: 400 })
    const [opened] = await Promise.all([page.context().waitForEvent('page'), test('open-file').last().click()])
    await opened.waitForLoadState()
    expect(await opened.locator('h1').textContent()).toBe('stained-print.tif')
    expect(await opened.locator('body').textContent()).toContain('Was the stain there when it came?')
    // Every picture of it is shown: nothing of the report is blocked or fetched.
    expect(await opened.evaluate(() => [...document.images].every(({ naturalWidth }) => naturalWidth > 0))).toBe(true)
    await opened.close()
  })

  it('nothing can be written before it is known what is kept for the job, and the report alone can', async () => {
    let answer = (): void => undefined
    const held = new Promise<void>((resolve) => (answer = resolve))
    await page.route(`**/api/jobs/${harness.job}/outputs`, async (route) => (await held, route.continue()), { times: 1 })
    await page.reload()
    await page.waitForSelector('[data-test=export]')
    expect(await test('export').isDisabled()).toBe(true)
    answer()
    await page.waitForSelector('[data-test=export]:enabled')
    const switches = await test('output-wanted').all()
    const wanted = (await Promise.all(switches.map(async (one) => ((await one.getAttribute('class'))!.includes('is-checked') ? [one] : [])))).flat()
    for (const one of wanted) await one.click()
    expect(await test('export').textContent()).toContain('Write the file')
    await test('export').click()
    await expect.poll(async () => (await test('written-file').allTextContents())[0]).toMatch(/stained-print.*\.pdf/)
    await test('show-files').click()
    for (const one of wanted) await one.click()
    expect(harness.complaints).toEqual([])
  })

  it('the job is written as an archive and taken in from the shelf', async () => {
    await page.goto(`${harness.address}/jobs/${harness.job}/hand-over`)
    await page.waitForSelector('[data-test=space-row]')
    await test('write-archive').click()
    await page.waitForSelector('[data-test=job-download]')
    const [download] = await Promise.all([page.waitForEvent('download'), test('job-download').first().click()])
    expect(download.suggestedFilename()).toBe('Orrendale jubilee book.zip')
    const buffer = readFileSync(await download.path())
    await page.goto(`${harness.address}/`)
    await test('archive-file').setInputFiles({ name: 'job.zip', mimeType: 'application/zip', buffer })
    await expect.poll(() => test('job').count()).toBe(2)
  })

  it('written files are thrown away when that is confirmed', async () => {
    await page.goto(`${harness.address}/jobs/${harness.job}/hand-over`)
    await test('throw-files').click()
    await page.locator('.el-message-box .el-button--primary').click()
    await expect.poll(() => test('throw-files').isDisabled()).toBe(true)
  })

  it('nothing was complained of on the way', () => expect(harness.complaints).toEqual([]))
})
