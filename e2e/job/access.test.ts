import { afterAll, beforeAll, expect, it } from 'vitest'
import { mkdtempSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import type { Browser, Page } from 'playwright-core'
import sharp from 'sharp'
import { startServices, type Services } from '../../scripts/services.js'
import { axeFindings, openBrowser, PATIENCE_MS } from '../browser.js'

/** A Fennip that is open to a network: the first account, another for viewing, signing in and out. */

const home = mkdtempSync(join(tmpdir(), 'fennip-e2e-access-'))
let services: Services
let browser: Browser
let page: Page
const test = (name: string) => page.locator(`[data-test=${name}]`)
beforeAll(async () => {
  services = await startServices({ home, logLevel: 'silent', environment: { FENNIP_SIGN_IN: 'always', FENNIP_SESSION_SECRET: 'x'.repeat(40), FENNIP_FIRST_CODE: '27182818' } })
  browser = await openBrowser()
  // As behind a proxy that ends the encryption: cookies are kept for such connections alone.
  page = await browser.newPage({ viewport: { width: 1280, height: 800 }, extraHTTPHeaders: { 'x-forwarded-proto': 'https' } })
  page.setDefaultTimeout(PATIENCE_MS)
})
afterAll(async () => {
  await browser.close()
  await services.remove()
})

async function signIn(name: string, password: string): Promise<void> {
  await test('sign-in-name').fill(name)
  await test('sign-in-password').fill(password)
  await page.keyboard.press('Enter')
}

it('leads to the first account, and back to where one wanted to go', async () => {
  await page.goto(`${services.address}/jobs/00000000-0000-4000-8000-000000000000`)
  await page.waitForURL(/sign-in\?next=/)
  await expect.poll(() => page.locator('h1').innerText()).toBe('Make the first account')
  expect(await axeFindings(page)).toEqual([])
  await test('sign-in-code').fill('00000000')
  await signIn('archive', 'seven pylons in fog')
  await expect.poll(() => test('sign-in-problem').innerText()).toContain('code is wrong')
  await test('sign-in-code').fill('27182818')
  await test('sign-in').click()
  await page.waitForURL(({ pathname }) => pathname.startsWith('/jobs/0000'))
})

/** What the page of the whole job offers to owners alone. */
const OF_THE_JOB = ['write-archive', 'write-sheet', 'throw-mends', 'throw-files', 'throw-archives']

/** And that of a sensor. */
const OF_THE_SENSOR = ['learn', 'apply', 'chart-take', 'all-frames', 'other-body']

it('an owner makes an account for viewing, and changes things', async () => {
  await page.goto(services.address)
  await test('new-job').click()
  await test('job-title').fill('Jubilee book')
  await test('make-job').click()
  await page.waitForURL(({ pathname }) => /\/jobs\/(?!0000)/.test(pathname))
  await test('picker').setInputFiles({ name: 'upper-station.png', mimeType: 'image/png', buffer: await sharp({ create: { width: 240, height: 160, channels: 3, background: '#7a8594' } }).png().toBuffer() })
  // One of them says what camera took it, so that there is a sensor.
  await test('picker').setInputFiles({ name: 'pylon-4-noon.jpg', mimeType: 'image/jpeg', buffer: await sharp({ create: { width: 240, height: 160, channels: 3, background: '#8f9aa6' } }).withExif({ IFD0: { Make: 'Orrendale Optical', Model: 'OT-2' }, IFD2: { FNumber: '11/1' } }).jpeg().toBuffer() })
  await expect.poll(() => page.locator('[data-test=picture-row]').count()).toBe(2)
  expect(await test('only-looking').count()).toBe(0)
  await test('job-hand-over').click()
  await test('space-row').first().waitFor()
  for (const name of OF_THE_JOB) expect(await test(name).count(), name).toBe(1)
  await page.goBack()
  await test('sensor').click()
  await test('frame').waitFor()
  for (const name of OF_THE_SENSOR) expect(await test(name).count(), name).toBe(1)
  await page.goto(services.address)
  await test('account').click()
  await test('accounts').click()
  await test('account-name').fill('printer')
  await test('account-password').fill('upper station light')
  await test('add-account').click()
  await page.getByRole('cell', { name: 'printer', exact: true }).waitFor()
  expect(await axeFindings(page)).toEqual([])
  await page.keyboard.press('Escape')
  await test('account').click()
  await test('sign-out').click()
  await page.waitForURL(/sign-in/)
})

it('a viewer sees the job and no way to change it', async () => {
  await signIn('printer', 'wrong password')
  await expect.poll(() => test('sign-in-problem').innerText()).toContain('Name or password is wrong')
  await signIn('printer', 'upper station light')
  await test('job').waitFor()
  expect(await test('new-job').count()).toBe(0)
  expect(await test('delete-job').count()).toBe(0)
  await test('account').click()
  expect(await test('accounts').count()).toBe(0)
  await page.keyboard.press('Escape')
})

it('a viewer looks at a picture and is told that owners make the changes; nothing is refused by surprise', async () => {
  await test('job').locator('a').first().click()
  await page.waitForURL(/jobs/)
  const row = page.locator('[data-test=picture-row]', { hasText: 'upper-station' })
  await row.waitFor()
  await test('only-looking').waitFor()
  for (const name of ['add', 'find-chosen', 'delete-picture', 'all']) expect(await test(name).count(), name).toBe(0)
  expect(await axeFindings(page)).toEqual([])
  await test('job-hand-over').click()
  await test('space-row').first().waitFor()
  await test('only-looking').waitFor()
  for (const name of OF_THE_JOB) expect(await test(name).count(), name).toBe(0)
  expect(await axeFindings(page)).toEqual([])
  await page.goBack()
  await test('sensor').click()
  await test('frame').waitFor()
  await test('only-looking').waitFor()
  for (const name of OF_THE_SENSOR) expect(await test(name).count(), name).toBe(0)
  expect(await axeFindings(page)).toEqual([])
  // The frames of the body may be looked at.
  await test('frame').locator('a').click()
  await page.waitForURL(/pictures\/.*\/mend$/)
  await page.goBack()
  await page.waitForURL(/sensors/)
  await page.goBack()
  await row.locator('a').first().click()
  await page.waitForURL(/pictures\/.*\/(find|mend)$/)
  const picture = page.url().split('/').at(-2)!
  await page.goto(page.url().replace(/[a-z-]+$/, 'mend'))
  await test('only-looking').waitFor()
  await page.waitForSelector('[data-test=picture][aria-busy=false] canvas')
  const complaints: string[] = []
  page.on('response', (response) => response.status() >= 400 && complaints.push(`${response.status()} ${response.url()}`))
  await page.locator('[data-home]').first().focus()
  for (const key of ['s', 'm', 'l', 'Control+z']) await page.keyboard.press(key)
  expect(await test('tool-spot').getAttribute('aria-checked')).toBe('false')
  const box = (await test('picture').boundingBox())!
  await page.mouse.click(box.x + box.width / 2, box.y + box.height / 2)
  await page.waitForTimeout(600)
  expect(complaints).toEqual([])
  expect(((await (await page.request.get(`${services.address}/api/pictures/${picture}`)).json()) as { revision: number }).revision).toBe(0)
  // The original may be looked at all the same.
  await page.keyboard.down('Space')
  await page.locator('.banner', { hasText: 'Original' }).waitFor()
  await page.keyboard.up('Space')
  expect(await axeFindings(page)).toEqual([])
})
