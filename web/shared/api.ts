import { ProblemError } from '@fennip/core/problem.js'
import type { SearchedArea } from '@fennip/core/find/searched-area.js'
import type { Operation, Treatment } from '@fennip/core/treatment/schema.js'
import type { SensorChart } from '@fennip/core/series/chart-schema.js'
import type { Counts, Pace } from '@fennip/core/treatment/triage.js'
import type { ColourProfile } from '@fennip/core/raster/profile.js'

export interface Picture {
  id: string
  name: string
  kind: 'frame' | 'scan'
  original: { sha256: string; format: string; width: number; height: number; channels: 1 | 3; depth: 8 | 16; bytes: number }
  levels: number
  about: { profile: ColourProfile; camera: { body?: string; lens?: string; aperture?: number; taken?: string }; resolutionPerInch: number | null; hasAlpha: boolean; pages: number; notes: string[] }
  revision: number
  counts: Partial<Counts>
  sensor: { id: string; name: string } | null
  setAside: boolean
  /** Searched, or worked on without a search. */
  searched: boolean
  /** Cells of 128 pixels, row by row, that were looked at at 1:1. */
  looked: number[]
}

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
}

export interface Run {
  id: string
  kind: 'find' | 'mend' | 'export' | 'learn' | 'chart' | 'carry'
  picture: string
  parameters: Record<string, unknown>
  state: 'queued' | 'running' | 'done' | 'failed' | 'cancelled'
  progress: number
  result: Record<string, unknown> | null
  problem: { title?: string; detail?: string } | null
  createdAt: string
}

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
async function ask<T>(method: 'GET' | 'POST', path: string, body?: unknown): Promise<T> {
  let response: Response
  try {
    response = await fetch(`/api${path}`, {
      method,
      ...(body === undefined ? {} : { headers: { 'content-type': 'application/json' }, body: JSON.stringify(body) }),
    })
  } catch {
    throw new ProblemError('server-unreachable', { title: 'The server cannot be reached', detail: 'It is tried again by itself. Nothing that was called saved is lost.', status: 503 })
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
  jobs: () => ask<{ jobs: Job[] }>('GET', '/jobs'),
  makeJob: (job: { title: string; client: string }) => ask<{ id: string }>('POST', '/jobs', job),
  job: (id: string) => ask<Job & { list: Picture[]; pace: Partial<Pace> }>('GET', `/jobs/${id}`),
  picture: (id: string) => ask<OpenedPicture>('GET', `/pictures/${id}`),
  gestures: (id: string) => ask<Gestures>('GET', `/pictures/${id}/gestures`),
  edit: (id: string, revision: number, label: string, operations: Operation[]) => ask<{ revision: number; rebased: boolean }>('POST', `/pictures/${id}/edits`, { revision, label, operations }),
  undo: (id: string, revision: number, times = 1) => ask<{ revision: number; label: string }>('POST', `/pictures/${id}/undo`, { revision, times }),
  redo: (id: string, revision: number, times = 1) => ask<{ revision: number; label: string }>('POST', `/pictures/${id}/redo`, { revision, times }),
  find: (id: string, kinds: string[], falseFinds: number, where: SearchedArea & { like?: string } = {}) => ask<Run>('POST', `/pictures/${id}/find`, { kinds, falseFinds, ...where }),
  mend: (id: string, revision: number) => ask<Run>('POST', `/pictures/${id}/mend`, { revision }),
  export: (id: string, body: { format: string; depth: 8 | 16; quality: number }) => ask<Run>('POST', `/pictures/${id}/exports`, body),
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

/** Listen to what happens to a picture, or to all with '*'. @returns How to stop. */
export function listen(picture: string, onEvent: (event: { type: string; revision?: number; run?: string; state?: string; progress?: number; kind?: string; picture?: string }) => void): () => void {
  const source = new EventSource(`/api/events?picture=${encodeURIComponent(picture)}`)
  source.onmessage = (message) => onEvent(JSON.parse(message.data as string) as { type: string })
  return () => source.close()
}
