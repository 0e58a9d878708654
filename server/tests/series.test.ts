import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { mkdtempSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import type { SensorChart } from '../../core/series/chart-schema.js'
import type { Treatment } from '../../core/treatment/schema.js'
import { testFiles } from '../../demo/test-files.js'
import { loadDemo, runEnded } from '../../demo/load.js'
import { startServices, type Services } from '../../scripts/services.js'
import type { Batch } from '../runs/batches.js'
import type { PictureSummary } from '../pictures.js'
import type { Sensor } from '../sensors.js'

/** Series, batches, triage and rounds through the interface, with a worker of its own. */

const home = mkdtempSync(join(tmpdir(), 'fennip-series-'))
let services: Services
let job: string
const frames: string[] = []
let sensor: string

async function ask<T>(method: string, path: string, body?: unknown): Promise<{ status: number; body: T }> {
  const response = await fetch(services.address + path, { method, ...(body === undefined ? {} : { headers: { 'content-type': 'application/json' }, body: JSON.stringify(body) }) })
  return { status: response.status, body: (await response.json()) as T }
}
const sheet = async () => (await ask<{ list: PictureSummary[] }>('GET', `/api/jobs/${job}`)).body.list
const treatmentOf = async (picture: string) => (await ask<{ treatment: Treatment; revision: number }>('GET', `/api/pictures/${picture}`)).body
const batch = (kind: string, pictures: string[], parameters: object) => ask<Batch>('POST', `/api/jobs/${job}/batches`, { kind, pictures, parameters })
const batchNow = async (id: string) => (await ask<{ batches: Batch[] }>('GET', `/api/jobs/${job}/batches`)).body.batches.find((candidate) => candidate.id === id)!
const states = ({ items }: Batch) => items.map(({ state }) => state)
const over = (each: Batch) => states(each).every((state) => state === 'done' || state === 'failed' || state === 'cancelled')
async function until(id: string, is: (each: Batch) => boolean): Promise<Batch> {
  let now = await batchNow(id)
  await expect.poll(async () => is((now = await batchNow(id)))).toBe(true)
  return now
}

beforeAll(async () => {
  services = await startServices({ home, logLevel: 'silent', environment: { FENNIP_SILENCE: '4' } })
  job = await loadDemo(services.address, () => undefined, testFiles({ width: 1600, height: 1066 }, { width: 600, height: 400 }).filter(({ name }) => !name.includes('west') && !name.startsWith('shaft') && !/^(torn|stained|ring|dusk|cabin|valley|seat|upper)/.test(name)))
  for (const { id, kind } of await sheet()) if (kind === 'frame') frames.push(id)
  sensor = (await sheet()).find(({ kind }) => kind === 'frame')!.sensor!.id
})
afterAll(async () => {
  await services.remove()
})

describe('frames', () => {
  it('are grouped by the body that their files name, scans by none', async () => {
    const { body } = await ask<{ sensors: { name: string; frames: number; marks: number | null }[] }>('GET', `/api/jobs/${job}/sensors`)
    expect(body.sensors).toEqual([{ id: sensor, name: 'Orrendale Optical OT-1', frames: 6, marks: null }])
    expect((await sheet()).find(({ kind }) => kind === 'scan')!.sensor).toBeNull()
  })
  it('are put right by hand, and back', async () => {
    await ask('POST', `/api/pictures/${frames[5]}/sensor`, { name: 'Another body' })
    expect((await ask<Sensor>('GET', `/api/sensors/${sensor}`)).body.frames).toHaveLength(5)
    await ask('POST', `/api/pictures/${frames[5]}/sensor`, { name: 'Orrendale Optical OT-1' })
    expect((await ask<Sensor>('GET', `/api/sensors/${sensor}`)).body.frames).toHaveLength(6)
    expect((await ask('POST', `/api/pictures/00000000-0000-0000-0000-000000000000/sensor`, { name: 'x' })).status).toBe(404)
  })
})

describe('a chart', () => {
  let chart: SensorChart
  it('needs three frames of its own body', async () => {
    expect(await ask('POST', `/api/sensors/${sensor}/learn`, { pictures: frames.slice(0, 2) })).toMatchObject({ status: 422, body: { detail: expect.stringContaining('at least 3 frames') as unknown } })
    const scan = (await sheet()).find(({ kind }) => kind === 'scan')!.id
    expect((await ask('POST', `/api/sensors/${sensor}/learn`, { pictures: [...frames.slice(0, 2), scan] })).status).toBe(409)
    expect((await ask('GET', `/api/sensors/${sensor}/chart`)).status).toBe(404)
    expect((await batch('chart', [frames[0]!], { sensor })).status).toBe(202)
  })
  it('that is not there yet fails each picture with the reason, and the failed alone are tried again', async () => {
    const [first] = (await ask<{ batches: Batch[] }>('GET', `/api/jobs/${job}/batches`)).body.batches
    const failed = await until(first!.id, over)
    expect(failed.items[0]).toMatchObject({ state: 'failed', problem: expect.stringContaining('Learn a chart') as unknown })
  })
  it('is learned, and kept', async () => {
    const run = await ask<{ id: string }>('POST', `/api/sensors/${sensor}/learn`, { pictures: frames.slice(0, 5) })
    expect(run.status).toBe(202)
    expect(await runEnded(services.address, run.body.id)).toMatchObject({ state: 'done', problem: null })
    chart = (await ask<SensorChart>('GET', `/api/sensors/${sensor}/chart`)).body
    expect(chart.marks.length).toBeGreaterThan(15)
    expect(chart.frames).toHaveLength(5)
    // The lens moved each a little: the demo's own scales.
    expect(chart.frames[1]!.scale / chart.frames[0]!.scale).toBeCloseTo(1.0022, 2)
  })
  it('makes the one that failed work when it is tried again', async () => {
    const [first] = (await ask<{ batches: Batch[] }>('GET', `/api/jobs/${job}/batches`)).body.batches
    await ask('POST', `/api/batches/${first!.id}/retry`, {})
    expect(states(await until(first!.id, over))).toEqual(['done'])
  })
  it('places marks in a frame it was not learned from and mends them, all in one step to take back', async () => {
    const begun = await batch('chart', [frames[5]!], { sensor })
    expect(states(await until(begun.body.id, over))).toEqual(['done'])
    const { treatment, revision } = await treatmentOf(frames[5]!)
    const placed = treatment.flaws.filter(({ origin }) => origin === 'chart')
    expect(placed.length).toBeGreaterThan(12)
    expect(placed.every(({ state }) => state === 'mended')).toBe(true)
    expect(new Set(treatment.steps.map((step) => step.flaw))).toEqual(new Set(placed.map(({ id }) => id)))
    expect(treatment.steps.filter(({ method }) => method === 'lift').length).toBeGreaterThan(placed.length / 2)
    await ask('POST', `/api/pictures/${frames[5]}/undo`, { revision })
    expect((await treatmentOf(frames[5]!)).treatment.flaws).toEqual([])
    await ask('POST', `/api/pictures/${frames[5]}/redo`, { revision: revision + 1 })
    expect((await treatmentOf(frames[5]!)).treatment.steps).toHaveLength(treatment.steps.length)
  })
  it('applied again changes nothing that is there', async () => {
    const before = await treatmentOf(frames[5]!)
    await until((await batch('chart', [frames[5]!], { sensor })).body.id, over)
    const { treatment, revision } = await treatmentOf(frames[5]!)
    expect({ treatment, revision }).toEqual({ treatment: before.treatment, revision: before.revision })
  })
  it('goes out and comes back as a document, and another document is refused by name', async () => {
    expect((await ask('POST', `/api/sensors/${sensor}/chart`, { ...chart, marks: chart.marks.slice(0, 3) })).status).toBe(200)
    expect((await ask<SensorChart>('GET', `/api/sensors/${sensor}/chart`)).body.marks).toHaveLength(3)
    expect(await ask('POST', `/api/sensors/${sensor}/chart`, { ...chart, spread: 'wide' })).toMatchObject({ status: 400, body: { detail: expect.stringContaining('spread') as unknown } })
    expect((await ask('POST', `/api/sensors/${sensor}/chart`, chart)).status).toBe(200)
  })
  it('of one frame\'s mends is carried to another', async () => {
    const begun = await batch('carry', [frames[4]!], { from: frames[5]! })
    expect(states(await until(begun.body.id, over))).toEqual(['done'])
    expect((await treatmentOf(frames[4]!)).treatment.flaws.filter(({ origin }) => origin === 'chart').length).toBeGreaterThan(5)
    const nothing = await batch('carry', [frames[4]!], { from: frames[3]! })
    expect((await until(nothing.body.id, over)).items[0]!.problem).toMatch(/no mends/)
  })
})

describe('a batch', () => {
  it('does the same to every picture, each for what is usual in it', async () => {
    const all = (await sheet()).map(({ id }) => id)
    const begun = await batch('find', all, { falseFinds: 3 })
    expect(begun.status).toBe(202)
    expect(begun.body.items).toHaveLength(all.length)
    expect(states(await until(begun.body.id, over)).every((state) => state === 'done')).toBe(true)
    expect((await sheet()).every(({ searched }) => searched)).toBe(true)
    const scan = (await sheet()).find(({ kind }) => kind === 'scan')!
    expect(Object.keys(scan.counts.kinds ?? {})).toContain('speck')
    expect(scan.counts.covered).toBeGreaterThan(0)
  })
  it('that is paused begins nothing new, and goes on where it was', async () => {
    const begun = await batch('export', frames, { outputs: [{ format: 'tiff', depth: 16 }] })
    await ask('POST', `/api/batches/${begun.body.id}/pause`, {})
    await until(begun.body.id, (now) => !states(now).includes('running'))
    const paused = await batchNow(begun.body.id)
    expect(paused.paused).toBe(true)
    const waiting = states(paused).filter((state) => state === 'queued').length
    expect(waiting).toBeGreaterThan(0)
    // Longer than it takes for work that was lost to be called again.
    await new Promise((resolve) => setTimeout(resolve, 2500))
    expect(states(await batchNow(begun.body.id)).filter((state) => state === 'queued')).toHaveLength(waiting)
    await ask('POST', `/api/batches/${begun.body.id}/resume`, {})
    const done = await until(begun.body.id, over)
    expect(states(done).every((state) => state === 'done')).toBe(true)
    expect(done.items.every(({ file }) => file)).toBe(true)
    const file = await fetch(`${services.address}/api/runs/${done.items[0]!.run}/files/0`)
    expect(file.headers.get('content-type')).toContain('image/tiff')
    await file.body?.cancel()
  })
  it('that is cancelled keeps what is done and begins no more', async () => {
    const begun = await batch('export', frames, { outputs: [{ format: 'png', depth: 8 }] })
    await ask('POST', `/api/batches/${begun.body.id}/cancel`, {})
    const ended = await until(begun.body.id, over)
    expect(states(ended).filter((state) => state === 'cancelled').length).toBeGreaterThan(2)
  })
  it('goes on when its worker is killed: every picture is done once', async () => {
    const before = await Promise.all(frames.map(async (id) => (await treatmentOf(id)).revision))
    const begun = await batch('mend', frames.slice(0, 3), {})
    await until(begun.body.id, (now) => states(now).includes('running'))
    await services.kill('worker')
    const done = await until(begun.body.id, over)
    expect(states(done)).toEqual(['done', 'done', 'done'])
    for (const [i, id] of frames.slice(0, 3).entries()) {
      const { treatment, revision } = await treatmentOf(id)
      expect(revision - before[i]!).toBeLessThanOrEqual(1)
      expect(new Set(treatment.steps.map((step) => step.flaw)).size).toBe(treatment.steps.length)
      expect(treatment.flaws.filter(({ state }) => state === 'open')).toEqual([])
    }
  })
  it('of mends that is cancelled stops within seconds and leaves the picture as it was', async () => {
    const [picture] = frames
    const { revision } = await treatmentOf(picture!)
    // So much work that it cannot be done by itself meanwhile.
    const spots = Array.from({ length: 360 }, (_value, i) => ({ id: `c${i}`, kind: 'speck', shape: { type: 'disc', x: 20 + 12 * (i % 60), y: 20 + 30 * Math.floor(i / 60), r: 5 }, state: 'open', contrast: 5, weight: 30, confidence: 0.9, origin: 'hand' }))
    expect((await ask('POST', `/api/pictures/${picture}/edits`, { revision, label: 'Many', operations: [{ type: 'put', list: 'flaws', items: spots }] })).status).toBe(200)
    const before = await treatmentOf(picture!)
    const begun = await batch('mend', [picture!], {})
    await until(begun.body.id, (now) => now.items[0]!.progress > 0.02)
    const asked = Date.now()
    await ask('POST', `/api/batches/${begun.body.id}/cancel`, {})
    expect(states(await until(begun.body.id, over))).toEqual(['cancelled'])
    // The promise is 2 s; a machine that is busy with other things gets longer before the test complains.
    expect(Date.now() - asked).toBeLessThan(6000)
    const { treatment } = await treatmentOf(picture!)
    expect(treatment.steps).toEqual(before.treatment.steps)
    await ask('POST', `/api/pictures/${picture}/undo`, { revision: before.revision })
  })
  it('of pictures of another job is refused', async () => {
    expect((await batch('mend', ['00000000-0000-0000-0000-000000000000'], {})).status).toBe(409)
    expect((await batch('paint', frames, {})).status).toBe(400)
    expect((await ask('POST', '/api/batches/00000000-0000-0000-0000-000000000000/pause', {})).status).toBe(404)
  })
})

describe('the pace of a restorer', () => {
  const paceNow = async () => (await ask<{ pace: { judge?: number; mend?: number } }>('GET', `/api/jobs/${job}`)).body.pace
  it('is told by single judgements, and not by gestures that judge many at once', async () => {
    const { treatment } = await treatmentOf(frames[5]!)
    const ids = treatment.flaws.slice(0, 14).map(({ id }) => id)
    expect(ids.length).toBe(14)
    const edit = async (label: string, of: string[], state: string) => {
      const { revision } = await treatmentOf(frames[5]!)
      expect((await ask('POST', `/api/pictures/${frames[5]}/edits`, { revision, label, operations: [{ type: 'setState', ids: of, state }] })).status).toBe(200)
    }
    for (let i = 0; i < 13; i++) await edit('Settle 2 flaws', ids.slice(0, 2), 'settled')
    expect(await paceNow()).toEqual({})
    for (const id of ids) await edit('In any words', [id], 'settled')
    const { judge, mend } = await paceNow()
    expect(judge).toBeGreaterThan(0)
    expect(judge).toBeLessThan(20)
    expect(mend).toBeUndefined()
  })
})

describe('triage and rounds', () => {
  it('put a picture aside and back', async () => {
    expect((await ask('POST', `/api/pictures/${frames[0]}/aside`, { aside: true })).body).toEqual({ setAside: true })
    expect((await sheet()).find(({ id }) => id === frames[0])!.setAside).toBe(true)
    await ask('POST', `/api/pictures/${frames[0]}/aside`, { aside: false })
    expect((await sheet()).find(({ id }) => id === frames[0])!.setAside).toBe(false)
  })
  it('remember what was looked at, each once, until the round begins anew', async () => {
    await ask('POST', `/api/pictures/${frames[0]}/looked`, { cells: [3, 4, 5] })
    const { body } = await ask<{ looked: number[] }>('POST', `/api/pictures/${frames[0]}/looked`, { cells: [5, 6] })
    expect([...body.looked].sort()).toEqual([3, 4, 5, 6])
    expect((await ask('POST', `/api/pictures/${frames[0]}/looked`, { cells: [-1] })).status).toBe(400)
    expect((await ask<{ looked: number[] }>('POST', `/api/pictures/${frames[0]}/looked`, { cells: [] })).body.looked).toEqual([])
  })
})
