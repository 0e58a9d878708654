import { afterAll, beforeAll, expect, it } from 'vitest'
import { spawn, spawnSync, type ChildProcess } from 'node:child_process'
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { fileURLToPath } from 'node:url'
import type { Browser, Page } from 'playwright-core'
import sharp from 'sharp'
import { openBrowser, PATIENCE_MS } from '../browser.js'

/** A newcomer's way: a clean clone, `npm start` with the settings it has, a frame in, mended, written, downloaded. */

const root = fileURLToPath(new URL('../..', import.meta.url))
const folder = mkdtempSync(join(tmpdir(), 'fennip-clone-'))
const clone = join(folder, 'fennip')
let started: ChildProcess
let browser: Browser
let page: Page
let address = ''

beforeAll(async () => {
  spawnSync('git', ['clone', '--quiet', '--no-hardlinks', root, clone])
  // What is not committed yet is part of what is tested; packages are those that are installed already.
  const changed = spawnSync('git', ['ls-files', '-mo', '--exclude-standard'], { cwd: root, encoding: 'utf8' }).stdout.split('\n').filter(Boolean)
  for (const file of changed) spawnSync('cp', ['--parents', file, clone], { cwd: root })
  // Hard links: an installation in the clone must not reach the packages here.
  if (spawnSync('cp', ['-al', join(root, 'node_modules'), join(clone, 'node_modules')]).status !== 0) spawnSync('cp', ['-a', join(root, 'node_modules'), join(clone, 'node_modules')])
  const environment: NodeJS.ProcessEnv = { ...process.env, FENNIP_DEMO: 'none' }
  for (const name of Object.keys(environment)) if (/^FENNIP_(?!DEMO)/.test(name)) delete environment[name]
  spawnSync('npx', ['tsx', 'scripts/generate.ts'], { cwd: clone, env: environment })
  started = spawn('npm', ['start'], { cwd: clone, env: environment, stdio: ['ignore', 'pipe', 'inherit'], detached: true })
  address = await new Promise<string>((resolve, reject) => {
    let said = ''
    started.stdout!.on('data', (chunk: Buffer) => {
      said += chunk.toString()
      const found = /Fennip is ready: (\S+)/.exec(said)
      if (found) resolve(found[1]!)
    })
    started.once('exit', () => reject(new Error(`npm start ended: ${said}`)))
  })
  browser = await openBrowser()
  page = await browser.newPage({ viewport: { width: 1280, height: 800 }, acceptDownloads: true })
  page.setDefaultTimeout(PATIENCE_MS)
}, 300000)
afterAll(async () => {
  await browser?.close()
  const ended = new Promise((resolve) => started.once('exit', resolve))
  process.kill(-started.pid!, 'SIGINT')
  await ended
  rmSync(readFileSync(join(clone, '.fennip/database-folder'), 'utf8').trim(), { recursive: true, force: true })
  rmSync(folder, { recursive: true, force: true })
}, 60000)

it('from a clean clone to a downloaded file, in which only the mend has changed pixels', async () => {
  const [width, height] = [900, 600]
  const samples = Buffer.alloc(width * height * 3)
  for (let i = 0; i < width * height; i++) for (let c = 0; c < 3; c++) samples[3 * i + c] = 120 + ((i * 7919 + c * 31) % 13) + Math.floor((i % width) / 30)
  for (let y = 290; y < 310; y++) for (let x = 440; x < 460; x++) if (Math.hypot(x - 449.5, y - 299.5) < 4) samples.fill(30, 3 * (y * width + x), 3 * (y * width + x) + 3)
  const file = join(folder, 'frame.png')
  writeFileSync(file, await sharp(samples, { raw: { width, height, channels: 3 } }).png().toBuffer())
  await page.goto(address)
  await page.click('[data-test=new-job]')
  await page.waitForTimeout(500)
  await page.keyboard.type('Valley frames')
  await page.keyboard.press('Enter')
  await page.waitForURL(/\/jobs\/[0-9a-f-]+$/)
  await page.setInputFiles('[data-test=picker]', file)
  await page.locator('[data-test=picture-row] a b').click()
  await page.waitForURL(/\/find$/)
  await page.click('[data-test=stage-mend]')
  await page.waitForSelector('[data-test=picture][aria-busy=false] canvas')
  await page.waitForTimeout(600)
  await page.click('[data-test=tool-spot]')
  const view = (await page.locator('[data-test=picture]').boundingBox())!
  await page.mouse.click(view.x + view.width / 2, view.y + view.height / 2)
  await page.waitForSelector('[data-test=verdict]')
  await page.waitForFunction(() => document.querySelector('[data-test=saved]')?.textContent === 'All saved')
  await page.click('[data-test=stage-hand-over]')
  await page.click('[data-test=export]')
  const link = page.locator('[data-test=export-row] a[download], [data-test=export-row] a')
  await link.first().waitFor()
  const [download] = await Promise.all([page.waitForEvent('download'), link.first().click()])
  const path = join(folder, download.suggestedFilename())
  await download.saveAs(path)
  expect(download.suggestedFilename()).toBe('frame-archive.tif')
  const out = await sharp(readFileSync(path)).removeAlpha().raw().toBuffer()
  let changed = 0
  let far = 0
  for (let i = 0; i < width * height; i++) {
    if (out[3 * i] === samples[3 * i] && out[3 * i + 1] === samples[3 * i + 1] && out[3 * i + 2] === samples[3 * i + 2]) continue
    changed++
    if (Math.hypot((i % width) - 449.5, Math.floor(i / width) - 299.5) > 60) far++
  }
  expect(changed).toBeGreaterThan(40)
  expect(far).toBe(0)
  // The dark spot is gone.
  expect(out[3 * (300 * width + 450)]).toBeGreaterThan(100)
}, 180000)
