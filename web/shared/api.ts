import type { Medium } from '@fennip/core/find/medium.js'
import { ProblemError } from '@fennip/core/problem.js'
import type { SearchedArea } from '@fennip/core/find/searched-area.js'
import type { OutputRequest } from '@fennip/core/output/output.js'
import type { OutputPlan } from '@fennip/core/output/plan-output.js'
import type { Operation, Treatment } from '@fennip/core/treatment/schema.js'
import type { Placement } from '@fennip/core/assemble/sheet.js'
import type { SensorChart } from '@fennip/core/series/chart-schema.js'
import type { Counts, Pace } from '@fennip/core/treatment/triage.js'
import type { ColourProfile } from '@fennip/core/raster/profile.js'

export interface Picture {
  id: string
  name: string
  kind: Medium
  original: { sha256: string; format: string; width: number; height: number; channels: 1 | 3; depth: 8 | 16; bytes: number }
  levels: number
  about: { profile: ColourProfile; camera: { body?: string; lens?: string; aperture?: number; taken?: string; light?: number }; resolutionPerInch: number | null; hasAlpha: boolean; pages: number; notes: string[] }
  revision: number
  counts: Partial<Counts>
  sensor: { id: string; name: string } | null
  setAside: boolean
  /** Searched, or worked on without a search. */
  searched: boolean
  /** Cells of 128 pixels, row by row, that were looked at at 1:1. */
  looked: number[]
  /** Name of an earlier picture of the job that is the very same file. */
  sameAs: string | null
}

/** What is needed of a picture to show it small. */
export interface Shown { original: { sha256: string; width: number; height: number; channels: 1 | 3; depth: 8 | 16 }; levels: number; about: Picture['about'] }

/** The same work on many pictures. */
export interface Batch {
  id: string
  kind: 'find' | 'mend' | 'export' | 'chart' | 'carry'
  paused: boolean
  createdAt: string
  items: { run: string; picture: string; name: string; state: Run['state']; progress: number; file: boolean; problem: string | null }[]
}

/** A camera body of a job. */
export interface SensorSummary { id: string; name: string; frames: number; marks: number | null }
export interface Sensor { id: string; name: string; job: { id: string; title: string }; chart: SensorChart | null; frames: Picture[] }

export interface Job {
  id: string
  title: string
  client: string
  notes: string
  pictures: number
  open: number
  mended: number
  settled: number
  left: number
  /** The newest pictures, and where each is to be gone on with. */
  newest: (Shown & { id: string; name: string; stage: 'find' | 'mend' | 'hand-over' })[]
}

/** A file that has come and is being taken in, or could not be. */
export interface Arriving { id: string; name: string; run: string | null; state: 'queued' | 'running' | 'failed'; progress: number; problem: string | null }
/** What was deleted within the last day. */
export interface Deleted { id: string; name: string; deletedAt: string }
export type OpenedJob = Job & { list: Picture[]; arriving: Arriving[]; deleted: Deleted[]; pace: Partial<Pace> }

export interface Run {
  id: string
  kind: 'intake' | 'find' | 'mend' | 'export' | 'learn' | 'chart' | 'carry' | 'lay-together' | 'fit' | 'join' | 'merge' | 'archive' | 'restore' | 'contact-sheet' | 'rescan' | 'bring-over'
  picture: string
  job: string | null
  parameters: Record<string, unknown>
  state: 'queued' | 'running' | 'done' | 'failed' | 'cancelled'
  progress: number
  result: Record<string, unknown> | null
  problem: { title?: string; detail?: string } | null
  createdAt: string
}

/** How much is kept. */
export interface KeptSize { files: number; bytes: number }
/** What takes room for a job. */
export type Space = Record<'originals' | 'tiles' | 'mends' | 'files' | 'archives', KeptSize>
export interface TimeSpent { picture: string; name: string; stage: string; day: string; seconds: number }

/** A file that work wrote. */
export interface RunFile { name: string; bytes: number; width?: number; height?: number }
/** Files to be written, and forms of the report. */
export interface ExportRequest { outputs?: OutputRequest[]; report?: ('pdf' | 'html')[] }
/** What a file will be. */
export type OutputPreview = OutputPlan & { bytes: number; picture: string }

export interface OpenedPicture {
  picture: Picture & { job: { id: string; title: string } }
  revision: number
  treatment: Treatment
  undoLabel: string | null
  redoLabel: string | null
  runs: Run[]
}

export interface Gesture {
  revision: number
  label: string
  madeAt: string
}

/** What was done, oldest first, and what was taken back, the next to be made again first. */
export interface Gestures {
  done: Gesture[]
  undone: Gesture[]
}

/** Ask the server; a failure of any kind comes as a ProblemError. */
async function ask<T>(method: 'GET' | 'POST' | 'DELETE', path: string, body?: unknown): Promise<T> {
  let response: Response
  try {
    response = await fetch(`/api${path}`, {
      method,
      ...(body === undefined ? {} : { headers: { 'content-type': 'application/json' }, body: JSON.stringify(body) }),
    })
  } catch {
    throw new ProblemError('server-unreachable', { title: 'The server cannot be reached', detail: 'Nothing was begun. Ask for it again when the server answers; changes of a picture are kept in this browser until then.', status: 503 })
  }
  if (response.ok) return (await response.json()) as T
  throw problemOf(await response.text(), response.status)
}

/** Read a problem document as RFC 9457 describes it. */
export function problemOf(text: string, status: number): ProblemError {
  try {
    const { type = '', title = 'Something went wrong', detail = '', ...extra } = JSON.parse(text) as Record<string, string>
    return new ProblemError(type.split(':').at(-1)!, { title, detail, status, extra })
  } catch {
    return new ProblemError('internal', { title: 'Something went wrong', detail: `The server answered ${status}.`, status })
  }
}

export const api = {
  jobs: () => ask<{ jobs: Job[]; deleted: Deleted[] }>('GET', '/jobs'),
  delete: (what: 'jobs' | 'pictures', id: string) => ask<{ deleted: boolean }>('DELETE', `/${what}/${id}`),
  restore: (what: 'jobs' | 'pictures', id: string) => ask<{ deleted: boolean }>('POST', `/${what}/${id}/restore`, {}),
  makeJob: (job: { title: string; client: string }) => ask<{ id: string }>('POST', '/jobs', job),
  job: (id: string) => ask<OpenedJob>('GET', `/jobs/${id}`),
  picture: (id: string) => ask<OpenedPicture>('GET', `/pictures/${id}`),
  gestures: (id: string) => ask<Gestures>('GET', `/pictures/${id}/gestures`),
  edit: (id: string, revision: number, label: string, operations: Operation[], gesture: string) => ask<{ revision: number; rebased: boolean }>('POST', `/pictures/${id}/edits`, { id: gesture, revision, label, operations }),
  goBack: (id: string, kind: 'undo' | 'redo', revision: number, times: number, gesture: string) => ask<{ revision: number }>('POST', `/pictures/${id}/${kind}`, { id: gesture, revision, times }),
  find: (id: string, kinds: string[], falseFinds: number, where: SearchedArea & { like?: string } = {}) => ask<Run>('POST', `/pictures/${id}/find`, { kinds, falseFinds, ...where }),
  mend: (id: string, revision: number) => ask<Run>('POST', `/pictures/${id}/mend`, { revision }),
  export: (id: string, body: ExportRequest) => ask<Run>('POST', `/pictures/${id}/exports`, body),
  archive: (job: string) => ask<Run>('POST', `/jobs/${job}/archive`, {}),
  contactSheet: (job: string) => ask<Run>('POST', `/jobs/${job}/contact-sheet`, {}),
  jobRuns: (job: string) => ask<{ runs: Run[] }>('GET', `/jobs/${job}/runs`),
  space: (job: string) => ask<Space>('GET', `/jobs/${job}/space`),
  throwAway: (job: string, what: 'mends' | 'files' | 'archives') => ask<Space>('POST', `/jobs/${job}/space`, { throwAway: what }),
  time: (job: string) => ask<{ spent: TimeSpent[] }>('GET', `/jobs/${job}/time`),
  outputs: (job: string) => ask<{ outputs: OutputRequest[] }>('GET', `/jobs/${job}/outputs`),
  keepOutputs: (job: string, outputs: readonly OutputRequest[]) => ask<{ outputs: OutputRequest[] }>('POST', `/jobs/${job}/outputs`, { outputs }),
  openTreatment: (id: string, revision: number, treatment: unknown) => ask<{ revision: number; run: string | null }>('POST', `/pictures/${id}/treatment`, { revision, treatment }),
  preview: (id: string, output: OutputRequest) => ask<OutputPreview>('POST', `/pictures/${id}/preview`, { output }),
  fit: (id: string, byHand: readonly (Placement & { piece: number })[], refit: boolean) => ask<Run>('POST', `/pictures/${id}/fit`, { byHand, refit }),
  join: (id: string, pieces: readonly { placement: Placement; gain: number }[]) => ask<Run>('POST', `/pictures/${id}/join`, { pieces }),
  layTogether: (id: string, pictures: readonly string[]) => ask<Run>('POST', `/pictures/${id}/lay-together`, { pictures }),
  merge: (id: string, pictures: readonly string[], chosen: readonly (number | null)[] = [], zones: readonly { zone: string; from: number }[] = []) => ask<Run>('POST', `/pictures/${id}/merge`, { pictures, chosen, zones }),
  bringOver: (id: string, from: string, zone: string) => ask<Run>('POST', `/pictures/${id}/bring-over`, { from, zone }),
  aside: (id: string, aside: boolean) => ask<{ setAside: boolean }>('POST', `/pictures/${id}/aside`, { aside }),
  looked: (id: string, cells: number[]) => ask<{ looked: number[] }>('POST', `/pictures/${id}/looked`, { cells }),
  takenBy: (id: string, name: string) => ask<{ sensor: string | null }>('POST', `/pictures/${id}/sensor`, { name }),
  batches: (job: string) => ask<{ batches: Batch[] }>('GET', `/jobs/${job}/batches`),
  beginBatch: (job: string, kind: Batch['kind'], pictures: string[], parameters: Record<string, unknown>) => ask<Batch>('POST', `/jobs/${job}/batches`, { kind, pictures, parameters }),
  steerBatch: (id: string, what: 'pause' | 'resume' | 'cancel' | 'retry') => ask<Batch>('POST', `/batches/${id}/${what}`, {}),
  sensors: (job: string) => ask<{ sensors: SensorSummary[] }>('GET', `/jobs/${job}/sensors`),
  sensor: (id: string) => ask<Sensor>('GET', `/sensors/${id}`),
  learn: (id: string, pictures: string[]) => ask<Run>('POST', `/sensors/${id}/learn`, { pictures }),
  takeChart: (id: string, chart: unknown) => ask<{ marks: number }>('POST', `/sensors/${id}/chart`, chart),
  run: (id: string) => ask<Run>('GET', `/runs/${id}`),
  cancel: (id: string) => ask<Run>('POST', `/runs/${id}/cancel`, {}),
}

/** Listen to what happens to a picture, or to all with '*'. @param onBack  Told when the server can be heard again after it could not. @returns How to stop. */
export function listen(picture: string, onEvent: (event: { type: string; revision?: number; run?: string; state?: string; progress?: number; kind?: string; picture?: string }) => void, onBack: () => void = () => undefined): () => void {
  const source = new EventSource(`/api/events?picture=${encodeURIComponent(picture)}`)
  source.onmessage = (message) => onEvent(JSON.parse(message.data as string) as { type: string })
  let wasLost = false
  source.onerror = () => (wasLost = true)
  source.onopen = () => {
    if (wasLost) onBack()
    wasLost = false
  }
  return () => source.close()
}
