import { fileURLToPath } from 'node:url'
import { DEMO_TITLE } from '../demo/load.js'
import { openBrowser, rest } from './browser.js'

/** Pictures of the main views for the README, from a running Fennip with its demo job: `npm run screenshots`. */

const address = process.argv[2] ?? 'http://127.0.0.1:4170'
const folder = process.env.SCREENSHOTS ?? fileURLToPath(new URL('../docs/screenshots/', import.meta.url))
const browser = await openBrowser()
const page = await browser.newPage({ viewport: { width: 1280, height: 800 } })
page.on('console', (message) => {
  if (message.type() === 'error') console.error(message.text())
})
page.on('pageerror', (error) => console.error(error))
const shot = async (name: string) => {
  await rest(page)
  await page.screenshot({ path: `${folder}/${name}.png` })
  console.log(name)
}
const { jobs } = (await (await fetch(`${address}/api/jobs`)).json()) as { jobs: { id: string; title: string }[] }
const job = jobs.find((candidate) => candidate.title === DEMO_TITLE)!
const { list } = (await (await fetch(`${address}/api/jobs/${job.id}`)).json()) as { list: { id: string; name: string; counts: { open?: number; mended?: number; settled?: number } }[] }
const pylon = list.find((picture) => picture.name === 'pylon-7-west.jpg')!
const bench = `${address}/jobs/${job.id}/pictures/${pylon.id}`

// Find in the browser, as a restorer would.
await page.goto(`${bench}/find`)
await rest(page)
const { open = 0, mended = 0, settled = 0 } = pylon.counts
if (open + mended + settled === 0) {
  await page.click('[data-test=find]')
  await page.waitForSelector('[data-test=ledger-row]', { timeout: 120000 })
}
await page.click('[data-test=lens-negative]')
await page.locator('[data-test=ledger-row]').nth(4).click()
await shot('bench-find-negative')
await page.goto(`${bench}/mend`)
await rest(page)
if (mended + settled === 0) {
  await page.click('[data-test=mend-all]')
  await page.waitForSelector('[data-test=run]')
  await page.waitForSelector('[data-test=run]', { state: 'detached', timeout: 120000 })
}
await page.locator('[data-test=ledger-row]').nth(2).click()
await page.click('[data-test=method-heal]')
await rest(page)
await page.keyboard.press('z')
await shot('bench-mend-source')
await page.keyboard.press('1')
await rest(page)
await page.keyboard.press('Enter')
await page.keyboard.press('0')
await shot('bench-mend')
await page.goto(`${bench}/hand-over`)
await rest(page)
if ((await page.locator('[data-test=export-row]').count()) === 0) {
  await page.click('[data-test=export]')
  await page.waitForSelector('[data-test=download]', { timeout: 120000 })
}
await shot('bench-hand-over')
await page.goto(`${address}/jobs/${job.id}`)
await shot('contact-sheet')
await page.goto(address)
await shot('shelf')
await browser.close()
