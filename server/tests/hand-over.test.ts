import { execFileSync } from 'node:child_process'
import { mkdtempSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import sharp from 'sharp'
import { afterAll, beforeAll, expect, it } from 'vitest'
import type { OutputRequest } from '@fennip/core/output/output.js'
import type { Treatment } from '@fennip/core/treatment/schema.js'
import { testFiles } from '../../demo/test-files.js'
import { arrival, loadDemo, runEnded, upload as sendFile } from '../../demo/load.js'
import { startServices, type Services } from '../../scripts/services.js'

/** What is handed over, and a job that outlives its Fennip: written, everything emptied, taken in again. */

const homes = [mkdtempSync(join(tmpdir(), 'fennip-hand-over-')), mkdtempSync(join(tmpdir(), 'fennip-hand-over-'))]
let services: Services
let job = ''
let picture = ''
let archive = Buffer.alloc(0)

interface Answer { status: number; body: Record<string, unknown> & { id: string } }
async function ask(method: string, path: string, body?: unknown): Promise<Answer> {
  const response = await fetch(`${services.address}/api${path}`, { method, ...(body === undefined ? {} : { headers: { 'content-type': 'application/json' }, body: JSON.stringify(body) }) })
  return { status: response.status, body: (await response.json()) as Answer['body'] }
}
interface DoneRun { id: string; state: string; result: { files: { name: string; bytes: number; width?: number; height?: number }[]; job?: string } & Record<string, unknown>; problem: { type: string; detail: string } | null }
const ended = async (run: string) => (await runEnded(services.address, run)) as unknown as DoneRun
const begun = async (path: string, body: unknown) => ended((await ask('POST', path, body)).body.id)
const file = async (run: string, number: number) => Buffer.from(await (await fetch(`${services.address}/api/runs/${run}/files/${number}`)).arrayBuffer())
const treatmentOf = async (id: string) => (await ask('GET', `/pictures/${id}`)).body.treatment as unknown as Treatment

/** Send a file by tus 1.0.0 in one piece. @returns The run that takes it in. */
async function upload(bytes: Buffer): Promise<string> {
  const metadata = `filename ${Buffer.from('job.zip').toString('base64')},kind ${Buffer.from('archive').toString('base64')}`
  const made = await fetch(`${services.address}/api/uploads`, { method: 'POST', headers: { 'tus-resumable': '1.0.0', 'upload-length': String(bytes.length), 'upload-metadata': metadata } })
  expect(made.status).toBe(201)
  const sent = await fetch(new URL(made.headers.get('location')!, services.address), { method: 'PATCH', headers: { 'tus-resumable': '1.0.0', 'upload-offset': '0', 'content-type': 'application/offset+octet-stream' }, body: new Uint8Array(bytes) })
  expect(sent.status).toBe(204)
  return sent.headers.get('x-run')!
}

beforeAll(async () => {
  services = await startServices({ home: homes[0]!, logLevel: 'silent' })
  job = await loadDemo(services.address, () => undefined, testFiles({ width: 1500, height: 1000 }, { width: 900, height: 600 }).filter(({ name }) => ['stained-print.tif', 'pylon-7-west.jpg'].includes(name)))
  const { list } = (await ask('GET', `/jobs/${job}`)).body as unknown as { list: { id: string; name: string }[] }
  picture = list.find(({ name }) => name === 'stained-print.tif')!.id
  await begun(`/pictures/${picture}/find`, { kinds: ['speck', 'mould'], falseFinds: 3 })
  await begun(`/pictures/${picture}/mend`, { revision: (await ask('GET', `/pictures/${picture}`)).body.revision })
  const edit = async (label: string, operations: unknown[]) => expect((await ask('POST', `/pictures/${picture}/edits`, { revision: (await ask('GET', `/pictures/${picture}`)).body.revision, label, operations })).status).toBe(200)
  await edit('Curve', [{ type: 'put', list: 'operations', items: [{ id: 'c1', stage: 'finish', operation: 'curve', version: 1, settings: { points: [[0, 0], [0.5, 0.58], [1, 1]] }, strength: 1, enabled: true }] }])
  await edit('Pin a remark', [{ type: 'put', list: 'remarks', items: [{ id: 'r1', x: 100, y: 80, text: 'Is this the upper station?' }] }])
  await edit('Answer a remark', [{ type: 'put', list: 'remarks', items: [{ id: 'r1', x: 100, y: 80, text: 'Is this the upper station?', answer: 'The lower one.' }] }])
  await ask('POST', `/pictures/${picture}/undo`, { revision: (await ask('GET', `/pictures/${picture}`)).body.revision })
  for (const [stage, seconds] of [['mend', 300], ['mend', 65], ['finish', 40]] as const) expect((await ask('POST', `/pictures/${picture}/time`, { stage, seconds })).status).toBe(200)
}, 180000)
afterAll(async () => {
  await services.remove()
})

it('several files and the report are written in one run, each of its own kind', async () => {
  const outputs: OutputRequest[] = [{ name: 'archive', format: 'tiff', depth: 16 }, { name: 'screen', format: 'jpeg', longestPx: 200 }, { name: 'pair', content: 'pair', format: 'webp', longestPx: 300 }, { name: 'work', format: 'ora' }, { name: 'small', format: 'avif', longestPx: 120 }]
  const run = await begun(`/pictures/${picture}/exports`, { outputs, report: ['pdf', 'html'] })
  expect(run.problem).toBe(null)
  expect(run.result.files.map(({ name }) => name)).toEqual(['stained-print-archive.tif', 'stained-print-screen.jpg', 'stained-print-pair.webp', 'stained-print-work.ora', 'stained-print-small.avif', 'stained-print-report.pdf', 'stained-print-report.html'])
  for (const [i, { bytes, width, height }] of run.result.files.entries()) {
    const content = await file(run.id, i)
    expect(content.length).toBe(bytes)
    if (i < 3 || i === 4) expect(await sharp(content).metadata()).toMatchObject({ width, height })
  }
  // The same file by itself has the same samples: what is made once for several is no other way.
  const alone = await begun(`/pictures/${picture}/exports`, { outputs: [outputs[0]] })
  const samples = async (bytes: Buffer) => sharp(bytes, { ignoreIcc: true } as never).pipelineColourspace('rgb16').toColourspace('rgb16').raw({ depth: 'ushort' }).toBuffer()
  expect((await samples(await file(run.id, 0))).equals(await samples(await file(alone.id, 0)))).toBe(true)
  const html = await fetch(`${services.address}/api/runs/${run.id}/files/6?open`)
  expect(html.headers.get('content-type')).toContain('text/html')
  // A report may carry words of others: it runs no script and fetches nothing.
  expect(html.headers.get('content-security-policy')).toContain("default-src 'none'")
  const page = await html.text()
  expect(page).toContain('Is this the upper station?')
  // Its fonts are in it, whole: WOFF2 begins with its signature and says its length (W3C, WOFF File Format 2.0, 4.1).
  const fonts = [...page.matchAll(/url\(data:font\/woff2;base64,([A-Za-z0-9+/]+=*)\)/g)].map(([, base64]) => Buffer.from(base64!, 'base64'))
  expect(fonts.map((font) => [font.toString('latin1', 0, 4), font.readUInt32BE(8) === font.length])).toEqual([['wOF2', true], ['wOF2', true]])
})

it('what is kept for a job is written where nothing is said, and nonsense is refused by name', async () => {
  expect(((await ask('GET', `/jobs/${job}/outputs`)).body.outputs as OutputRequest[]).length).toBeGreaterThanOrEqual(4)
  expect((await ask('POST', `/jobs/${job}/outputs`, { outputs: [{ name: 'only', format: 'png', depth: 8, longestPx: 90 }, { name: 'not now', format: 'tiff', wanted: false }] })).status).toBe(200)
  const run = await begun(`/pictures/${picture}/exports`, {})
  expect(run.result.files.map(({ name }) => name)).toEqual(['stained-print-only.png'])
  const refused = await ask('POST', `/jobs/${job}/outputs`, { outputs: [{ name: 'x', format: 'gif' }] })
  expect(refused.status).toBe(400)
  expect((await ask('POST', `/pictures/${picture}/exports`, { outputs: [{ content: 'layers', format: 'png' }] })).body.detail).toContain('OpenRaster')
  expect((await ask('GET', `/runs/${run.id}/files/7`)).status).toBe(409)
})

it('a preview tells what a file will be without writing it', async () => {
  const { status, body } = await ask('POST', `/pictures/${picture}/preview`, { output: { format: 'tiff', widthCm: 5, perInch: 200 } })
  expect(status).toBe(200)
  expect(body.width).toBe(394)
  expect(body.paper).toMatchObject({ widthCm: expect.closeTo(5, 1) as number })
  expect(String(body.picture).startsWith('data:image/jpeg;base64,')).toBe(true)
})

it('time is told as a table and as CSV', async () => {
  const { spent } = (await ask('GET', `/jobs/${job}/time`)).body as unknown as { spent: { stage: string; seconds: number }[] }
  expect(spent.map(({ stage, seconds }) => [stage, seconds])).toEqual([['finish', 40], ['mend', 365]])
  const csv = await (await fetch(`${services.address}/api/jobs/${job}/time.csv`)).text()
  expect(csv.split('\r\n')[0]).toBe('picture,stage,day,minutes')
  expect(csv).toMatch(/"stained-print\.tif","Mend",\d{4}-\d{2}-\d{2},6\.1\r\n/)
  expect((await ask('POST', `/pictures/${picture}/time`, { stage: 'lunch', seconds: 5 })).status).toBe(400)
})

it('a treatment is opened on its original, and carried to another scan of the print', async () => {
  const kept = await treatmentOf(picture)
  const revision = async (id: string) => (await ask('GET', `/pictures/${id}`)).body.revision
  const fewer = { ...kept, flaws: kept.flaws.slice(0, 3), steps: kept.steps.filter(({ flaw }) => kept.flaws.slice(0, 3).some(({ id }) => id === flaw)) }
  expect((await ask('POST', `/pictures/${picture}/treatment`, { revision: await revision(picture), treatment: fewer })).status).toBe(200)
  expect(await treatmentOf(picture)).toEqual(fewer)
  // One gesture, taken back as one.
  await ask('POST', `/pictures/${picture}/undo`, { revision: await revision(picture) })
  expect(await treatmentOf(picture)).toEqual(kept)
  const strange = await ask('POST', `/pictures/${picture}/treatment`, { revision: await revision(picture), treatment: { ...kept, original: { ...kept.original, sha256: 'b'.repeat(64) } } })
  expect(strange.body.detail).toContain('Bring that file in too')

  // Another scan: turned and larger, made by the picture library.
  const print = testFiles({ width: 1500, height: 1000 }, { width: 900, height: 600 }).find(({ name }) => name === 'stained-print.tif')!
  const turn = (0.7 * Math.PI) / 180
  const [a, b] = [1.03 * Math.cos(turn), 1.03 * Math.sin(turn)]
  const scan = await sharp(await print.make()).affine([a, -b, b, a], { background: '#777', interpolator: 'bicubic' }).gamma(1.2).tiff().toBuffer()
  const other = (await arrival(services.address, await sendFile(services.address, job, 'second-scan.tif', scan))).picture!
  const run = await ended((await ask('POST', `/pictures/${other}/treatment`, { revision: 0, treatment: kept })).body.run as string)
  expect(run.problem).toBe(null)
  expect(run.result).toMatchObject({ turnDegrees: expect.closeTo(0.7, 1) as number, scale: expect.closeTo(1.03, 2) as number })
  const carried = await treatmentOf(other)
  expect(carried.flaws.length).toBe(kept.flaws.length)
  expect(carried.steps.length).toBeGreaterThan(0.8 * kept.steps.length)
  expect(carried.operations!.map(({ operation }) => operation)).toEqual(['curve'])
  // Another print altogether is refused, and nothing is changed there.
  const { list } = (await ask('GET', `/jobs/${job}`)).body as unknown as { list: { id: string; name: string; revision: number }[] }
  const frame = list.find(({ name }) => name === 'pylon-7-west.jpg')!
  const refused = await ended((await ask('POST', `/pictures/${frame.id}/treatment`, { revision: frame.revision, treatment: kept })).body.run as string)
  expect(refused.problem!.type).toContain('other-print')
  expect((await treatmentOf(frame.id)).flaws).toEqual([])
  // It is written like any other.
  expect((await begun(`/pictures/${other}/exports`, { outputs: [{ format: 'png', depth: 8 }] })).problem).toBe(null)
  await ask('DELETE', `/pictures/${other}`)
}, 120000)

it('a job taken in by another Fennip has the same pixels, history, files, times and report', async () => {
  const before = { treatment: await treatmentOf(picture), gestures: (await ask('GET', `/pictures/${picture}/gestures`)).body }
  const png = { outputs: [{ format: 'png', depth: 16 }], report: ['html'] }
  const first = await begun(`/pictures/${picture}/exports`, png)
  const [pixels, report] = [await file(first.id, 0), (await file(first.id, 1)).toString()]
  const run = await begun(`/jobs/${job}/archive`, {})
  expect(run.problem).toBe(null)
  archive = await file(run.id, 0)
  await services.remove()
  services = await startServices({ home: homes[1]!, logLevel: 'silent' })
  expect(((await ask('GET', '/jobs')).body.jobs as unknown[]).length).toBe(0)

  const taken = await ended(await upload(archive))
  expect(taken.problem).toBe(null)
  job = taken.result.job!
  const opened = (await ask('GET', `/jobs/${job}`)).body as unknown as { title: string; list: { id: string; name: string; revision: number; sensor: { name: string } | null }[] }
  expect(opened.title).toBe('Orrendale jubilee book')
  expect(opened.list.map(({ name }) => name)).toEqual(['pylon-7-west.jpg', 'stained-print.tif'])
  expect(opened.list[0]!.sensor?.name).toBe('Orrendale Optical OT-2')
  picture = opened.list[1]!.id
  expect(await treatmentOf(picture)).toEqual(before.treatment)
  expect((await ask('GET', `/pictures/${picture}/gestures`)).body).toEqual(before.gestures)
  const again = await begun(`/pictures/${picture}/exports`, png)
  // The date of the file differs, its samples do not.
  const samples = async (bytes: Buffer) => sharp(bytes, { ignoreIcc: true } as never).pipelineColourspace('rgb16').toColourspace('rgb16').raw({ depth: 'ushort' }).toBuffer()
  expect((await samples(await file(again.id, 0))).equals(await samples(pixels))).toBe(true)
  const timeless = (html: string) => html.replaceAll(/SHA-256 of stained-print-result[^<]*<\/td><td class="hash">[0-9a-f]{64}/g, '').replaceAll(/SHA-256 of stained-print-mended[^<]*<\/td><td class="hash">[0-9a-f]{64}/g, '')
  expect(timeless((await file(again.id, 1)).toString())).toBe(timeless(report))
  const { spent } = (await ask('GET', `/jobs/${job}/time`)).body as unknown as { spent: { seconds: number }[] }
  expect(spent.map(({ seconds }) => seconds)).toEqual([40, 365])
  // The redo that was open is open again: of the treatment that was opened and taken back.
  expect((await ask('POST', `/pictures/${picture}/redo`, { revision: (await ask('GET', `/pictures/${picture}`)).body.revision })).status).toBe(200)
  expect((await treatmentOf(picture)).flaws).toHaveLength(3)
})

it('an archive that is not whole is refused, and nothing of it is kept', async () => {
  const broken = Buffer.from(archive)
  // In the midst of the first original: its checksum no longer fits.
  broken[4000]! ^= 0xff
  const run = await ended(await upload(broken))
  expect(run.problem!.type).toContain('archive-unusable')
  const cut = await ended(await upload(archive.subarray(0, archive.length - 3000)))
  expect(cut.problem!.type).toContain('archive-unusable')
  expect(((await ask('GET', '/jobs')).body.jobs as unknown[]).length).toBe(1)
})

it('room is told, and what can be made again is thrown away', async () => {
  const before = (await ask('GET', `/jobs/${job}/space`)).body as unknown as Record<string, { files: number; bytes: number }>
  expect(before.originals!.files).toBe(2)
  expect(before.tiles!.bytes).toBeGreaterThan(1e5)
  expect(before.files!.files).toBeGreaterThan(2)
  const { runs } = (await ask('GET', `/pictures/${picture}`)).body as unknown as { runs: { id: string; kind: string; result: { files: unknown[] } }[] }
  const written = runs.find(({ kind }) => kind === 'export')!
  const after = (await ask('POST', `/jobs/${job}/space`, { throwAway: 'files' })).body as unknown as typeof before
  expect(after.files).toEqual({ files: 0, bytes: 0 })
  expect(after.originals).toEqual(before.originals)
  expect((await ask('GET', `/runs/${written.id}/files/0`)).status).toBe(409)
  await ask('POST', `/jobs/${job}/space`, { throwAway: 'mends' })
  // Mends are made again: the result is written as before.
  expect((await begun(`/pictures/${picture}/exports`, { outputs: [{ format: 'png', depth: 8 }] })).problem).toBe(null)
  expect((await ask('POST', `/jobs/${job}/space`, { throwAway: 'originals' })).status).toBe(400)
})

it('the contact sheet is a PDF with every picture', async () => {
  const run = await begun(`/jobs/${job}/contact-sheet`, {})
  expect(run.problem).toBe(null)
  const bytes = await file(run.id, 0)
  expect(bytes.subarray(0, 5).toString()).toBe('%PDF-')
  expect(run.result.files[0]!.name).toBe('Orrendale jubilee book contact sheet.pdf')
  const text = execFileSync('pdftotext', ['-layout', '-', '-'], { input: bytes, encoding: 'utf8' })
  expect(text).toMatch(/pylon-7-west\.jpg[\s\S]*stained-print\.tif|stained-print\.tif[\s\S]*pylon-7-west\.jpg/)
  expect(text).toMatch(/not searched/)
  expect(text).toMatch(/\d+ flaws, \d+ mended/)
})
