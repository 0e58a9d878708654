import { randomUUID } from 'node:crypto'
import { createWriteStream } from 'node:fs'
import { mkdtemp, readFile, rm, stat } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { pipeline } from 'node:stream/promises'
import { isDeepStrictEqual } from 'node:util'
import yauzl from 'yauzl'
import { ProblemError } from '@fennip/core/problem.js'
import { applyEdit, emptyTreatment } from '@fennip/core/treatment/edit.js'
import { validateHistory, validateJobArchive, validateSensorChart } from '@fennip/core/treatment/generated/validators.js'
import type { Operation, Treatment } from '@fennip/core/treatment/schema.js'
import { countsOf } from '@fennip/core/check/triage.js'
import { checkDocument, readTreatment } from '@fennip/core/treatment/validate.js'
import { notify } from '../events.js'
import type { Run } from '../runs/runs.js'
import { steered } from '../runs/steered.js'
import { Cancelled, goOn, type Progress, type WorkTools } from '../runs/tools.js'
import { baseKey, hashFile, keepOriginal, originalKey, outputKey } from '../storage/storage.js'
import type { ArchivedHistory, ArchivedPicture, JobArchive } from './format.js'

/** An archive unpacks to at most so many times its own size, and documents to so many bytes: what claims more is no archive of a job. */
const [MOST_TIMES, MOST_DOCUMENT_BYTES] = [40, 500e6]

/**
 * Take the archive of a job in as a new job: the same originals (checked by hash), treatments, history, charts, written
 * files and times. Nothing of it is seen before all of it is there.
 */
export async function takeArchive(tools: WorkTools, run: Run, progress: Progress): Promise<Record<string, unknown>> {
  const { storage, database } = tools
  const { file } = run.parameters as { file: string }
  // The job has the identifier of the work: taken up again after its worker died, it makes none twice.
  const there = (await database('jobs').where('id', run.id).first('title')) as { title: string } | undefined
  if (there) return { job: run.id, title: there.title }
  const folder = await mkdtemp(join(tmpdir(), 'fennip-archive-'))
  try {
    const path = await storage.localFile(outputKey(file))
    const unpacked = await unpack(path, folder, (share) => goOn(progress, 0.3 * share))
    const read = async (name: string): Promise<unknown> => {
      const place = unpacked.get(name)
      if (!place) throw incomplete(`${name} is not in it`)
      if ((await stat(place)).size > MOST_DOCUMENT_BYTES) throw incomplete(`${name} is too large`)
      try {
        return JSON.parse(await readFile(place, 'utf8')) as unknown
      } catch {
        throw incomplete(`${name} is not JSON`)
      }
    }
    const document = checkDocument<JobArchive>(validateJobArchive, await read('job.json'), 'job.json')
    await takeOriginals(tools, document, unpacked, (share) => progress(0.3 + 0.6 * share))
    const pictures = []
    for (const picture of document.pictures) pictures.push(await readArchived(picture, document, read, unpacked))
    const charts = new Map<string, unknown>()
    for (const { name, chart } of document.sensors) if (chart) charts.set(name, checkDocument(validateSensorChart, await read(chart), chart))
    goOn(progress, 0.95)
    await insertJob(tools, run.id, document, pictures, charts)
    await storage.remove(outputKey(file))
    return { job: run.id, title: document.job.title, pictures: document.pictures.length }
  } catch (error) {
    // What can never be used or is not wanted is not kept; what a fault of the machine ended is tried again.
    if (error instanceof ProblemError || error instanceof Cancelled) await storage.remove(outputKey(file))
    throw error
  } finally {
    await rm(folder, { recursive: true, force: true })
  }
}

const incomplete = (why: string) => new ProblemError('archive-unusable', { title: 'This is no whole archive of a job', detail: `The archive cannot be taken in: ${why}. Copy it again from where it came from.`, status: 422 })

/** Unpack a zip file; names are made anew, so that none can lead out of the folder. @returns Where each entry lies. */
async function unpack(path: string, folder: string, onShare: (share: number) => void): Promise<Map<string, string>> {
  const { size } = await stat(path)
  const zip = await yauzl.openPromise(path, { lazyEntries: true, validateEntrySizes: true }).catch((error: unknown) => {
    throw incomplete(error instanceof Error ? error.message.replace(/\.$/, '') : 'it is no zip file')
  })
  const places = new Map<string, string>()
  let bytes = 0
  try {
    for await (const entry of zip.eachEntry()) {
      if (entry.fileName.endsWith('/')) continue
      bytes += entry.uncompressedSize
      if (bytes > MOST_TIMES * size + 1e7) throw incomplete('it claims to hold more than it can')
      const place = join(folder, String(places.size))
      await pipeline(await zip.openReadStreamPromise(entry), createWriteStream(place))
      places.set(entry.fileName, place)
      onShare(Math.min(1, bytes / (2 * size)))
    }
  } catch (error) {
    throw error instanceof ProblemError || error instanceof Cancelled || !(error instanceof Error) ? error : incomplete(error.message.replace(/\.$/, ''))
  } finally {
    zip.close()
  }
  return places
}

/** Keep originals that are not here yet, and cut them into tiles. */
async function takeOriginals({ storage, intake, limits }: WorkTools, document: JobArchive, unpacked: ReadonlyMap<string, string>, progress: Progress): Promise<void> {
  for (const [i, { sha256, path, name }] of document.originals.entries()) {
    goOn(progress, i / document.originals.length)
    const place = unpacked.get(path)
    if (!place) throw incomplete(`${path} is not in it`)
    if ((await hashFile(place)) !== sha256) throw incomplete(`${path} is not the file it was`)
    if ((await storage.has(originalKey(sha256))) && (await storage.has(baseKey(sha256)))) continue
    await keepOriginal(storage, place, sha256)
    await steered((share) => progress((i + share) / document.originals.length), (onShare) => intake.takeIn(sha256, name, limits, onShare))
  }
}

interface Archived { readonly picture: ArchivedPicture; readonly treatment: Treatment; readonly history: ArchivedHistory; readonly files: readonly { readonly place: string; readonly file: string; readonly about: ArchivedPicture['files'][number] }[] }

/** A picture whose history leads to its treatment, and whose files are what they were. */
async function readArchived(picture: ArchivedPicture, document: JobArchive, read: (name: string) => Promise<unknown>, unpacked: ReadonlyMap<string, string>): Promise<Archived> {
  const original = document.originals.find(({ sha256 }) => sha256 === picture.sha256)
  if (!original) throw incomplete(`the original of ${picture.name} is not listed`)
  const treatment = readTreatment(await read(picture.treatment), picture.treatment)
  const history = checkDocument<ArchivedHistory>(validateHistory, await read(picture.history), picture.history)
  const { sha256, width, height, channels, depth } = original
  let replayed = emptyTreatment({ sha256, width, height, channels, depth })
  for (const [i, { revision, operations }] of history.entries()) {
    if (revision !== i + 1) throw incomplete(`the history of ${picture.name} has a gap`)
    replayed = applyEdit(replayed, operations as Operation[]).treatment
  }
  if (history.length !== picture.revision || !isDeepStrictEqual(JSON.parse(JSON.stringify(replayed)), JSON.parse(JSON.stringify(treatment)))) throw incomplete(`the history of ${picture.name} does not lead to its treatment`)
  const files = []
  for (const about of picture.files) {
    const place = unpacked.get(about.path)
    if (!place || (await hashFile(place)) !== about.sha256) throw incomplete(`${about.path} is not the file it was`)
    files.push({ place, about, file: `${randomUUID()}.${about.name.split('.').at(-1)}` })
  }
  return { picture, treatment, history, files }
}

async function insertJob({ database, storage }: WorkTools, job: string, document: JobArchive, pictures: readonly Archived[], charts: ReadonlyMap<string, unknown>): Promise<void> {
  for (const { files } of pictures) for (const { place, file } of files) await storage.writeFile(outputKey(file), place)
  await database.transaction(async (query) => {
    const { title, client, notes, outputs } = document.job
    await query('jobs').insert({ id: job, title, client, notes, outputs: outputs === null ? null : JSON.stringify(outputs) })
    for (const { path: _path, name: _name, about, ...original } of document.originals) await query('originals').insert({ ...original, about: JSON.stringify(about) }).onConflict('sha256').ignore()
    const sensors = new Map<string, string>()
    for (const { name } of document.sensors) {
      const id = randomUUID()
      sensors.set(name, id)
      await query('sensors').insert({ id, job_id: job, name, chart: charts.has(name) ? JSON.stringify(charts.get(name)) : null })
    }
    for (const { picture, treatment, history, files } of pictures) {
      const id = randomUUID()
      await query('pictures').insert({
        id, job_id: job, original: picture.sha256, name: picture.name, kind: picture.kind, revision: picture.revision, counts: JSON.stringify(countsOf(treatment)), created_at: picture.createdAt,
        sensor_id: picture.sensor === null ? null : (sensors.get(picture.sensor) ?? null), set_aside: picture.setAside, looked: JSON.stringify(picture.looked),
      })
      const rows = history.map(({ revision, kind, label, operations, inverse, madeAt, gesture, madeOn }) => ({ picture_id: id, revision, kind, label, operations: JSON.stringify(operations), inverse: JSON.stringify(inverse), made_at: madeAt, gesture, made_on: madeOn }))
      if (rows.length > 0) {
        await query.batchInsert('history', rows, 200)
        await query('snapshots').insert({ picture_id: id, revision: picture.revision, treatment: JSON.stringify(treatment) })
      }
      for (const { stage, day, seconds } of picture.time) await query('time_spent').insert({ picture_id: id, stage, day, seconds })
      for (const { file, about } of files) {
        const { name, bytes, width, height } = about
        await query('runs').insert({ id: randomUUID(), kind: 'export', picture_id: id, parameters: '{}', state: 'done', progress: 1, created_at: about.writtenAt, ended_at: about.writtenAt, result: JSON.stringify({ files: [{ file, name, bytes, width, height }], mends: treatment.steps.length }) })
      }
    }
    await notify(query, { type: 'listing', picture: job })
  })
}
