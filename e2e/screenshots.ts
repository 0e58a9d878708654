import { fileURLToPath } from 'node:url'
import { DEMO_TITLE } from '../demo/load.js'
import { openBrowser, PATIENCE_MS, rest } from './browser.js'

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
  await page.waitForSelector('[data-test=ledger-row]')
}
await page.click('[data-test=lens-negative]')
await page.locator('[data-test=ledger-row]').nth(4).click()
await shot('bench-find-negative')
await page.goto(`${bench}/mend`)
await rest(page)
if (mended + settled === 0) {
  await page.click('[data-test=mend-all]')
  await page.waitForSelector('[data-test=run]')
  await page.waitForSelector('[data-test=run]', { state: 'detached' })
}
await page.locator('[data-test=ledger-row]').nth(2).click()
await page.click('[data-test=method-heal]')
await rest(page)
await page.waitForSelector('[data-test=method-heal]:not([disabled])')
await page.keyboard.press('z')
await rest(page, 1500)
await shot('bench-mend-source')
await page.keyboard.press('1')
await rest(page)
await page.keyboard.press('Enter')
await page.keyboard.press('0')
await shot('bench-mend')
// The mend beside the original, with what it was measured by drawn.
await page.locator('[data-test=ledger-row]').nth(1).click()
await page.keyboard.press('z')
await page.keyboard.press('b')
await rest(page)
await page.click('[data-test=telltale-toneStep]')
await shot('bench-beside')
await page.click('[data-test=telltale-toneStep]')
await page.keyboard.press('b')
await page.keyboard.press('Escape')
await page.keyboard.press('0')
// A guard round the pylon, grown from strokes; not kept.
await rest(page)
await page.keyboard.press('g')
const stage = (await page.locator('[data-test=picture]').boundingBox())!
const draw = async (from: readonly [number, number], to: readonly [number, number]) => {
  await page.mouse.move(stage.x + from[0] * stage.width, stage.y + from[1] * stage.height)
  await page.mouse.down()
  await page.mouse.move(stage.x + to[0] * stage.width, stage.y + to[1] * stage.height, { steps: 10 })
  await page.mouse.up()
  await page.waitForFunction(() => document.querySelector('[data-test=grow-state]')?.textContent?.startsWith('Draw more'))
}
await draw([0.705, 0.3], [0.68, 0.9])
await draw([0.735, 0.4], [0.79, 0.92])
await page.keyboard.press('i')
await draw([0.45, 0.3], [0.45, 0.95])
await draw([0.9, 0.4], [0.93, 0.95])
await draw([0.55, 0.12], [0.8, 0.12])
await shot('bench-guard')
await page.keyboard.press('Escape')
await page.keyboard.press('g')
// Two more pictures searched, so that the contact sheet has something to say.
await page.goto(`${address}/jobs/${job.id}`)
for (const name of ['shaft-valve-3.jpg', 'lower-station.tif']) {
  const row = page.locator(`[data-test=picture-row][data-name="${name}"]`)
  if ((await row.locator('[data-test=verdict]').innerText()) === 'not searched') await row.locator('.el-checkbox').click()
}
if (await page.locator('[data-test=find-chosen]').isEnabled()) {
  await page.click('[data-test=find-chosen]')
  await page.waitForFunction(() => document.querySelector('[data-test=batch-words]')?.textContent?.includes('of 2 done') && !document.querySelector('[data-test=batch-cancel]'))
}
await page.goto(`${bench}/hand-over`)
await rest(page)
if ((await page.locator('[data-test=export-row]').count()) === 0) {
  await page.click('[data-test=export]')
  await page.waitForSelector('[data-test=download]')
}
await page.click('[data-test=show-files]')
await page.locator('[data-test=output-row]', { hasText: 'before and after' }).click()
await page.waitForSelector('[data-test=output-preview]')
await rest(page, 8000)
await shot('bench-hand-over')
await page.goto(page.url().replace(/\/pictures\/.*/, '/hand-over'))
await page.waitForSelector('[data-test=space-row]')
if ((await page.locator('[data-test=job-download]').count()) === 0) {
  await page.click('[data-test=write-archive]')
  await page.waitForSelector('[data-test=job-download]')
}
await rest(page, 1500)
await shot('job-hand-over')
// A round over the print, some of it looked at.
const station = list.find((picture) => picture.name === 'lower-station.tif')!
const print = `${address}/jobs/${job.id}/pictures/${station.id}`
await page.goto(`${print}/find`)
await rest(page)
for (let i = 0; i < 9; i++) {
  await page.keyboard.press('PageDown')
  await rest(page, 900)
}
await shot('bench-round')
// A stained print beside the original, its stains lifted.
const stained = list.find((picture) => picture.name === 'stained-print.tif')!
await page.goto(`${address}/jobs/${job.id}/pictures/${stained.id}/find`)
await rest(page)
if ((stained.counts.open ?? 0) + (stained.counts.mended ?? 0) === 0) {
  for (const kind of ['dust', 'speck', 'line', 'loss']) await page.click(`[data-test=kind-${kind}]`)
  await page.click('[data-test=find]')
  await page.waitForSelector('[data-test=ledger-row]')
}
await page.goto(`${address}/jobs/${job.id}/pictures/${stained.id}/mend`)
await rest(page)
if ((stained.counts.mended ?? 0) === 0) {
  await page.click('[data-test=mend-all]')
  await page.waitForSelector('[data-test=run]')
  await page.waitForSelector('[data-test=run]', { state: 'detached' })
}
// A spot of foxing: mould may weigh more.
await page.locator('[data-test=ledger-row]').filter({ hasText: 'Stain' }).nth(1).click()
await page.keyboard.press('0')
await page.keyboard.press('b')
await rest(page, 1500)
await shot('bench-stains')
await page.keyboard.press('b')
// The chart of the series' body, learned and applied; one mark in all frames.
const { sensors } = (await (await fetch(`${address}/api/jobs/${job.id}/sensors`)).json()) as { sensors: { id: string; frames: number; marks: number | null }[] }
const body = sensors.find(({ frames }) => frames >= 5)!
await page.goto(`${address}/jobs/${job.id}/sensors/${body.id}`)
await page.waitForSelector('[data-test=frame]')
if (body.marks === null) {
  await page.click('[data-test=all-frames]')
  await page.click('[data-test=learn]')
  await page.waitForSelector('[data-test=sensor-map]')
  await page.click('[data-test=apply]')
}
await page.waitForFunction(() => document.querySelectorAll('[data-test=check-row]').length >= 5)
await page.waitForFunction(() => !/^(Reading \d|Applying )/m.test(document.body.innerText))
await rest(page, 4000)
await shot('sensor-chart')
await page.goto(`${address}/jobs/${job.id}`)
await rest(page, 2000)
await shot('contact-sheet')
await page.goto(address)
await shot('shelf')
// The faded print: proposed, turned level, and cut.
const faded = list.find((picture) => picture.name === 'faded-print.tif')
if (faded) {
  await page.goto(`${address}/jobs/${job.id}/pictures/${faded.id}/finish`)
  await page.waitForSelector('[data-test=picture][aria-busy=false] canvas')
  await rest(page, 1500)
  if ((await page.locator('[data-test=step]').count()) === 0) {
    await page.click('[data-test=propose-all]')
    await page.waitForSelector('[data-test=step]')
    for (const offer of ['sharpen', 'curve']) {
      await rest(page, 700)
      await page.click('[data-test=what-is-wrong]')
      await page.click(`[data-test=offer-${offer}]`)
      await page.waitForSelector(`[data-operation=${offer}]`)
    }
  }
  const view = (await page.locator('[data-test=picture]').boundingBox())!
  await page.mouse.click(view.x + 0.4 * view.width, view.y + 0.55 * view.height)
  await page.click('[data-operation=black-and-white]')
  await page.click('[data-test=divide]')
  await rest(page, 1500)
  await shot('bench-finish')
  await page.click('[data-test=divide]')
}
// Corrections of areas.
async function correct(name: string, tool: string, px: number | null, points: readonly (readonly [number, number])[], offers: readonly string[], file: string): Promise<void> {
  const picture = list.find((one) => one.name === name)
  if (!picture) return
  await page.goto(`${address}/jobs/${job.id}/pictures/${picture.id}/correct`)
  await page.waitForSelector('[data-test=picture][aria-busy=false] canvas')
  await rest(page, 1500)
  const view = (await page.locator('[data-test=picture]').boundingBox())!
  const at = ([x, y]: readonly [number, number]) => [view.x + x * view.width, view.y + y * view.height] as const
  if ((await page.locator('[data-test=zone]').count()) === 0) {
    await page.click(`[data-test=zone-${tool}]`)
    if (px !== null) {
      await page.locator('[data-test=brush-size] input').fill(String(px))
      await page.keyboard.press('Enter')
    }
    await page.mouse.move(...at(points[0]!))
    await page.mouse.down()
    for (const point of points.slice(1)) await page.mouse.move(...at(point), { steps: 8 })
    await page.mouse.up()
    await page.waitForSelector('[data-test=zone]')
  } else await page.locator('[data-test=zone]').first().click()
  for (const offer of offers) {
    if ((await page.locator(`[data-operation=${offer}]`).count()) > 0) continue
    await page.click('[data-test=what-is-wrong]')
    await page.click(`[data-test=offer-${offer}]`)
    await page.waitForSelector(`[data-operation=${offer}]`)
  }
  // At its corner: the values in the sentence open.
  await page.click(`[data-operation=${offers[0]}]`, { position: { x: 4, y: 4 } })
  await rest(page, 9000)
  await shot(file)
}
const ring = (x: number, y: number, rx: number, ry: number) => Array.from({ length: 41 }, (_, i) => [x + rx * Math.cos((i * 2 * Math.PI) / 40), y + ry * Math.sin((i * 2 * Math.PI) / 40)] as const)
await correct('shaft-dense.jpg', 'in', 420, [[0.1, 0.12], [0.9, 0.12], [0.92, 0.4], [0.92, 0.88], [0.5, 0.9], [0.1, 0.88], [0.1, 0.4], [0.16, 0.2]], ['clear-specks', 'even-out'], 'bench-correct')
await correct('ring-stain.tif', 'outline', null, ring(0.377, 0.44, 0.175, 0.29), ['lift-stain'], 'bench-correct-stain')
await correct('cabin-window-rain.jpg', 'in', 760, [[0.325, 0.38], [0.335, 0.39]], ['contrast'], 'bench-correct-zone')
// Pictures put together.
const idOf = (name: string) => list.find((one) => one.name === name)?.id
const tornInTwo = idOf('torn-in-two.tif')
if (tornInTwo) {
  await page.goto(`${address}/jobs/${job.id}/pictures/${tornInTwo}/assemble`)
  await rest(page)
  // Fitted anew: what is kept may be from before a change of the fit.
  await page.click('[data-test=fit]')
  await page.waitForSelector('[data-test=fit].is-loading')
  await page.waitForSelector('[data-test=fit]:not(.is-loading)')
  await page.waitForSelector('[data-test=piece]')
  await page.locator('[data-test=piece-row]').nth(1).click()
  await page.click('[data-test=pieces-apart]')
  await shot('bench-assemble')
}
const dusk = idOf('dusk-middle.jpg')
if (dusk) {
  await page.goto(`${address}/jobs/${job.id}/pictures/${dusk}/assemble`)
  await rest(page)
  const isMerged = (await page.locator('[data-test=bracket]').count()) > 0
  if (!isMerged) {
    await page.goto(`${address}/jobs/${job.id}`)
    await page.click('[data-test=merge-bracket]')
  }
  await page.waitForSelector('[data-test=bracket]')
  if (isMerged) {
    // Merged anew as it is, for the same reason.
    await page.locator('[data-test=take-from][aria-pressed=true]').first().click()
    await page.click('[data-test=merge-again]')
    await page.waitForSelector('[data-test=merge-again].is-loading')
    await page.waitForSelector('[data-test=merge-again]:not(.is-loading)', { timeout: PATIENCE_MS })
  }
  await shot('bench-assemble-bracket')
}
// Lost detail drawn again.
const rebuilt = idOf('stained-print.tif')
if (rebuilt) {
  await page.goto(`${address}/jobs/${job.id}/pictures/${rebuilt}/rebuild`)
  await page.waitForSelector('[data-test=picture][aria-busy=false] canvas')
  await rest(page, 1500)
  const view = (await page.locator('[data-test=picture]').boundingBox())!
  const stroke = async (...points: (readonly [number, number])[]) => {
    await page.mouse.move(view.x + points[0]![0] * view.width, view.y + points[0]![1] * view.height)
    await page.mouse.down()
    for (const [x, y] of points.slice(1)) await page.mouse.move(view.x + x * view.width, view.y + y * view.height, { steps: 10 })
    await page.mouse.up()
    await rest(page, 1200)
  }
  if ((await page.locator('[data-test=step]').count()) === 0) {
    await page.locator('[data-home]').first().focus()
    await page.keyboard.press('p')
    await page.mouse.click(view.x + 0.15 * view.width, view.y + 0.84 * view.height)
    await rest(page)
    await stroke([0.08, 0.815], [0.2, 0.79], [0.32, 0.8])
    await stroke([0.08, 0.83], [0.2, 0.81], [0.32, 0.815])
    await rest(page, 6000)
  }
  // At its corner: the values in the sentence open.
  await page.locator('[data-test=step]').first().click({ position: { x: 4, y: 4 } })
  await page.keyboard.press('s')
  await shot('bench-rebuild')
}
await browser.close()
