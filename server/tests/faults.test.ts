import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { mkdtempSync, readdirSync, readFileSync, rmSync, utimesSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import PgBoss from 'pg-boss'
import { pino } from 'pino'
import { encodePicture } from '../../codec/write.js'
import { rationalEntry, textEntry, TAG, writeExif } from '../../codec/tiff/directory.js'
import { makeRandom } from '../../core/random.js'
import { makeRaster } from '../../core/raster/raster.js'
import { arrival, runEnded, upload } from '../../demo/load.js'
import { startCluster } from '../../scripts/postgres.js'
import { startServices, type Services } from '../../scripts/services.js'
import { toProblem } from '../api/problems.js'
import { openDatabase } from '../database/database.js'
import { prepareDatabase } from '../database/prepare.js'
import { EventChannel } from '../events.js'
import { beat, endRun } from '../runs/runs.js'

/** What goes wrong in a running server: requests that make no sense, answers that get lost, parts that are killed. */

const home = mkdtempSync(join(tmpdir(), 'fennip-faults-'))
let services: Services
let job: string
let picture: string

type Body = Record<string, unknown>
async function ask(method: string, path: string, body?: unknown): Promise<{ status: number; type: string; body: Body }> {
  const response = await fetch(services.address + path, { method, ...(body === undefined ? {} : { headers: { 'content-type': 'application/json' }, body: typeof body === 'string' ? body : JSON.stringify(body) }) })
  const text = await response.text()
  return { status: response.status, type: response.headers.get('content-type') ?? '', body: text.startsWith('{') ? (JSON.parse(text) as Body) : {} }
}
const revisionOf = async (id = picture) => (await ask('GET', `/api/pictures/${id}`)).body.revision as number
const flaw = (id: string, x = 100, y = 100, r = 9) => ({ id, kind: 'other', shape: { type: 'disc', x, y, r }, state: 'open', contrast: 0, weight: 0, confidence: 1, origin: 'hand' })
const putFlaw = (item: unknown, revision: number, extra: Body = {}) => ask('POST', `/api/pictures/${picture}/edits`, { revision, label: 'Add', operations: [{ type: 'put', list: 'flaws', items: [item] }], ...extra })
const uuid = () => crypto.randomUUID()
async function healthy(): Promise<void> {
  await expect.poll(async () => (await fetch(`${services.address}/api/health`).catch(() => null))?.ok).toBe(true)
}
async function noise(width: number, height: number, seed: number, exif: Uint8Array | null = null): Promise<Uint8Array> {
  const raster = makeRaster(width, height, 3, 8)
  const random = makeRandom(seed)
  raster.data.forEach((_value, i) => (raster.data[i] = random.integer() & 255))
  return encodePicture(raster, null, { icc: null, exif, resolutionPerInch: null }, { format: 'png', depth: 8, quality: 90 })
}
const TUS = { 'tus-resumable': '1.0.0' }
async function begin(bytes: number, name = 'piece.png', to = job): Promise<string> {
  const begun = await fetch(`${services.address}/api/uploads`, { method: 'POST', headers: { ...TUS, 'upload-length': String(bytes), 'upload-metadata': `filename ${Buffer.from(name).toString('base64')},job ${Buffer.from(to).toString('base64')}` } })
  if (!begun.ok) throw new Error(`${begun.status} ${await begun.text()}`)
  return new URL(begun.headers.get('location')!, services.address).href
}
const send = (place: string, offset: number, body: Uint8Array) => fetch(place, { method: 'PATCH', headers: { ...TUS, 'upload-offset': String(offset), 'content-type': 'application/offset+octet-stream' }, body: body as BodyInit })
const listed = async () => (await ask('GET', `/api/jobs/${job}`)).body as unknown as { list: { id: string; name: string; sameAs: string | null }[]; arriving: { name: string }[]; deleted: { id: string }[] }

beforeAll(async () => {
  services = await startServices({ home, logLevel: 'silent', environment: { FENNIP_LARGEST_FILE: '40000000', FENNIP_SILENCE: '4' } })
  job = (await ask('POST', '/api/jobs', { title: 'Faults' })).body.id as string
  picture = (await arrival(services.address, await upload(services.address, job, 'plain.png', await noise(600, 400, 1)))).picture!
})
afterAll(async () => {
  await services.remove()
})

describe('undo, redo and mending all are bound to what was seen', () => {
  it('undo on an older revision is refused and takes nothing back', async () => {
    const seen = await revisionOf()
    await putFlaw(flaw('mine'), seen)
    await putFlaw(flaw('theirs', 300), seen + 1)
    const refused = await ask('POST', `/api/pictures/${picture}/undo`, { revision: seen + 1 })
    expect(refused.status).toBe(409)
    expect(refused.body.type).toContain('changed-elsewhere')
    const { treatment } = (await ask('GET', `/api/pictures/${picture}`)).body as unknown as { treatment: { flaws: { id: string }[] } }
    expect(treatment.flaws.map(({ id }) => id)).toEqual(expect.arrayContaining(['mine', 'theirs']))
    expect((await ask('POST', `/api/pictures/${picture}/undo`, { revision: seen + 2 })).status).toBe(200)
    expect((await ask('POST', `/api/pictures/${picture}/redo`, { revision: seen + 2 })).status).toBe(409)
  })
  it('mending all on an older revision is refused and begins nothing', async () => {
    const refused = await ask('POST', `/api/pictures/${picture}/mend`, { revision: (await revisionOf()) - 1 })
    expect(refused.status).toBe(409)
    expect(refused.body.detail).toContain('nothing was begun')
  })
})

describe('a gesture whose answer got lost', () => {
  it('is answered as it was then when it is sent again, and made once', async () => {
    const revision = await revisionOf()
    const id = uuid()
    const first = await putFlaw(flaw('once', 200), revision, { id })
    const other = await putFlaw(flaw('between', 400), revision + 1, { id: uuid() })
    expect(other.status).toBe(200)
    expect((await putFlaw(flaw('once', 200), revision, { id })).body).toEqual(first.body)
    expect(await revisionOf()).toBe(revision + 2)
  })
  it('holds for undo too', async () => {
    const revision = await revisionOf()
    const id = uuid()
    const first = await ask('POST', `/api/pictures/${picture}/undo`, { revision, id, times: 2 })
    const again = await ask('POST', `/api/pictures/${picture}/undo`, { revision, id, times: 2 })
    expect(again.status).toBe(200)
    expect(again.body.revision).toBe(first.body.revision)
    expect(await revisionOf()).toBe(first.body.revision)
  })
})

describe('requests that make no sense are refused by name, never with 500', () => {
  it('a NUL or half of a surrogate pair in any text', async () => {
    for (const title of ['"a\\u0000b"', '"a\\ud800b"']) {
      const answer = await ask('POST', '/api/jobs', `{"title":${title}}`)
      expect(answer.status).toBe(400)
      expect(answer.body.type).toContain('text-invalid')
      expect(answer.body.detail).toContain('/title')
    }
    expect((await ask('POST', `/api/pictures/${picture}/sensor`, '{"name":"\\u0000"}')).status).toBe(400)
    expect((await ask('GET', '/api/jobs/%00')).status).toBe(404)
    expect((await ask('GET', `/api/originals/${'%00'.repeat(3)}/tiles/0/0/0`)).status).toBe(404)
  })
  it('NUL in Exif and in file names are left out', async () => {
    const exif = writeExif({ main: new Map([[TAG.make, textEntry('Orr\0endale')], [TAG.model, textEntry('OT\u0001-9')]]), exif: new Map([[0x829d, rationalEntry(8)], [0xa434, textEntry('\0')]]) })
    const arrived = await arrival(services.address, await upload(services.address, job, 'with\0nul.png', await noise(50, 40, 2, exif)))
    expect(arrived.status).toBe(200)
    expect((await listed()).list.at(-1)!.name).toBe('withnul.png')
  })
  it('identifiers that every object has, or that stand twice', async () => {
    const revision = await revisionOf()
    for (const id of ['__proto__', '-x', '']) expect((await putFlaw(flaw(id), revision)).status).toBe(400)
    expect((await putFlaw(flaw('constructor', 250), revision)).status).toBe(200)
    expect((await ask('POST', `/api/pictures/${picture}/undo`, { revision: revision + 1 })).status).toBe(200)
    const twice = await ask('POST', `/api/pictures/${picture}/edits`, { revision: revision + 2, label: 'Add', operations: [{ type: 'put', list: 'flaws', items: [flaw('t', 10), flaw('t', 20)] }] })
    expect(twice.status).toBe(422)
    expect(twice.body.detail).toContain('twice')
  })
  it('a flaw or mend outside the picture, and a source outside: named, and an export still works', async () => {
    const revision = await revisionOf()
    expect((await putFlaw(flaw('far', 5000), revision)).body.detail).toContain('far')
    await putFlaw(flaw('near', 300, 200, 12), revision)
    const step = { id: 'm1', stage: 'mend', flaw: 'near', method: 'heal', methodVersion: 1, shape: { type: 'disc', x: 300, y: 200, r: 12 }, softEdgePx: 4, strength: 1, seed: 0, chosenBy: 'hand', reason: '' }
    const put = (changed: Body) => ask('POST', `/api/pictures/${picture}/edits`, { revision: revision + 1, label: 'Mend', operations: [{ type: 'put', list: 'steps', items: [{ ...step, ...changed }] }] })
    expect((await put({ source: { dx: 100000, dy: 0 } })).body.type).toContain('source-outside')
    expect((await put({ shape: { type: 'disc', x: -900, y: 20, r: 10 } })).body.type).toContain('outside-picture')
    const run = await ask('POST', `/api/pictures/${picture}/exports`, { outputs: [{ format: 'png', depth: 8 }] })
    expect(await runEnded(services.address, run.body.id as string)).toMatchObject({ state: 'done' })
  })
  it('a size that a format cannot hold, before any work', async () => {
    const wide = (await arrival(services.address, await upload(services.address, job, 'wide.png', await noise(17000, 20, 3)))).picture!
    const refused = await ask('POST', `/api/pictures/${wide}/exports`, { outputs: [{ format: 'webp', depth: 8 }] })
    expect(refused.status).toBe(422)
    expect(refused.body.detail).toContain('16383')
  })
})

describe('uploads', () => {
  it('answer every problem as a problem document of its own', async () => {
    const cases: [Promise<Response>, number, string][] = [
      [fetch(`${services.address}/api/uploads`, { method: 'POST', headers: { ...TUS, 'upload-length': '40000001', 'upload-metadata': `filename ${btoa('big.tif')},job ${btoa(job)}` } }), 413, 'file-too-large'],
      [send(`${services.address}/api/uploads/${'0'.repeat(32)}`, 0, new Uint8Array(4)), 404, 'upload-unknown'],
      [send(await begin(100), 7, new Uint8Array(4)), 409, 'upload-offset'],
      [fetch(`${services.address}/api/uploads`, { method: 'POST', headers: { 'upload-length': '5' } }), 412, 'upload-invalid'],
      [fetch(`${services.address}/api/uploads`, { method: 'POST', headers: { ...TUS, 'upload-length': '5', 'upload-metadata': `job ${btoa('nowhere')}` } }), 404, 'job-unknown'],
      [fetch(await begin(100)), 405, 'method-refused'],
    ]
    for (const [answer, status, type] of cases) {
      const response = await answer
      expect(response.status, type).toBe(status)
      expect(response.headers.get('content-type'), type).toContain('application/problem+json')
      expect(((await response.json()) as Body).type).toBe(`urn:fennip:problem:${type}`)
    }
    const tooLarge = await cases[0]![0]
    expect(tooLarge.status).toBe(413)
  })
  it('that are complete can be asked for without harm, and an empty piece after the last lists nothing twice', async () => {
    const bytes = await noise(60, 50, 4)
    const place = await begin(bytes.length, 'repeated.png')
    const first = await send(place, 0, bytes)
    const again = await send(place, bytes.length, new Uint8Array(0))
    expect(again.status).toBe(204)
    expect(again.headers.get('x-picture')).toBe(first.headers.get('x-picture'))
    for (let i = 0; i < 5; i++) expect((await fetch(place)).status).toBe(405)
    await arrival(services.address, first)
    expect((await listed()).list.filter(({ name }) => name === 'repeated.png')).toHaveLength(1)
    await healthy()
  })
  it('of the same file, several at once, all become pictures, and it is said', async () => {
    const bytes = await noise(300, 200, 5)
    const answers = await Promise.all(Array.from({ length: 4 }, async (_, i) => arrival(services.address, await upload(services.address, job, `same-${i}.png`, bytes))))
    expect(answers.map(({ status }) => status)).toEqual([200, 200, 200, 200])
    const same = (await listed()).list.filter(({ name }) => name.startsWith('same-'))
    expect(same.filter(({ sameAs }) => sameAs !== null)).toHaveLength(3)
  })
  it('that were called done are there, though the server or the worker is killed at once', async () => {
    for (const part of ['server', 'worker', 'server', 'worker'] as const) {
      const name = `killed-${uuid()}.png`
      const done = await upload(services.address, job, name, await noise(900, 700, 6))
      expect(done.status).toBe(204)
      await services.kill(part)
      await healthy()
      await expect.poll(async () => (await listed().catch(() => ({ list: [] }))).list.some((candidate) => candidate.name === name), { message: part }).toBe(true)
    }
  })
  it('that came whole while the server died are taken in, and what was left behind a day ago goes', async () => {
    const folder = join(home, 'storage/uploads')
    const bytes = await noise(80, 60, 7)
    writeFileSync(join(folder, 'a'.repeat(32)), bytes)
    writeFileSync(join(folder, `${'a'.repeat(32)}.json`), JSON.stringify({ id: 'a'.repeat(32), size: bytes.length, offset: 0, metadata: { filename: 'orphan.png', job }, creation_date: new Date().toISOString() }))
    writeFileSync(join(folder, 'b'.repeat(32)), bytes.subarray(0, 40))
    writeFileSync(join(folder, `${'b'.repeat(32)}.json`), JSON.stringify({ id: 'b'.repeat(32), size: bytes.length, offset: 0, metadata: { filename: 'given-up.png', job }, creation_date: new Date(Date.now() - 2 * 86400e3).toISOString() }))
    const twoDaysAgo = Date.now() / 1000 - 2 * 86400
    for (const name of ['b'.repeat(32), `${'b'.repeat(32)}.json`]) utimesSync(join(folder, name), twoDaysAgo, twoDaysAgo)
    await services.kill('server')
    await healthy()
    await expect.poll(async () => (await listed()).list.map(({ name }) => name)).toContain('orphan.png')
    await expect.poll(() => readdirSync(folder).filter((name) => name.startsWith('bbbb'))).toEqual([])
  })
})

describe('parts that are killed', () => {
  it('the database comes back by itself', async () => {
    const folder = readFileSync(join(home, 'database-folder'), 'utf8').trim()
    process.kill(Number(readFileSync(join(folder, 'data/postmaster.pid'), 'utf8').split('\n')[0]), 'SIGKILL')
    await new Promise((resolve) => setTimeout(resolve, 300))
    await healthy()
    expect((await ask('POST', '/api/jobs', { title: 'After' })).status).toBe(201)
  })
  it('processes that begin at once on an empty database do not hinder one another, five times', async () => {
    const cluster = await startCluster(join(home, 'empty'))
    try {
      const admin = openDatabase(cluster.url)
      for (let round = 0; round < 5; round++) {
        await admin.raw(`create database round${round}`)
        const url = cluster.url.replace(/fennip$/, `round${round}`)
        const begun = await Promise.allSettled(Array.from({ length: 3 }, async () => {
          const database = openDatabase(url)
          const boss = new PgBoss({ connectionString: url, max: 2 })
          boss.on('error', () => undefined)
          await prepareDatabase(url, database, boss)
          await boss.stop({ graceful: false, wait: false })
          await database.destroy()
        }))
        expect(begun.filter(({ status }) => status === 'rejected')).toEqual([])
      }
      await admin.destroy()
    } finally {
      await cluster.stop()
      rmSync(cluster.folder, { recursive: true, force: true })
    }
  })
})

describe('what is told of a run', () => {
  it('comes in the order in which it happened: nothing after its end, though a sign of life was on its way', async () => {
    const database = openDatabase(services.environment.FENNIP_DATABASE_URL!)
    const told = new Map<string, string[]>()
    const channel = new EventChannel(services.environment.FENNIP_DATABASE_URL!, pino({ level: 'silent' }), (event) => {
      if (event.type === 'run') told.set(event.run, [...(told.get(event.run) ?? []), event.state])
    }, () => undefined)
    try {
      await channel.start()
      const runs = Array.from({ length: 60 }, () => ({ id: uuid(), kind: 'find', picture_id: picture, parameters: '{}', state: 'running', holder: uuid() }))
      await database('runs').insert(runs)
      await Promise.all(runs.map(({ id, holder }) => Promise.all([beat(database, id, holder, 0.5), endRun(database, id, holder, { state: 'done' })])))
      await expect.poll(() => runs.filter(({ id }) => told.get(id)?.includes('done')).length).toBe(runs.length)
      await expect.poll(() => runs.map(({ id }) => told.get(id)!.at(-1)).filter((state) => state !== 'done')).toEqual([])
      await database('runs').whereIn('id', runs.map(({ id }) => id)).delete()
    } finally {
      await channel.stop()
      await database.destroy()
    }
  })
})

describe('one busy picture', () => {
  it('does not take all connections: 500 gestures at once are all saved, and others are answered meanwhile', async () => {
    const revision = await revisionOf()
    const gestures = Array.from({ length: 500 }, (_, i) => putFlaw(flaw(`b${i}`, 5 + i), revision).then(({ status }) => status))
    const others = Array.from({ length: 20 }, () => ask('GET', '/api/jobs').then(({ status }) => status))
    expect(new Set(await Promise.all(others))).toEqual(new Set([200]))
    expect(new Set(await Promise.all(gestures))).toEqual(new Set([200]))
    expect(await revisionOf()).toBe(revision + 500)
  })
  it('whose patches take long does not make an upload wait', async () => {
    const large = (await arrival(services.address, await upload(services.address, job, 'large.png', await noise(1800, 1400, 8)))).picture!
    const outline = { type: 'outline', points: [[200, 200], [1600, 200], [1600, 1200], [200, 1200]] }
    const began = performance.now()
    await ask('POST', `/api/pictures/${large}/edits`, { revision: 0, label: 'Fill', operations: [
      { type: 'put', list: 'flaws', items: [{ ...flaw('wide'), shape: outline }] },
      { type: 'put', list: 'steps', items: [{ id: 'm1', stage: 'mend', flaw: 'wide', method: 'fill', methodVersion: 2, shape: outline, softEdgePx: 4, strength: 1, seed: 0, chosenBy: 'hand', reason: '' }] },
    ] })
    // Patches are begun a moment after the edit.
    await new Promise((resolve) => setTimeout(resolve, 2500))
    const asked = performance.now()
    expect((await arrival(services.address, await upload(services.address, job, 'meanwhile.png', await noise(200, 150, 9)))).status).toBe(200)
    expect(performance.now() - asked).toBeLessThan(12000)
    expect(performance.now() - began).toBeGreaterThan(2500)
  })
})

describe('what is deleted', () => {
  it('is gone from the lists, can be brought back, and answers as unknown meanwhile', async () => {
    const { list } = await listed()
    const { id } = list.at(-1)!
    expect((await ask('DELETE', `/api/pictures/${id}`)).status).toBe(200)
    expect((await listed()).list.some((candidate) => candidate.id === id)).toBe(false)
    expect((await ask('GET', `/api/pictures/${id}`)).status).toBe(404)
    expect((await ask('POST', `/api/pictures/${id}/edits`, { revision: 0, label: 'Add', operations: [{ type: 'put', list: 'flaws', items: [flaw('x', 10, 10)] }] })).status).toBe(404)
    expect((await listed()).deleted.map((candidate) => candidate.id)).toContain(id)
    expect((await ask('POST', `/api/pictures/${id}/restore`, {})).status).toBe(200)
    expect((await listed()).list.some((candidate) => candidate.id === id)).toBe(true)
  })
  it('holds for a whole job', async () => {
    const made = (await ask('POST', '/api/jobs', { title: 'Short' })).body.id as string
    expect((await ask('DELETE', `/api/jobs/${made}`)).status).toBe(200)
    const { jobs, deleted } = (await ask('GET', '/api/jobs')).body as unknown as { jobs: { id: string }[]; deleted: { id: string }[] }
    expect(jobs.some(({ id }) => id === made)).toBe(false)
    expect(deleted.some(({ id }) => id === made)).toBe(true)
    await ask('POST', `/api/jobs/${made}/restore`, {})
    expect((await ask('GET', `/api/jobs/${made}`)).status).toBe(200)
  })
})

it('a full disk of the database is said as such (PostgreSQL appendix A, class 53)', () => {
  const problem = toProblem(Object.assign(new Error('could not extend file'), { code: '53100' }))
  expect(problem).toMatchObject({ status: 507, type: 'database-full' })
})
