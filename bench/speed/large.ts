import { createReadStream, mkdtempSync, readdirSync, readFileSync, rmSync, statSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { fillFile } from '../../codec/sink.js'
import { writePicture } from '../../codec/write.js'
import { makeRandom } from '../../core/random.js'
import { makeRaster } from '../../core/raster/raster.js'
import { startServices } from '../../scripts/services.js'

/**
 * A picture of 200 megapixels at 16 bits: how long taking in, searching and handing over take, and how much memory
 * worker and server need at most and afterwards (resident set, Linux proc(5): VmHWM and VmRSS).
 */

const [width, height] = [16384, 12288]
const home = mkdtempSync(join(tmpdir(), 'fennip-large-'))
const file = join(home, 'large.tif')
const random = makeRandom(7)
const grain = Int16Array.from({ length: 65536 }, () => Math.round((random.uniform() + random.uniform() + random.uniform() - 1.5) * 1200))
await fillFile(file, (sink) => writePicture({
  width, height, channels: 3, depth: 16,
  read(y, rows) {
    const raster = makeRaster(width, rows, 3, 16)
    for (let i = 0; i < raster.data.length; i++) raster.data[i] = 18000 + Math.floor((y * 20000) / height) + grain[(i * 7 + (y * 31)) & 65535]!
    return raster
  },
}, { icc: null, exif: null, resolutionPerInch: 600 }, { format: 'tiff', depth: 16, quality: 90 }, sink))
console.log(`file: ${Math.round(statSync(file).size / 1e6)} MB, samples ${Math.round((width * height * 6) / 1e6)} MB`)

const services = await startServices({ home, logLevel: 'error' })
const json = async (path: string, method = 'GET', body?: unknown) => (await fetch(services.address + path, { method, ...(body ? { headers: { 'content-type': 'application/json' }, body: JSON.stringify(body) } : {}) })).json() as Promise<Record<string, unknown>>

/** Memory of the processes that run a file, in megabytes. */
function memory(part: string, field: 'VmHWM' | 'VmRSS'): number {
  for (const pid of readdirSync('/proc').filter((name) => /^\d+$/.test(name))) {
    try {
      const command = readFileSync(`/proc/${pid}/cmdline`, 'utf8')
      if (command.includes(`server/${part}.ts`) && readFileSync(`/proc/${pid}/environ`, 'utf8').includes(home)) return Math.round(Number(new RegExp(`${field}:\\s+(\\d+)`).exec(readFileSync(`/proc/${pid}/status`, 'utf8'))![1]) / 1024)
    } catch {
      continue
    }
  }
  return NaN
}
const report = (what: string, seconds: number) => console.log(`${what.padEnd(22)} ${seconds.toFixed(1)} s   worker peak ${memory('worker', 'VmHWM')} MB, now ${memory('worker', 'VmRSS')}; server peak ${memory('main', 'VmHWM')} MB, now ${memory('main', 'VmRSS')}`)
async function ended(run: string): Promise<Record<string, unknown>> {
  for (;;) {
    const answer = await json(`/api/runs/${run}`)
    if (!['queued', 'running'].includes(answer.state as string)) return answer
    await new Promise((resolve) => setTimeout(resolve, 200))
  }
}

try {
  const job = (await json('/api/jobs', 'POST', { title: 'Large' })).id as string
  report('idle', 0)
  let began = performance.now()
  const size = statSync(file).size
  const begun = await fetch(`${services.address}/api/uploads`, { method: 'POST', headers: { 'tus-resumable': '1.0.0', 'upload-length': String(size), 'upload-metadata': `filename ${btoa('large.tif')},job ${btoa(job)}` } })
  const sent = await fetch(new URL(begun.headers.get('location')!, services.address), { method: 'PATCH', headers: { 'tus-resumable': '1.0.0', 'upload-offset': '0', 'content-type': 'application/offset+octet-stream' }, body: createReadStream(file) as unknown as BodyInit, duplex: 'half' } as RequestInit)
  report('uploaded', (performance.now() - began) / 1000)
  began = performance.now()
  const taken = await ended(sent.headers.get('x-run')!)
  if (taken.state !== 'done') throw new Error(JSON.stringify(taken.problem))
  report('taken in', (performance.now() - began) / 1000)
  const picture = sent.headers.get('x-picture')!
  began = performance.now()
  const found = await ended((await json(`/api/pictures/${picture}/find`, 'POST', { kinds: ['dust'], falseFinds: 4 })).id as string)
  report(`searched for dust (${String((found.result as { found: number } | null)?.found)})`, (performance.now() - began) / 1000)
  began = performance.now()
  const written = await ended((await json(`/api/pictures/${picture}/exports`, 'POST', { format: 'tiff', depth: 16, quality: 90 })).id as string)
  if (written.state !== 'done') throw new Error(JSON.stringify(written.problem))
  report('written as TIFF', (performance.now() - began) / 1000)
  await new Promise((resolve) => setTimeout(resolve, 12000))
  report('twelve seconds later', 12)
} finally {
  await services.stop()
  rmSync(home, { recursive: true, force: true })
}
process.exit(0)
