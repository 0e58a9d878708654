import { randomUUID } from 'node:crypto'
import type { Camera } from '@fennip/codec/read.js'
import type { Medium } from '@fennip/core/find/judging/medium.js'
import type { ColourProfile } from '@fennip/core/colour/profile.js'
import { levelCount } from '@fennip/core/raster/pyramid.js'
import { ProblemError } from '@fennip/core/problem.js'
import type { Database } from './database/database.js'
import { paceOf, type Counts, type Pace, type TimedGesture } from '@fennip/core/check/triage.js'
import { currentTreatment, noPicture } from './history.js'

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
  readonly kind: Medium
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
  /** Name of an earlier picture of the list that is the very same file. */
  readonly sameAs: string | null
}

/** What was deleted within the last day and can be brought back. */
export interface Deleted {
  readonly id: string
  readonly name: string
  readonly deletedAt: string
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
  /** The newest pictures, and where each is to be gone on with. */
  readonly newest: readonly JobPicture[]
}

/** A picture as the shelf shows it. */
export interface JobPicture {
  readonly id: string
  readonly name: string
  readonly original: { readonly sha256: string; readonly width: number; readonly height: number; readonly channels: 1 | 3; readonly depth: 8 | 16 }
  readonly levels: number
  readonly stage: 'find' | 'mend' | 'hand-over'
  readonly about: About
}

/** So many pictures of a job are shown on the shelf. */
const ON_THE_SHELF = 6

interface PictureRow {
  id: string
  name: string
  kind: Medium
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
  return { sameAs: null, sensor, setAside: set_aside, looked, searched, id, name, kind, revision, counts, about, levels: levelCount(width, height), original: { sha256, format, width, height, channels, depth, bytes: Number(bytes) } }
}

const EXISTING = 'pictures.deleted_at is null and pictures.original is not null'

export async function listJobs(database: Database): Promise<JobSummary[]> {
  const sum = (name: string) => database.raw(`coalesce(sum((pictures.counts->>'${name}')::int), 0)::int as "${name}"`)
  const rows = (await database('jobs').leftJoin('pictures', (join) => join.on('pictures.job_id', 'jobs.id').on(database.raw(EXISTING))).whereNull('jobs.deleted_at').groupBy('jobs.id').orderBy('jobs.created_at')
    .select('jobs.id', 'title', 'client', 'notes', database.raw('count(pictures.id)::int as pictures'), sum('open'), sum('mended'), sum('settled'), sum('left'))) as Omit<JobSummary, 'newest'>[]
  const newest = (await database
    .select('*').from(database('pictures').join('originals', 'originals.sha256', 'pictures.original').whereNull('pictures.deleted_at')
      .select('pictures.id', 'job_id', 'name', 'sha256', 'width', 'height', 'channels', 'depth', 'about', 'pictures.counts', 'pictures.revision', database.raw('row_number() over (partition by job_id order by pictures.created_at desc) as place')).as('ranked'))
    .where('place', '<=', ON_THE_SHELF).orderBy('place')) as ({ id: string; job_id: string; name: string; about: About; counts: Partial<Counts>; revision: number } & JobPicture['original'])[]
  return rows.map((job) => ({
    ...job,
    newest: newest.filter(({ job_id }) => job_id === job.id).map(({ id, name, about, counts, revision, sha256, width, height, channels, depth }) => ({
      id, name, about, levels: levelCount(width, height), original: { sha256, width, height, channels, depth },
      stage: revision === 0 ? 'find' : (counts.open ?? 0) + (counts.mended ?? 0) > 0 ? 'mend' : 'hand-over',
    })),
  }))
}

export async function createJob(database: Database, job: { title: string; client?: string; notes?: string }): Promise<string> {
  const id = randomUUID()
  await database('jobs').insert({ id, ...job })
  return id
}

export async function readJob(database: Database, id: string): Promise<JobSummary & { list: PictureSummary[]; deleted: Deleted[]; pace: Partial<Pace> }> {
  const job = (await listJobs(database)).find((candidate) => candidate.id === id)
  if (!job) throw noJob(id)
  const [list, deleted, gestures] = await Promise.all([summariesOf(database, { 'pictures.job_id': id }), deletedPictures(database, id), timedGestures(database, id)])
  return { ...job, list, deleted, pace: paceOf(gestures) }
}

/** Pictures with a property, in the order in which they came. */
export async function summariesOf(database: Database, which: Record<string, string>): Promise<PictureSummary[]> {
  const rows = (await database('pictures').join('originals', 'originals.sha256', 'pictures.original').leftJoin('sensors', 'sensors.id', 'pictures.sensor_id').where(which).whereNull('pictures.deleted_at').orderBy('pictures.created_at').select(columnsOf(database))) as PictureRow[]
  const first = new Map<string, string>()
  return rows.map((row) => {
    const sameAs = first.get(row.sha256) ?? null
    if (sameAs === null) first.set(row.sha256, row.name)
    return { ...summaryOf(row), sameAs }
  })
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
  const row = (await database('pictures').join('originals', 'originals.sha256', 'pictures.original').join('jobs', 'jobs.id', 'pictures.job_id').leftJoin('sensors', 'sensors.id', 'pictures.sensor_id').where('pictures.id', id).whereNull('pictures.deleted_at').whereNull('jobs.deleted_at')
    .first([...columnsOf(database), 'jobs.id as jobId', 'jobs.title as jobTitle'])) as (PictureRow & { jobId: string; jobTitle: string }) | undefined
  if (!row) throw noPicture(id)
  return { ...summaryOf(row), job: { id: row.jobId, title: row.jobTitle } }
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

export async function openPicture(database: Database, id: string) {
  const [picture, current] = await Promise.all([readPictureSummary(database, id), currentTreatment(database, id)])
  return { picture, ...current }
}

async function deletedPictures(database: Database, job: string): Promise<Deleted[]> {
  const rows = (await database('pictures').where('job_id', job).whereNotNull('deleted_at').whereNotNull('original').orderBy('deleted_at', 'desc').select('id', 'name', 'deleted_at')) as { id: string; name: string; deleted_at: Date }[]
  return rows.map(({ id, name, deleted_at }) => ({ id, name, deletedAt: deleted_at.toISOString() }))
}

export async function deletedJobs(database: Database): Promise<Deleted[]> {
  const rows = (await database('jobs').whereNotNull('deleted_at').orderBy('deleted_at', 'desc').select('id', 'title', 'deleted_at')) as { id: string; title: string; deleted_at: Date }[]
  return rows.map(({ id, title, deleted_at }) => ({ id, name: title, deletedAt: deleted_at.toISOString() }))
}

/** Delete a job or a picture so that it can be brought back for a day. */
export async function deleteForADay(database: Database, table: 'jobs' | 'pictures', id: string): Promise<{ deleted: boolean }> {
  const found = await database(table).where({ id }).whereNull('deleted_at').update({ deleted_at: database.fn.now() })
  if (found === 0) throw table === 'jobs' ? noJob(id) : noPicture(id)
  return { deleted: true }
}

/** Bring back what was deleted. @throws {ProblemError} when it is gone for good. */
export async function restore(database: Database, table: 'jobs' | 'pictures', id: string): Promise<{ deleted: boolean }> {
  const found = await database(table).where({ id }).update({ deleted_at: null })
  if (found === 0) throw table === 'jobs' ? noJob(id) : noPicture(id)
  return { deleted: false }
}

export function noJob(id: string): ProblemError {
  return new ProblemError('job-unknown', { title: 'There is no such job', detail: `No job ${id} is kept here. It may have been deleted; the shelf can bring it back for a day.`, status: 404 })
}
