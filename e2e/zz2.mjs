import { browser, page, openPicture } from './zzshot.mjs'
let box
const at = (x, y) => [box.x + x * box.width, box.y + y * box.height]
async function go(name) { await openPicture(name, 'correct'); box = await page.locator('[data-test=picture]').boundingBox() }
async function size(px) { await page.fill('[data-test=brush-size] input', String(px)); await page.keyboard.press('Enter') }
async function stroke(points) { await page.mouse.move(...at(...points[0])); await page.mouse.down(); for (const p of points.slice(1)) await page.mouse.move(...at(...p), { steps: 8 }); await page.mouse.up(); await page.waitForTimeout(1200) }
async function add(name) { const t = Date.now(); const n = await page.locator('[data-test=step]').count(); await page.click('[data-test=what-is-wrong]'); await page.click(`[data-test=offer-${name}]`); await page.waitForFunction((n) => document.querySelectorAll('[data-test=step]').length > n, n, { timeout: 60000 }); console.log(name, 'added in', Date.now() - t) }
const which = process.argv[2]
if (which === 'rain') {
  await go('cabin-window')
  await page.click('[data-test=zone-in]'); await size(640)
  await page.mouse.click(...at(0.33, 0.38)); await page.waitForTimeout(1500)
  await add('contrast'); await page.waitForTimeout(4000)
} else if (which === 'haze') {
  await go('valley-haze'); await add('clear-haze'); await page.waitForTimeout(4000)
  await page.screenshot({ path: '/tmp/s0.png' })
  await page.click('[data-test=zone-in]'); await size(260)
  await stroke([[0.06, 0.42], [0.42, 0.02]]); 
  await add('shift-colour'); await page.waitForTimeout(4000)
} else if (which === 'seat') {
  await go('seat-cover'); await page.click('[data-test=zone-in]'); await size(1100); await page.click('[data-test=zone-in]')
  await stroke([[0.3, 0.5], [0.66, 0.5]]); await add('calm-moire'); await page.waitForTimeout(4000)
} else if (which === 'ring') {
  await go('ring-stain'); await page.click('[data-test=zone-in]'); await size(940)
  await page.mouse.click(...at(0.38, 0.445)); await page.waitForTimeout(1500); await add('lift-stain'); await page.waitForTimeout(4000)
} else if (which === 'night') {
  await go('upper-station'); await page.click('[data-test=zone-in]'); await size(200)
  await page.mouse.click(...at(0.765, 0.125)); await page.waitForTimeout(1500); await add('grain'); await page.keyboard.press('z'); await page.waitForTimeout(4000)
} else if (which === 'dense') {
  await go('shaft-dense'); await page.click('[data-test=step]').catch(() => {}); await page.waitForTimeout(3000)
}
await page.screenshot({ path: '/tmp/s1.png' })
await browser.close()
