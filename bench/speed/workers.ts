import { spawn, type ChildProcess } from 'node:child_process'
import { mkdtempSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { demoFiles, loadDemo, upload } from '@fennip/demo/load.js'
import { compiledServer } from '../../scripts/compile-server.js'
import { startServices } from '../../scripts/services.js'

/**
 * A batch of 12 frames searched by one worker process of one computing thread, and shared by two; then by two of which
 * one is killed with SIGKILL mid-way: `npx tsx bench/speed/workers.ts [width]`.
 */

const WIDTH = Number(process.argv[2] ?? 6000)
const FRAMES = 12
const home = mkdtempSync(join(tmpdir(), 'fennip-workers-'))
const services = await startServices({ home, logLevel: 'silent', environment: { FENNIP_THREADS: '1' } })

interface Batch { id: string; items: { state: string; picture: string }[] }
const ask = async <T>(method: string, path: string, body?: unknown) => (await (await fetch(services.address + path, { method, ...(body === undefined ? {} : { headers: { 'content-type': 'application/json' }, body: JSON.stringify(body) }) })).json()) as T
const files = demoFiles({ width: WIDTH, height: Math.round((2 * WIDTH) / 3) }).filter(({ name }) => name === 'pylon-7-west.jpg')
const job = await loadDemo(services.address, () => undefined, files)
const bytes = await files[0]!.make()
for (let i = 1; i < FRAMES; i++) await upload(services.address, job, `pylon-7-west-${i}.jpg`, bytes)
const pictures = (await ask<{ list: { id: string }[] }>('GET', `/api/jobs/${job}`)).list.map(({ id }) => id)
const now = async (id: string) => (await ask<{ batches: Batch[] }>('GET', `/api/jobs/${job}/batches`)).batches.find((batch) => batch.id === id)!

async function searchAll(mid?: () => void): Promise<{ seconds: number; states: string[] }> {
  const started = performance.now()
  const { id } = await ask<Batch>('POST', `/api/jobs/${job}/batches`, { kind: 'find', pictures, parameters: { kinds: ['dust'], falseFinds: 3 } })
  for (let told = false; ; ) {
    await new Promise((resolve) => setTimeout(resolve, 100))
    const states = (await now(id)).items.map(({ state }) => state)
    if (!told && states.filter((state) => state === 'done').length >= 4) {
      told = true
      mid?.()
    }
    if (states.every((state) => state === 'done' || state === 'failed')) return { seconds: (performance.now() - started) / 1000, states }
  }
}
function anotherWorker(): ChildProcess {
  return spawn(process.execPath, [join(compiledServer, 'worker.mjs')], { env: services.environment, stdio: 'ignore', detached: true })
}
const flawsOf = async () => (await ask<{ list: { counts: { open?: number } }[] }>('GET', `/api/jobs/${job}`)).list.map(({ counts }) => counts.open)

await searchAll()
const one = await searchAll()
console.log(`one worker: ${one.seconds.toFixed(1)} s for ${FRAMES} frames of ${((WIDTH * WIDTH * 2) / 3 / 1e6).toFixed(1)} megapixels`)
const second = anotherWorker()
// Ready, and warm.
await new Promise((resolve) => setTimeout(resolve, 6000))
const two = await searchAll()
console.log(`two workers: ${two.seconds.toFixed(1)} s, ${(two.seconds / one.seconds).toFixed(2)} of one`)
const before = await flawsOf()
let killed = 0
const third = await searchAll(() => {
  second.kill('SIGKILL')
  killed = performance.now()
})
const after = await flawsOf()
console.log(`one of two killed after 4 frames: all ${third.states.filter((state) => state === 'done').length} done ${((performance.now() - killed) / 1000).toFixed(1)} s later; flaws ${JSON.stringify(before) === JSON.stringify(after) ? 'the same as before' : `${before} and ${after}`}`)
await services.remove()
