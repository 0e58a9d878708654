import { createReadStream, mkdtempSync, readdirSync, readFileSync, rmSync, statSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { fillFile } from '../../codec/sink.js'
import { writePicture } from '../../codec/write.js'
import { makeRandom } from '../../core/random.js'
import { makeRaster } from '../../core/raster/raster.js'
import { openBrowser, rest } from '../../e2e/browser.js'
import { startServices } from '../../scripts/services.js'

/**
 * Large pictures at 16 bits: how long every kind of long work takes, and how much memory worker, server and the tab of the
 * browser need at most meanwhile (resident set, Linux proc(5): VmHWM, set back before each work by clear_refs).
 *
 *   npx tsx bench/speed/large.ts [megapixels ...]     24 100 200 when none is given
 */

const SIZES: Record<string, readonly [number, number]> = { 24: [6000, 4000], 100: [12288, 8192], 200: [16384, 12288] }
const random = makeRandom(7)
const grain = Int16Array.from({ length: 65536 }, () => Math.round((random.uniform() + random.uniform() + random.uniform() - 1.5) * 1200))

/** A slope with grain and soft dark discs, as dust is; made strip by strip. */
async function aLargeFile(file: string, width: number, height: number): Promise<void> {
  const discs = Array.from({ length: 300 }, () => ({ x: width * random.uniform(), y: height * random.uniform(), r: 6 + 14 * random.uniform() }))
  await fillFile(file, (sink) => writePicture({
    width, height, channels: 3, depth: 16,
    read(y, rows) {
      const raster = makeRaster(width, rows, 3, 16)
      for (let i = 0; i < raster.data.length; i++) raster.data[i] = 18000 + Math.floor((y * 20000) / height) + grain[(i * 7 + (y * 31)) & 65535]!
      for (const disc of discs) {
        for (let row = Math.max(0, Math.floor(disc.y - disc.r - y)); row < Math.min(rows, disc.y + disc.r - y); row++) {
          for (let x = Math.max(0, Math.floor(disc.x - disc.r)); x < Math.min(width, disc.x + disc.r); x++) {
            const far = ((x - disc.x) ** 2 + (row + y - disc.y) ** 2) / disc.r ** 2
            if (far < 1) for (let c = 0; c < 3; c++) raster.data[(row * width + x) * 3 + c] = Math.round(raster.data[(row * width + x) * 3 + c]! * (1 - 0.3 * (1 - far)))
          }
        }
      }
      return raster
    },
  }, { icc: null, exif: null, resolutionPerInch: 600 }, { format: 'tiff', depth: 16, quality: 90 }, sink))
}

interface Process { readonly pid: string; readonly command: string }
function processes(): Process[] {
  return readdirSync('/proc').filter((name) => /^\d+$/.test(name)).flatMap((pid) => {
    try {
      return [{ pid, command: readFileSync(`/proc/${pid}/cmdline`, 'utf8') }]
    } catch {
      return []
    }
  })
}
const PARTS: Record<string, (command: string) => boolean> = {
  worker: (command) => command.includes('compiled/worker.mjs'),
  server: (command) => command.includes('compiled/server.mjs'),
  tab: (command) => command.includes('--type=renderer'),
}
/** Most memory of the processes of a part since it was set back, in megabytes: the largest of them. */
function peak(part: string): number {
  return Math.max(0, ...processes().filter(({ command }) => PARTS[part]!(command)).map(({ pid }) => {
    try {
      return Math.round(Number(/VmHWM:\s+(\d+)/.exec(readFileSync(`/proc/${pid}/status`, 'utf8'))?.[1] ?? 0) / 1024)
    } catch {
      return 0
    }
  }))
}
function setBack(): void {
  for (const { pid, command } of processes()) {
    if (!Object.values(PARTS).some((is) => is(command))) continue
    try {
      writeFileSync(`/proc/${pid}/clear_refs`, '5')
    } catch {
      // It has ended meanwhile.
    }
  }
}

for (const megapixels of process.argv.length > 2 ? process.argv.slice(2) : Object.keys(SIZES)) {
  const [width, height] = SIZES[megapixels]!
  const home = mkdtempSync(join(tmpdir(), 'fennip-large-'))
  const file = join(home, 'large.tif')
  await aLargeFile(file, width, height)
  console.log(`\n${megapixels} megapixels, 16 bit, ${Math.round(statSync(file).size / 1e6)} MB; samples ${Math.round((width * height * 6) / 1e6)} MB\n| work | seconds | worker, MB | server, MB | tab, MB |\n|---|---|---|---|---|`)
  const services = await startServices({ home: join(home, '.fennip'), logLevel: 'error' })
  const browser = await openBrowser()
  const json = async (path: string, method = 'GET', body?: unknown) => {
    const answer = await fetch(services.address + path, { method, ...(body ? { headers: { 'content-type': 'application/json' }, body: JSON.stringify(body) } : {}) })
    const told = (await answer.json()) as Record<string, unknown>
    if (!answer.ok) throw new Error(JSON.stringify(told))
    return told
  }
  const ended = async (run: string) => {
    for (;;) {
      const answer = await json(`/api/runs/${run}`)
      if (answer.state === 'done') return answer
      if (!['queued', 'running'].includes(answer.state as string)) throw new Error(JSON.stringify(answer.problem))
      await new Promise((resolve) => setTimeout(resolve, 200))
    }
  }
  const measured = async <T>(what: string, act: () => Promise<T>): Promise<T> => {
    setBack()
    const began = performance.now()
    const value = await act()
    console.log(`| ${what} | ${((performance.now() - began) / 1000).toFixed(1)} | ${peak('worker')} | ${peak('server')} | ${peak('tab') || '-'} |`)
    return value
  }
  try {
    const job = (await json('/api/jobs', 'POST', { title: 'Large' })).id as string
    const sent = await measured('upload', async () => {
      const begun = await fetch(`${services.address}/api/uploads`, { method: 'POST', headers: { 'tus-resumable': '1.0.0', 'upload-length': String(statSync(file).size), 'upload-metadata': `filename ${btoa('large.tif')},job ${btoa(job)}` } })
      return fetch(new URL(begun.headers.get('location')!, services.address), { method: 'PATCH', headers: { 'tus-resumable': '1.0.0', 'upload-offset': '0', 'content-type': 'application/offset+octet-stream' }, body: createReadStream(file) as unknown as BodyInit, duplex: 'half' } as RequestInit)
    })
    const picture = sent.headers.get('x-picture')!
    await measured('taking in', () => ended(sent.headers.get('x-run')!))
    const page = await browser.newPage({ viewport: { width: 1280, height: 800 } })
    await measured('opened on the bench', async () => {
      await page.goto(`${services.address}/jobs/${job}/pictures/${picture}/mend`)
      await page.waitForSelector('[data-test=picture][aria-busy=false] canvas', { timeout: 120_000 })
    })
    const search = await measured('searching for dust', async () => ended((await json(`/api/pictures/${picture}/find`, 'POST', { kinds: ['dust'], falseFinds: 4 })).id as string))
    await measured(`mending all (${String((search.result as { found: number } | null)?.found)} found)`, async () => ended((await json(`/api/pictures/${picture}/mend`, 'POST', { revision: ((await json(`/api/pictures/${picture}`)) as { revision: number }).revision })).id as string))
    const { revision } = (await json(`/api/pictures/${picture}`)) as { revision: number }
    const step = (id: string, stage: string, operation: string, settings: object) => ({ id, stage, operation, version: 1, settings, strength: 1, enabled: true })
    await json(`/api/pictures/${picture}/edits`, 'POST', { revision, label: 'Corrected', operations: [{ type: 'put', list: 'operations', items: [{ ...step('e', 'correct', 'even-out', { radiusPx: 7, edges: 3, blurPx: 0 }), measured: { noise: [0.01, 0.01, 0.01] } }, step('c', 'finish', 'curve', { points: [[0, 0], [0.25, 0.22], [1, 1]] })] }] })
    await measured('seen corrected, whole and at 1:1', async () => {
      await page.reload()
      await page.waitForSelector('[data-test=zoom][data-exact=true]', { timeout: 300_000 })
      await page.locator('[data-home]').first().focus()
      await page.keyboard.press('z')
      await rest(page, 1000)
      await page.waitForSelector('[data-test=zoom][data-exact=true]', { timeout: 120_000 })
    })
    await page.close()
    await measured('written as TIFF of 16 bit and as JPEG, corrected', async () => ended((await json(`/api/pictures/${picture}/exports`, 'POST', { outputs: [{ format: 'tiff', depth: 16 }, { format: 'jpeg', quality: 92 }] })).id as string))
  } finally {
    await browser.close()
    await services.remove()
    rmSync(home, { recursive: true, force: true })
  }
}
process.exit(0)
