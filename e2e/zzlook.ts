import { Harness } from './harness.js'
import { rest } from './browser.js'
const h = await Harness.start(['faded-print.tif'], {}, undefined, { width: 2400, height: 1600 })
const { page } = h
const id = await h.pictureNamed('faded-print.tif')
await h.open(id, 'finish')
const shot = async (n: string) => { await rest(page, 900); await page.screenshot({ path: `/tmp/look-${n}.png` }) }
await shot('0')
await h.test('what-is-wrong').click().catch((e) => console.log('wiw', String(e).slice(0, 100)))
await rest(page, 400)
console.log(await page.locator('[data-test^=offer-]').evaluateAll((all) => all.map((e) => (e as HTMLElement).dataset.test)))
await shot('1')
await h.test('offer-perspective').click(); await shot('2-perspective')
const ops = async () => JSON.stringify((await h.opened(id)).treatment.operations?.map((o) => [o.operation, o.settings]))
console.log(await ops())
const box = (await h.test('picture').boundingBox())!
// drag the corner nearest the top left
const handles = await page.locator('[data-test^=corner]').evaluateAll((all) => all.map((e) => { const b = e.getBoundingClientRect(); return [(e as HTMLElement).dataset.test, b.x + b.width / 2, b.y + b.height / 2] }))
console.log(handles)
const at = (handles[0] ? { x: handles[0][1] as number, y: handles[0][2] as number } : { x: box.x + 40, y: box.y + 40 })
await h.drag(at, { x: at.x + 30, y: at.y + 22 }); await shot('3-corner'); console.log(await ops())
await page.keyboard.press('Escape')
await h.test('what-is-wrong').click(); await h.test('offer-lens').click(); await page.locator('[data-test=set-k1-number] input').fill('0.12'); await page.keyboard.press('Enter'); await shot('4-lens'); console.log(await ops())
await h.test('flip').click(); await shot('5-flip')
await h.test('turn-view').click(); await shot('6-turned')
await h.test('flip').click()
await h.test('print-view').click(); await shot('7-print')
console.log(await ops(), h.complaints)
await h.stop()
process.exit(0)
