import { randomUUID } from 'node:crypto'
import { readHeader, type Camera } from '@fennip/codec/read.js'
import type { ColourProfile } from '@fennip/core/raster/profile.js'
import { levelCount } from '@fennip/core/raster/pyramid.js'
import { ProblemError } from '@fennip/core/problem.js'
import { stat } from 'node:fs/promises'
import type { Database } from './database/database.js'
import { paceOf, type Counts, type Pace, type TimedGesture } from '@fennip/core/treatment/triage.js'
import { currentTreatment, noPicture } from './history.js'
import { sensorOfBody } from './sensors.js'
import type { Settings } from './settings.js'
import { keepOriginal, originalKey, type Storage } from './storage/storage.js'
import type { Threads } from './threads.js'

/** What is known of an original besides its pixels. */
export interface About {
  readonly profile: ColourProfile
  readonly camera: Camera
  readonly resolutionPerInch: number | null
  readonly hasAlpha: boolean
  readonly pages: number
  readonly notes: readonly string[]
}

export interface PictureSummary {
  readonly id: string
  readonly name: string
  readonly kind: 'frame' | 'scan'
  readonly original: { sha256: string; format: string; width: number; height: number; channels: 1 | 3; depth: 8 | 16; bytes: number }
  readonly levels: number
  readonly about: About
  readonly revision: number
  readonly counts: Partial<Counts>
  /** Camera body by name, as it was grouped; null for scans and strangers. */
  readonly sensor: { readonly id: string; readonly name: string } | null
  readonly setAside: boolean
  /** Searched, or worked on without a search. */
  readonly searched: boolean
  /** Cells of the picture that were looked at at 1:1. */
  readonly looked: readonly number[]
}

export interface JobSummary {
  readonly id: string
  readonly title: string
  readonly client: string
  readonly notes: string
  readonly pictures: number
  readonly open: number
  readonly mended: number
  readonly settled: number
  readonly left: number
}

interface PictureRow {
  id: string
  name: string
  kind: 'frame' | 'scan'
  revision: number
  counts: Partial<Counts>
  sha256: string
  format: string
  width: number
  height: number
  channels: 1 | 3
  depth: 8 | 16
  bytes: string
  about: About
  sensor_id: string | null
  sensor_name: string | null
  set_aside: boolean
  looked: number[]
  searched: boolean
}

/** A search that found nothing leaves no revision behind. */
const SEARCHED = "pictures.revision > 0 or exists (select from runs where picture_id = pictures.id and state = 'done' and runs.kind in ('find', 'chart', 'carry'))"
const columnsOf = (database: Database) => [...COLUMNS, database.raw(`(${SEARCHED}) as searched`)]
const COLUMNS = ['pictures.id', 'pictures.name', 'pictures.kind', 'pictures.revision', 'pictures.counts', 'sha256', 'format', 'width', 'height', 'channels', 'depth', 'bytes', 'about', 'sensor_id', 'sensors.name as sensor_name', 'set_aside', 'looked']

function summaryOf(row: PictureRow): PictureSummary {
  const { id, name, kind, revision, counts, about, sha256, format, width, height, channels, depth, bytes, set_aside, looked, searched } = row
  const sensor = row.sensor_id && row.sensor_name ? { id: row.sensor_id, name: row.sensor_name } : null
  return { sensor, setAside: set_aside, looked, searched, id, name, kind, revision, counts, about, levels: levelCount(width, height), original: { sha256, format, width, height, channels, depth, bytes: Number(bytes) } }
}

export async function listJobs(database: Database): Promise<JobSummary[]> {
  const sum = (name: string) => database.raw(`coalesce(sum((pictures.counts->>'${name}')::int), 0)::int as "${name}"`)
  return (await database('jobs').leftJoin('pictures', 'pictures.job_id', 'jobs.id').groupBy('jobs.id').orderBy('jobs.created_at')
    .select('jobs.id', 'title', 'client', 'notes', database.raw('count(pictures.id)::int as pictures'), sum('open'), sum('mended'), sum('settled'), sum('left'))) as JobSummary[]
}

export async function createJob(database: Database, job: { title: string; client?: string; notes?: string }): Promise<string> {
  const id = randomUUID()
  await database('jobs').insert({ id, ...job })
  return id
}

export async function readJob(database: Database, id: string): Promise<JobSummary & { list: PictureSummary[]; pace: Partial<Pace> }> {
  const job = (await listJobs(database)).find((candidate) => candidate.id === id)
  if (!job) throw new ProblemError('job-unknown', { title: 'There is no such job', detail: `No job ${id} is kept here. Go back to the shelf.`, status: 404 })
  const [list, gestures] = await Promise.all([summariesOf(database, { 'pictures.job_id': id }), timedGestures(database, id)])
  return { ...job, list, pace: paceOf(gestures) }
}

/** Pictures with a property, in the order in which they came. */
export async function summariesOf(database: Database, which: Record<string, string>): Promise<PictureSummary[]> {
  const rows = (await database('pictures').join('originals', 'originals.sha256', 'pictures.original').leftJoin('sensors', 'sensors.id', 'pictures.sensor_id').where(which).orderBy('pictures.created_at').select(columnsOf(database))) as PictureRow[]
  return rows.map(summaryOf)
}

/** Gestures that judge one flaw, and that make one mend, by what they change (SQL/JSON path, ISO 9075-2:2016). */
const JUDGED_ONE = '$[*] ? (@.type == "setState" && @.ids.size() == 1 && (@.state == "settled" || @.state == "left"))'
const MENDED_ONE = '$[*] ? (@.type == "put" && @.list == "steps" && @.items.size() == 1)'

/** So many of the last gestures of a job tell how fast its restorer is. */
const GESTURES = 600

async function timedGestures(database: Database, job: string): Promise<TimedGesture[]> {
  const rows = (await database('history').join('pictures', 'pictures.id', 'history.picture_id').where({ job_id: job, 'history.kind': 'edit' }).orderBy('made_at', 'desc').limit(GESTURES)
    .select('picture_id', 'made_at', database.raw('jsonb_path_exists(operations, ?) as judged', [JUDGED_ONE]), database.raw('jsonb_path_exists(operations, ?) as mended', [MENDED_ONE]))) as { picture_id: string; made_at: Date; judged: boolean; mended: boolean }[]
  return rows.reverse().map(({ picture_id, made_at, judged, mended }) => ({ picture: picture_id, act: judged ? 'judge' : mended ? 'mend' : 'other', at: made_at.getTime() }))
}

export async function readPictureSummary(database: Database, id: string): Promise<PictureSummary & { job: { id: string; title: string } }> {
  const row = (await database('pictures').join('originals', 'originals.sha256', 'pictures.original').join('jobs', 'jobs.id', 'pictures.job_id').leftJoin('sensors', 'sensors.id', 'pictures.sensor_id').where('pictures.id', id)
    .first([...columnsOf(database), 'jobs.id as jobId', 'jobs.title as jobTitle'])) as (PictureRow & { jobId: string; jobTitle: string }) | undefined
  if (!row) throw noPicture(id)
  return { ...summaryOf(row), job: { id: row.jobId, title: row.jobTitle } }
}

/**
 * Take a file in as a picture of a job: checked, kept by its hash, cut into tiles, and only then listed.
 *
 * @throws {ProblemError} when the file cannot be used; nothing of it is listed then.
 */
export async function importPicture(
  tools: { database: Database; storage: Storage; threads: Threads; settings: Settings },
  job: string, path: string, name: string,
): Promise<string> {
  const { database, storage, threads, settings } = tools
  if (!(await database('jobs').where('id', job).first('id'))) throw new ProblemError('job-unknown', { title: 'There is no such job', detail: `No job ${job} is kept here. Go back to the shelf.`, status: 404 })
  const header = await readHeader(path, name, { bytes: settings.largestFileBytes, pixels: settings.largestPixels })
  const sha256 = await keepOriginal(storage, path)
  try {
    await threads.makePyramid(sha256)
  } catch (error) {
    const used = await database('originals').where('sha256', sha256).first('sha256')
    if (!used) await forget(storage, sha256)
    // The thread knows the file by its hash alone.
    if (error instanceof ProblemError) throw new ProblemError(error.type, { title: error.title, detail: error.detail.replaceAll(sha256, name), status: error.status })
    throw error
  }
  const { size } = await stat(path)
  const about: About = {
    profile: header.profile, camera: header.camera, resolutionPerInch: header.metadata.resolutionPerInch,
    hasAlpha: header.hasAlpha, pages: header.pages, notes: header.notes,
  }
  const id = randomUUID()
  await database.transaction(async (transaction) => {
    await transaction('originals').insert({
      sha256, format: header.format, width: header.width, height: header.height, channels: header.channels, depth: header.depth, bytes: size, about: JSON.stringify(about),
    }).onConflict('sha256').ignore()
    // A camera says so in Exif; what says nothing came from a scanner.
    const kind = header.camera.aperture ? 'frame' : 'scan'
    const sensor = kind === 'frame' && header.camera.body ? await sensorOfBody(transaction as unknown as Database, job, header.camera.body) : null
    await transaction('pictures').insert({ id, job_id: job, original: sha256, name, kind, sensor_id: sensor })
  })
  return id
}

/** Put a picture aside or back: it stays as it is, and is left out of what is to be done. */
export async function setAside(database: Database, id: string, aside: boolean): Promise<{ setAside: boolean }> {
  if ((await database('pictures').where('id', id).update({ set_aside: aside })) === 0) throw noPicture(id)
  return { setAside: aside }
}

/** Add cells of a picture that were looked at; none at all begins the round anew. */
export async function addLooked(database: Database, id: string, cells: readonly number[]): Promise<{ looked: number[] }> {
  const union = cells.length === 0 ? '[]' : database.raw("(select coalesce(jsonb_agg(distinct cell), '[]') from (select jsonb_array_elements(looked) cell union select jsonb_array_elements(?::jsonb)) cells)", [JSON.stringify(cells)])
  const [row] = (await database('pictures').where('id', id).update({ looked: union }).returning('looked')) as { looked: number[] }[]
  if (!row) throw noPicture(id)
  return { looked: row.looked }
}

async function forget(storage: Storage, sha256: string): Promise<void> {
  await storage.remove(originalKey(sha256))
}

export async function openPicture(database: Database, id: string) {
  const [picture, current] = await Promise.all([readPictureSummary(database, id), currentTreatment(database, id)])
  return { picture, ...current }
}
