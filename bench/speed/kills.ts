import { createHash } from 'node:crypto'
import { mkdtempSync, readdirSync, readFileSync, rmSync, statSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { encodePicture } from '../../codec/write.js'
import { makeRandom } from '../../core/random.js'
import { makeRaster } from '../../core/raster/raster.js'
import { arrival, upload } from '../../demo/load.js'
import { startServices } from '../../scripts/services.js'

/**
 * Server, worker and database are killed (SIGKILL) in turn at random times while a picture is edited and files of it are
 * written: how many edits that were called saved are lost, and how many files are there in part.
 *
 *   npx tsx bench/speed/kills.ts [kills]      100 when not given
 */

const KILLS = Number(process.argv[2] ?? 100)
const home = mkdtempSync(join(tmpdir(), 'fennip-kills-'))
const services = await startServices({ home: join(home, '.fennip'), logLevel: 'silent' })
const random = makeRandom(Date.now() & 0xffff)
const pause = (milliseconds: number) => new Promise((resolve) => setTimeout(resolve, milliseconds))
async function ask<T>(method: string, path: string, body?: unknown): Promise<{ ok: boolean; body: T }> {
  const answer = await fetch(services.address + path, { method, ...(body === undefined ? {} : { headers: { 'content-type': 'application/json' }, body: JSON.stringify(body) }) })
  return { ok: answer.ok, body: (await answer.json()) as T }
}
/** Asked again until it is answered: what is killed comes back. */
async function surely<T>(method: string, path: string, body?: unknown): Promise<T> {
  for (let i = 0; i < 400; i++) {
    const answer = await ask<T>(method, path, body).catch(() => null)
    if (answer?.ok) return answer.body
    await pause(100)
  }
  throw new Error(`${method} ${path} is not answered`)
}

const raster = makeRaster(1600, 1200, 3, 8)
raster.data.forEach((_value, i) => (raster.data[i] = random.integer() & 255))
const bytes = await encodePicture(raster, null, { icc: null, exif: null, resolutionPerInch: null }, { format: 'png', depth: 8, quality: 90 })
const { id: job } = await surely<{ id: string }>('POST', '/api/jobs', { title: 'Kills' })
const picture = (await arrival(services.address, await upload(services.address, job, 'noise.png', bytes))).picture!

const saved: string[] = []
const exports: string[] = []
let stop = false
const editing = (async () => {
  for (let n = 0; !stop; n++) {
    try {
      const { body: { revision } } = await ask<{ revision: number }>('GET', `/api/pictures/${picture}`)
      const flaw = { id: `k${n}`, kind: 'other', shape: { type: 'disc', x: 10 + (n % 1500), y: 10 + (n % 1100), r: 5 }, state: 'open', contrast: 0, weight: 0, confidence: 1, origin: 'hand' }
      if ((await ask('POST', `/api/pictures/${picture}/edits`, { revision, label: 'Add', operations: [{ type: 'put', list: 'flaws', items: [flaw] }] })).ok) saved.push(flaw.id)
      await pause(20)
    } catch {
      await pause(50)
    }
  }
})()
const exporting = (async () => {
  while (!stop) {
    const begun = await ask<{ id: string }>('POST', `/api/pictures/${picture}/exports`, { outputs: [{ format: 'tiff', depth: 8 }] }).catch(() => null)
    if (begun?.ok) exports.push(begun.body.id)
    await pause(3000)
  }
})()
for (let kill = 0; kill < KILLS; kill++) {
  await pause(150 + 1200 * random.uniform())
  await services.kill((['server', 'worker', 'database'] as const)[kill % 3]!)
  await surely('GET', '/api/health')
}
stop = true
await Promise.all([editing, exporting])
const { treatment } = await surely<{ treatment: { flaws: { id: string }[] } }>('GET', `/api/pictures/${picture}`)
const there = new Set(treatment.flaws.map(({ id }) => id))
console.log(`${KILLS} kills: ${saved.length} edits called saved, ${saved.filter((id) => !there.has(id)).length} of them lost`)

interface Ended { state: string; result: { files: { file: string; bytes: number }[] } | null; problem: { detail: string } | null }
const ended = await Promise.all(exports.map(async (id) => {
  for (;;) {
    const run = await surely<Ended>('GET', `/api/runs/${id}`)
    if (run.state !== 'queued' && run.state !== 'running') return run
    await pause(300)
  }
}))
const done = ended.filter(({ state }) => state === 'done')
let wrong = 0
for (const [i, run] of ended.entries()) {
  if (run.state !== 'done') continue
  const answer = await fetch(`${services.address}/api/runs/${exports[i]!}/files/0`)
  if (Buffer.from(await answer.arrayBuffer()).length !== run.result!.files[0]!.bytes) wrong++
}
console.log(`${exports.length} exports begun: ${done.length} done, ${wrong} of another length than was told, ${ended.length - done.length} ended otherwise${ended.length > done.length ? ` (${[...new Set(ended.flatMap(({ problem }) => (problem ? [problem.detail] : [])))].join('; ')})` : ''}`)
const files = (folder: string): string[] => readdirSync(folder).flatMap((name) => (statSync(join(folder, name)).isDirectory() ? files(join(folder, name)) : [join(folder, name)]))
const storage = files(join(home, '.fennip/storage'))
const originals = storage.filter((path) => path.includes('/originals/'))
console.log(`half files: ${storage.filter((path) => path.endsWith('.part')).length} left beside their places; originals that are not their hash: ${originals.filter((path) => createHash('sha256').update(readFileSync(path)).digest('hex') !== path.split('/').at(-1)).length}`)
await services.remove()
rmSync(home, { recursive: true, force: true })
process.exit(0)
