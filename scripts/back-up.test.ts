import { afterAll, beforeAll, expect, it } from 'vitest'
import { existsSync, mkdtempSync, readFileSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { testFiles } from '../demo/test-files.js'
import { loadDemo } from '../demo/load.js'
import { backUp, restoreBackUp } from './back-up.js'
import { reachCluster } from './postgres.js'
import { startServices, type Services } from './services.js'

const folder = mkdtempSync(join(tmpdir(), 'fennip-back-up-'))
const started: Services[] = []
const start = async (name: string) => {
  const services = await startServices({ home: join(folder, name), logLevel: 'silent' })
  started.push(services)
  return { services, place: { databaseUrl: services.environment.FENNIP_DATABASE_URL!, storage: join(folder, name, 'storage') } }
}
const get = async (services: Services, path: string) => (await fetch(services.address + path)).json() as Promise<Record<string, unknown>>
const post = async (services: Services, path: string, body: unknown) => (await fetch(services.address + path, { method: 'POST', headers: { 'content-type': 'application/json' }, body: JSON.stringify(body) })).json() as Promise<Record<string, unknown>>

let first: Awaited<ReturnType<typeof start>>
let job: string
beforeAll(async () => {
  first = await start('first')
  job = await loadDemo(first.services.address, () => undefined, testFiles({ width: 600, height: 400 }, { width: 600, height: 400 }).filter(({ name }) => name === 'pylon-7-west.jpg'))
})
afterAll(async () => {
  for (const services of started) await services.remove()
  rmSync(folder, { recursive: true, force: true })
})

it('what was begun for a while is taken away whole: processes, files, database', async () => {
  const { services, place } = await start('for-a-while')
  const data = readFileSync(join(folder, 'for-a-while', 'database-folder'), 'utf8').trim()
  expect([existsSync(place.storage), existsSync(data)]).toEqual([true, true])
  await services.remove()
  expect([existsSync(join(folder, 'for-a-while')), existsSync(data)]).toEqual([false, false])
  await expect(fetch(services.address)).rejects.toThrow()
})

it('a back-up of a running Fennip, restored into an empty one, is the same picture with the same history', async () => {
  const { services, place } = first
  const [{ id, revision }] = (await get(services, `/api/jobs/${job}`)).list as [{ id: string; revision: number }]
  const flaw = { id: 'f1', kind: 'other', shape: { type: 'disc', x: 90, y: 100, r: 9 }, state: 'open', contrast: 0, weight: 0, confidence: 1, origin: 'hand' }
  await post(services, `/api/pictures/${id}/edits`, { revision, label: 'Add', operations: [{ type: 'put', list: 'flaws', items: [flaw] }] })
  const kept = join(folder, 'kept')
  expect((await backUp(place, kept)).copied).toBeGreaterThan(2)
  // The next copies only what is new: nothing.
  expect((await backUp(place, kept)).copied).toBe(0)
  await expect(restoreBackUp(place, kept)).rejects.toThrow(/has jobs/)
  await expect(restoreBackUp(place, join(folder, 'nothing'))).rejects.toThrow(/no database.dump/)

  const before = await get(services, `/api/pictures/${id}`)
  const { sha256 } = (before.picture as { original: { sha256: string } }).original
  const tile = async (from: Services) => Buffer.from(await (await fetch(`${from.address}/api/originals/${sha256}/tiles/0/0/0`)).arrayBuffer()).toString('hex')
  const [tileBefore, gestures] = [await tile(services), await get(services, `/api/pictures/${id}/gestures`)]

  const empty = await start('second')
  await expect(restoreBackUp(empty.place, kept)).rejects.toThrow(/is running/)
  await empty.services.stop()
  const cluster = await reachCluster(join(folder, 'second'))
  await restoreBackUp({ ...empty.place, databaseUrl: cluster.url }, kept)
  await cluster.leave()
  const second = await start('second')
  expect(await get(second.services, `/api/pictures/${id}`)).toEqual(before)
  expect(await get(second.services, `/api/pictures/${id}/gestures`)).toEqual(gestures)
  expect(await tile(second.services)).toBe(tileBefore)
  expect(tileBefore.length).toBeGreaterThan(1000)
})
