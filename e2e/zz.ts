import { Harness } from './harness.js'
const t0 = performance.now(); const lap = (n: string) => console.log(n, Math.round(performance.now() - t0))
const h = await Harness.start(['stained-print.tif'], {}, undefined, { width: 2400, height: 1600 })
lap('started')
const id = await h.pictureNamed('stained-print.tif')
await h.open(id, 'mend')
lap('open')
const page = h.page
await h.test('stage-rebuild').click()
await page.waitForTimeout(1200)
const at = async (x: number, y: number): Promise<[number, number]> => { const b = (await h.test('picture').boundingBox())!; return [b.x + x * b.width, b.y + y * b.height] }
const stroke = async (a: [number, number], b: [number, number]) => { await page.mouse.move(...(await at(...a))); await page.mouse.down(); await page.mouse.move(...(await at(...b)), { steps: 20 }); await page.mouse.up() }
await page.locator('[data-home]').first().focus()
await page.keyboard.press('p'); await page.mouse.click(...(await at(0.45, 0.6)))
await page.waitForTimeout(500)
await page.locator('[data-test=pen-opacity-number] input').fill('50'); await page.keyboard.press('Enter')
await stroke([0.4, 0.3], [0.6, 0.32]); await stroke([0.42, 0.36], [0.62, 0.4])
await page.waitForTimeout(1500)
await page.locator('[data-home]').first().focus(); await page.keyboard.press('e'); await stroke([0.3, 0.5], [0.6, 0.52]); await page.waitForTimeout(1500)
await page.locator('[data-test=step]').last().click()
await page.keyboard.press('s'); await page.waitForTimeout(600)
await page.screenshot({ path: '/tmp/r1.png' })
lap('shot'); await h.stop(); lap('stopped')
