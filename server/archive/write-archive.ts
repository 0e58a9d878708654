import type { Medium } from '@fennip/core/find/judging/medium.js'
import { createHash } from 'node:crypto'
import { stat } from 'node:fs/promises'
import Handlebars from 'handlebars'
import yazl from 'yazl'
import { EXTENSIONS, type Format } from '@fennip/codec/formats.js'
import { PROGRAM } from '@fennip/delivery/program.js'
import { readFileSync } from 'node:fs'
import { fileURLToPath } from 'node:url'
import type { Database } from '../database/database.js'
import { loadTreatment } from '../history.js'
import { noJob } from '../pictures.js'
import type { RunFile } from '../runs/export-work.js'
import type { Run } from '../runs/runs.js'
import { steered } from '../runs/steered.js'
import { goOn, type Progress, type WorkTools } from '../runs/tools.js'
import { hashFile, originalKey, outputKey, type Storage } from '../storage/storage.js'
import { uniqueNames } from '../unique-names.js'
import type { ArchivedHistory, ArchivedPicture, JobArchive } from './format.js'

interface PictureRow { id: string; name: string; kind: Medium; original: string; revision: number; sensor: string | null; set_aside: boolean; looked: number[]; created_at: Date }
interface OriginalRow { sha256: string; format: Format; width: number; height: number; channels: 1 | 3; depth: 8 | 16; bytes: string; about: unknown }

/** An entry of the archive: a file that is there, or bytes. */
type Entry = { readonly path: string; readonly from: string } | { readonly path: string; readonly bytes: Buffer }

/**
 * Write a job as one zip file: originals, treatments, the whole history, charts, written files, a report of each picture,
 * `job.json` that says how they belong together, an index for people, and SHA-256 sums as `sha256sum -c` reads them.
 */
export async function writeArchive(tools: WorkTools, run: Run, progress: Progress): Promise<{ files: RunFile[]; pictures: number }> {
  const { database, storage } = tools
  const job = (await database('jobs').where('id', run.job!).first('title', 'client', 'notes', 'outputs')) as { title: string; client: string; notes: string; outputs: JobArchive['job']['outputs'] } | undefined
  if (!job) throw noJob(run.job!)
  const pictures = (await database('pictures').leftJoin('sensors', 'sensors.id', 'pictures.sensor_id').where('pictures.job_id', run.job!).whereNull('pictures.deleted_at').whereNotNull('original').orderBy('pictures.created_at')
    .select('pictures.id', 'pictures.name', 'kind', 'original', 'revision', 'sensors.name as sensor', 'set_aside', 'looked', 'pictures.created_at')) as PictureRow[]
  const originals = (await database('originals').whereIn('sha256', pictures.map(({ original }) => original)).select('sha256', 'format', 'width', 'height', 'channels', 'depth', 'bytes', 'about')) as OriginalRow[]
  const entries: Entry[] = []
  const json = (path: string, value: unknown) => {
    entries.push({ path, bytes: Buffer.from(`${JSON.stringify(value, null, 1)}\n`) })
    return path
  }
  const unique = uniquePaths()
  const places = new Map<string, string>()
  const archivedOriginals: JobArchive['originals'] = []
  for (const { sha256, format, width, height, channels, depth, bytes, about } of originals) {
    const name = pictures.find(({ original }) => original === sha256)!.name
    const path = unique('originals', name.includes('.') ? name : `${name}.${EXTENSIONS[format]}`)
    entries.push({ path, from: await storage.localFile(originalKey(sha256)) })
    places.set(sha256, path)
    archivedOriginals.push({ sha256, width, height, channels, depth, path, format, bytes: Number(bytes), name, about })
  }
  const sensors = (await database('sensors').where('job_id', run.job!).select('name', 'chart')) as { name: string; chart: unknown }[]
  const archivedSensors = sensors.map(({ name, chart }) => ({ name, chart: chart ? json(unique('charts', `${name}.json`), chart) : null }))
  const archived: ArchivedPicture[] = []
  for (const [i, picture] of pictures.entries()) {
    goOn(progress, (0.5 * i) / Math.max(1, pictures.length))
    archived.push(await archivePicture(tools, picture, { path: places.get(picture.original)!, job, unique, json, entries, progress: (share) => progress((0.5 * (i + share)) / pictures.length) }))
  }
  const document: JobArchive = { format: 'fennip-job', version: 1, program: PROGRAM, writtenAt: new Date().toISOString(), job, originals: archivedOriginals, sensors: archivedSensors, pictures: archived }
  json('job.json', document)
  entries.push({ path: 'index.html', bytes: Buffer.from(indexPage(document)) })
  const file = `${run.id}.zip`
  await zipTo(storage, outputKey(file), entries, (share) => goOn(progress, 0.5 + 0.5 * share))
  const { size } = await stat(await storage.localFile(outputKey(file)))
  return { files: [{ file, name: `${job.title.replaceAll(/[^\p{L}\p{N} _-]+/gu, '-').slice(0, 80)}.zip`, bytes: size }], pictures: archived.length }
}

interface Inside {
  readonly path: string
  readonly job: { readonly title: string; readonly client: string }
  unique(folder: string, name: string): string
  json(path: string, value: unknown): string
  readonly entries: Entry[]
  readonly progress: Progress
}

async function archivePicture({ database, storage, threads }: WorkTools, picture: PictureRow, { path, job, unique, json, entries, progress }: Inside): Promise<ArchivedPicture> {
  const treatment = await loadTreatment(database, picture.id)
  const stem = picture.name.replace(/\.[^.]*$/, '')
  const files: ArchivedPicture['files'] = []
  const runs = (await database('runs').where({ picture_id: picture.id, kind: 'export', state: 'done' }).orderBy('created_at').select('result', 'created_at')) as { result: { files?: RunFile[] }; created_at: Date }[]
  for (const { result, created_at } of runs) {
    for (const { file, name, bytes, width, height } of result.files ?? []) {
      const from = await storage.localFile(outputKey(file))
      const inside = unique('files', name)
      entries.push({ path: inside, from })
      files.push({ path: inside, name, bytes, sha256: await hashFile(from), writtenAt: created_at.toISOString(), ...(width && height ? { width, height } : {}) })
    }
  }
  let report: string | undefined
  if (picture.revision > 0) {
    const file = `${picture.id}-archive-report.html`
    await steered(progress, (onShare) => threads.writeReports({ treatment, name: picture.name, kind: picture.kind }, { job: job.title, client: job.client, files: [] }, [{ form: 'html', file }], onShare))
    report = unique('reports', `${stem}.html`)
    entries.push({ path: report, bytes: Buffer.from((await storage.read(outputKey(file)))!) })
    await storage.remove(outputKey(file))
  }
  return {
    name: picture.name, kind: picture.kind, sha256: picture.original, original: path, revision: picture.revision, sensor: picture.sensor, setAside: picture.set_aside, looked: picture.looked, createdAt: picture.created_at.toISOString(),
    treatment: json(unique('treatments', `${stem}.json`), treatment), history: json(unique('history', `${stem}.json`), await historyOf(database, picture.id)),
    files, time: (await database('time_spent').where('picture_id', picture.id).select('stage', database.raw("to_char(day, 'YYYY-MM-DD') as day"), 'seconds')) as ArchivedPicture['time'],
    ...(report === undefined ? {} : { report }),
  }
}

async function historyOf(database: Database, picture: string): Promise<ArchivedHistory> {
  const rows = (await database('history').where('picture_id', picture).orderBy('revision')) as { revision: number; kind: 'edit' | 'undo' | 'redo'; label: string; operations: never[]; inverse: never[]; made_at: Date; gesture: string | null; made_on: number | null }[]
  return rows.map(({ revision, kind, label, operations, inverse, made_at, gesture, made_on }) => ({ revision, kind, label, operations, inverse, madeAt: made_at.toISOString(), gesture, madeOn: made_on }))
}

/** Places in the archive: names that any system takes, each once. */
function uniquePaths(): (folder: string, name: string) => string {
  const unique = uniqueNames()
  return (folder, name) => unique(`${folder}/${name.replaceAll(/[/\\:*?"<>|\p{Cc}]/gu, '-').slice(0, 200)}`)
}

/** What is packed already is only stored. */
const isPacked = (path: string) => /\.(jpe?g|png|webp|avif|ora|zip|pdf)$/i.test(path)

async function zipTo(storage: Storage, key: string, entries: readonly Entry[], onShare: (share: number) => void): Promise<void> {
  const sums: string[] = []
  for (const [i, entry] of entries.entries()) {
    onShare((0.3 * i) / entries.length)
    sums.push(`${'from' in entry ? await hashFile(entry.from) : createHash('sha256').update(entry.bytes).digest('hex')}  ${entry.path}`)
  }
  const zip = new yazl.ZipFile()
  for (const entry of entries) {
    const options = { compressionLevel: isPacked(entry.path) ? 0 : 3 }
    if ('from' in entry) zip.addFile(entry.from, entry.path, options)
    else zip.addBuffer(entry.bytes, entry.path, options)
  }
  zip.addBuffer(Buffer.from(`${sums.join('\n')}\n`), 'SHA256SUMS')
  zip.end()
  const total = (await Promise.all(entries.map(async (entry) => ('from' in entry ? (await stat(entry.from)).size : entry.bytes.length)))).reduce((sum, bytes) => sum + bytes, 1)
  await storage.fill(key, async (sink) => {
    for await (const chunk of zip.outputStream) {
      await sink.write(chunk as Uint8Array)
      onShare(0.3 + 0.7 * Math.min(1, sink.length / total))
    }
  })
}

const indexTemplate = Handlebars.compile(readFileSync(fileURLToPath(new URL('./index.hbs', import.meta.url)), 'utf8'))

/** An index that a person reads in any browser, beside the files. */
function indexPage(document: JobArchive): string {
  return indexTemplate({ ...document, pictures: document.pictures.map((picture) => ({ ...picture, files: picture.files, states: `${picture.revision} steps` })) })
}
