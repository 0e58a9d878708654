import type { Account } from '@fennip/core/accounts.js'
import { ProblemError } from '@fennip/core/problem.js'
import type { SearchedArea } from '@fennip/core/find/searched-area.js'
import type { OutputRequest } from '@fennip/core/output/output.js'
import type { OutputPlan } from '@fennip/core/output/plan-output.js'
import type { Operation } from '@fennip/core/treatment/schema.js'
import type { Placement } from '@fennip/core/assemble/pieces/sheet.js'
import type { Pace } from '@fennip/core/check/triage.js'
// Types alone: what the server answers is written there, once.
import type { ExportRequest } from '@fennip/server/api/bodies.js'
import type { Arriving } from '@fennip/server/arrivals.js'
import type { CurrentTreatment, Gesture, Gestures, WentBack } from '@fennip/server/history.js'
import type { Space } from '@fennip/server/jobs/space.js'
import type { TimeSpent } from '@fennip/server/jobs/time.js'
import type { Deleted, JobPicture, JobSummary, PictureSummary } from '@fennip/server/pictures.js'
import type { Batch, BatchKind } from '@fennip/server/runs/batches.js'
import type { RunFile } from '@fennip/server/runs/export-work.js'
import type { Run } from '@fennip/server/runs/runs.js'
import type { Sensor, SensorSummary } from '@fennip/server/sensors.js'

export type { Arriving, Batch, BatchKind, Deleted, ExportRequest, Gesture, Gestures, Run, RunFile, Sensor, SensorSummary, Space, TimeSpent, WentBack }
/** A picture as the application lists it. */
export type Picture = PictureSummary
/** What is needed of a picture to show it small. */
export type Shown = Pick<JobPicture, 'original' | 'levels' | 'about'>
export type Job = JobSummary
export type OpenedJob = Job & { list: Picture[]; arriving: Arriving[]; deleted: Deleted[]; pace: Partial<Pace> }
/** What a file will be. */
export type OutputPreview = OutputPlan & { bytes: number; picture: string }
export type OpenedPicture = CurrentTreatment & { picture: Picture & { job: { id: string; title: string } }; runs: Run[] }

/** Whether signing in is required, and who is signed in. */
export interface Session { required: boolean; account: Account | null; isFirst: boolean }

/** Told when the server wants to know who asks. */
let onSignedOut: () => void = () => undefined
export function whenSignedOut(act: () => void): void {
  onSignedOut = act
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
  if (response.status === 401) onSignedOut()
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
  session: () => ask<Session>('GET', '/session'),
  signIn: (name: string, password: string) => ask<{ account: Account }>('POST', '/session', { name, password }),
  signOut: () => ask<{ account: null }>('DELETE', '/session'),
  changePassword: (password: string, newPassword: string) => ask<{ changed: boolean }>('POST', '/session/password', { password, newPassword }),
  accounts: () => ask<{ accounts: Account[] }>('GET', '/accounts'),
  addAccount: (account: { name: string; password: string; role: Account['role']; code?: string }) => ask<{ account: Account }>('POST', '/accounts', account),
  removeAccount: (id: string) => ask<{ removed: boolean }>('DELETE', `/accounts/${id}`),
  jobs: () => ask<{ jobs: Job[]; deleted: Deleted[] }>('GET', '/jobs'),
  delete: (what: 'jobs' | 'pictures', id: string) => ask<{ deleted: boolean }>('DELETE', `/${what}/${id}`),
  restore: (what: 'jobs' | 'pictures', id: string) => ask<{ deleted: boolean }>('POST', `/${what}/${id}/restore`, {}),
  makeJob: (job: { title: string; client: string }) => ask<{ id: string }>('POST', '/jobs', job),
  job: (id: string) => ask<OpenedJob>('GET', `/jobs/${id}`),
  picture: (id: string) => ask<OpenedPicture>('GET', `/pictures/${id}`),
  gestures: (id: string) => ask<Gestures>('GET', `/pictures/${id}/gestures`),
  edit: (id: string, revision: number, label: string, operations: Operation[], gesture: string) => ask<{ revision: number; rebased: boolean }>('POST', `/pictures/${id}/edits`, { id: gesture, revision, label, operations }),
  goBack: (id: string, kind: 'undo' | 'redo', revision: number, times: number, gesture: string) => ask<WentBack>('POST', `/pictures/${id}/${kind}`, { id: gesture, revision, times }),
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
