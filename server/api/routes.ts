import type { TSchema } from '@sinclair/typebox'
import type { ValidateFunction } from 'ajv'
import { Router, type Request, type Response } from 'express'
import type PgBoss from 'pg-boss'
import { ProblemError } from '@fennip/core/problem.js'
import { checkDocument } from '@fennip/core/treatment/validate.js'
import * as validators from '@fennip/core/treatment/generated/validators.js'
import type { Step } from '@fennip/core/treatment/schema.js'
import { readHeader } from '@fennip/codec/read.js'
import type { Database } from '../database/database.js'
import type { EventHub } from '../events.js'
import type { Threads } from '../threads.js'
import { listArriving } from '../arrivals.js'
import { notify } from '../events.js'
import { appendEdit, appendUndo, checkRevision, listGestures } from '../history.js'
import { addLooked, createJob, deletedJobs, deleteForADay, listJobs, openPicture, readJob, readPictureSummary, restore, setAside } from '../pictures.js'
import { assignSensor, keepChart, listSensors, readSensor } from '../sensors.js'
import { SensorChartSchema, type SensorChart } from '@fennip/core/series/chart-schema.js'
import { LEAST_FRAMES } from '@fennip/core/series/learn-chart.js'
import { cancelBatch, createBatch, listBatches, pauseBatch, resumeBatch, retryBatch } from '../runs/batches.js'
import { cancelRun, queueRun, readRun, runsOf } from '../runs/runs.js'
import { originalKey, patchKey, tileKey, type Storage } from '../storage/storage.js'
import { jobRoutes } from './job-routes.js'
import { handOverRoutes } from './hand-over-routes.js'
import { checkAddress, checkStorable } from './storable.js'
import { AsideBody, BatchBody, BringOverBody, EditBody, FindBody, FitBody, JobBody, JoinBody, LayTogetherBody, LearnBody, LookedBody, MendBody, MergeBody, NothingBody, SensorNameBody, UndoBody, type AsideRequest, type BatchRequest, type EditRequest, type FindRequest, type JobRequest, type LearnRequest, type LookedRequest, type SensorNameRequest, type UndoRequest } from './bodies.js'

/** One route: what it is, what it takes and what it does. The OpenAPI description is made from the same list. */
export interface Route {
  readonly method: 'get' | 'post' | 'delete'
  readonly path: string
  readonly summary: string
  readonly body?: TSchema
  readonly validate?: ValidateFunction
  readonly success: number
  readonly produces?: string
  handle(request: Request, response: Response): Promise<unknown>
}

export interface RouteTools {
  readonly database: Database
  readonly storage: Storage
  readonly boss: PgBoss
  readonly events: EventHub
  /** Threads for what a screen waits for. */
  readonly looking: Threads
  /** Told of each saved edit, so that its patches are made and kept. */
  onEdit(picture: string, steps: readonly Step[]): void
}

const HASH = /^[0-9a-f]{64}$/
/** Tiles and patches never change, so browsers keep them for ever. */
const FOR_EVER = 'public, max-age=31536000, immutable'

export const parameter = (request: Request, name: string): string => String(request.params[name])

export function describeRoutes(tools: RouteTools): Route[] {
  const { database, storage, boss, events, onEdit } = tools
  return [
    { method: 'get', path: '/health', summary: 'Whether server and database answer', success: 200, handle: async () => {
      await database.raw('select 1')
      return { ok: true }
    } },
    { method: 'get', path: '/jobs', summary: 'All jobs with their progress', success: 200, handle: async () => ({ jobs: await listJobs(database), deleted: await deletedJobs(database) }) },
    { method: 'post', path: '/jobs', summary: 'Make a job', body: JobBody, validate: validators.validateJobBody, success: 201, handle: async (request) => ({ id: await createJob(database, request.body as JobRequest) }) },
    { method: 'get', path: '/jobs/{job}', summary: 'A job with its pictures', success: 200, handle: async (request) => ({ ...(await readJob(database, parameter(request, 'job'))), arriving: await listArriving(database, parameter(request, 'job')) }) },
    ...deletions(tools),
    { method: 'get', path: '/pictures/{picture}', summary: 'A picture with its treatment', success: 200, handle: async (request) => ({ ...(await openPicture(database, parameter(request, 'picture'))), runs: await runsOf(database, parameter(request, 'picture')) }) },
    { method: 'get', path: '/pictures/{picture}/gestures', summary: 'What was done, oldest first, and what was taken back and can be made again, next first', success: 200, handle: (request) => listGestures(database, parameter(request, 'picture')) },
    { method: 'get', path: '/pictures/{picture}/treatment', summary: 'The treatment as a document to keep', success: 200, handle: async (request, response) => {
      const { picture, treatment } = await openPicture(database, parameter(request, 'picture'))
      response.attachment(`${picture.name}.treatment.json`)
      return treatment
    } },
    { method: 'post', path: '/pictures/{picture}/edits', summary: 'Append a gesture to the history', body: EditBody, validate: validators.validateEditBody, success: 200, handle: async (request) => {
      const { id, revision, label, operations } = request.body as EditRequest
      const picture = parameter(request, 'picture')
      const saved = await appendEdit(database, picture, revision, label, operations as never, id)
      const steps = operations.flatMap((operation) => (operation.type === 'put' && operation.list === 'steps' ? (operation.items as Step[]) : []))
      if (steps.length > 0) onEdit(picture, steps)
      return saved
    } },
    { method: 'post', path: '/pictures/{picture}/undo', summary: 'Take the last gestures back', body: UndoBody, validate: validators.validateUndoBody, success: 200, handle: (request) => {
      const { id, revision, times } = request.body as UndoRequest
      return appendUndo(database, parameter(request, 'picture'), 'undo', revision, times, id)
    } },
    { method: 'post', path: '/pictures/{picture}/redo', summary: 'Make the gestures again that were taken back', body: UndoBody, validate: validators.validateUndoBody, success: 200, handle: (request) => {
      const { id, revision, times } = request.body as UndoRequest
      return appendUndo(database, parameter(request, 'picture'), 'redo', revision, times, id)
    } },
    { method: 'post', path: '/pictures/{picture}/find', summary: 'Search the picture for flaws', body: FindBody, validate: validators.validateFindBody, success: 202, handle: async (request) => {
      await readPictureSummary(database, parameter(request, 'picture'))
      return queueRun(database, boss, 'find', parameter(request, 'picture'), request.body as FindRequest)
    } },
    { method: 'post', path: '/pictures/{picture}/mend', summary: 'Mend all open flaws', body: MendBody, validate: validators.validateMendBody, success: 202, handle: async (request) => {
      await readPictureSummary(database, parameter(request, 'picture'))
      await checkRevision(database, parameter(request, 'picture'), (request.body as { revision: number }).revision)
      return queueRun(database, boss, 'mend', parameter(request, 'picture'), {})
    } },
    { method: 'post', path: '/pictures/{picture}/fit', summary: 'Cut the pieces of a torn print out of its scan and fit them', body: FitBody, validate: validators.validateFitBody, success: 202, handle: async (request) => {
      await readPictureSummary(database, parameter(request, 'picture'))
      return queueRun(database, boss, 'fit', parameter(request, 'picture'), request.body as Record<string, unknown>)
    } },
    { method: 'post', path: '/pictures/{picture}/join', summary: 'Join the pieces of a scan into a picture of its own', body: JoinBody, validate: validators.validateJoinBody, success: 202, handle: async (request) => {
      await readPictureSummary(database, parameter(request, 'picture'))
      return queueRun(database, boss, 'join', parameter(request, 'picture'), request.body as Record<string, unknown>)
    } },
    { method: 'post', path: '/pictures/{picture}/lay-together', summary: 'Lay the pieces of several scans on one sheet, as a picture of its own', body: LayTogetherBody, validate: validators.validateLayTogetherBody, success: 202, handle: async (request) => {
      const { pictures } = request.body as { pictures: string[] }
      await Promise.all([parameter(request, 'picture'), ...pictures].map((id) => readPictureSummary(database, id)))
      return queueRun(database, boss, 'lay-together', parameter(request, 'picture'), request.body as Record<string, unknown>)
    } },
    { method: 'post', path: '/pictures/{picture}/merge', summary: 'Merge exposures of a bracket, this picture being the reference', body: MergeBody, validate: validators.validateMergeBody, success: 202, handle: async (request) => {
      const { pictures, zones = [] } = request.body as { pictures: string[]; zones?: { from: number }[] }
      const reference = parameter(request, 'picture')
      if (zones.some(({ from }) => from >= pictures.length)) throw new ProblemError('no-exposure', { title: 'There is no such exposure', detail: `A zone is to be taken from an exposure beyond the ${pictures.length} that were sent. Exposures are counted from 0.`, status: 422 })
      if (!pictures.includes(reference)) throw new ProblemError('no-reference', { title: 'The reference is not among the exposures', detail: 'The picture that the others are aligned to has to be one of them.', status: 422 })
      await Promise.all(pictures.map((id) => readPictureSummary(database, id)))
      return queueRun(database, boss, 'merge', reference, request.body as Record<string, unknown>)
    } },
    { method: 'post', path: '/pictures/{picture}/bring-over', summary: 'Bring what another picture of the job shows into a zone, as a picture of its own', body: BringOverBody, validate: validators.validateBringOverBody, success: 202, handle: async (request) => {
      const { from } = request.body as { from: string }
      await Promise.all([parameter(request, 'picture'), from].map((id) => readPictureSummary(database, id)))
      return queueRun(database, boss, 'bring-over', parameter(request, 'picture'), request.body as Record<string, unknown>)
    } },
    { method: 'get', path: '/runs/{run}', summary: 'How far long work is', success: 200, handle: (request) => readRun(database, parameter(request, 'run')) },
    { method: 'post', path: '/runs/{run}/cancel', summary: 'Stop long work', success: 200, handle: (request) => cancelRun(database, parameter(request, 'run')) },
    ...handOverRoutes(tools),
    ...jobRoutes(tools),
    { method: 'get', path: '/jobs/{job}/batches', summary: 'The newest batches of a job', success: 200, handle: async (request) => ({ batches: await listBatches(database, parameter(request, 'job')) }) },
    { method: 'post', path: '/jobs/{job}/batches', summary: 'Do the same work on many pictures', body: BatchBody, validate: validators.validateBatchBody, success: 202, handle: async (request) => {
      const { kind, pictures, parameters } = request.body as BatchRequest
      if (kind === 'chart') await readSensor(database, String(parameters.sensor))
      return createBatch(database, boss, parameter(request, 'job'), kind, pictures, parameters)
    } },
    ...(['pause', 'resume', 'cancel', 'retry'] as const).map((what): Route => ({
      method: 'post', path: `/batches/{batch}/${what}`, success: 200, body: NothingBody, validate: validators.validateNothingBody,
      summary: { pause: 'Begin nothing new of a batch', resume: 'Go on with a batch', cancel: 'Stop a batch', retry: 'Try what failed of a batch again' }[what],
      handle: (request) => {
        const batch = parameter(request, 'batch')
        return { pause: () => pauseBatch(database, batch), resume: () => resumeBatch(database, boss, batch), cancel: () => cancelBatch(database, batch), retry: () => retryBatch(database, boss, batch) }[what]()
      },
    })),
    { method: 'get', path: '/jobs/{job}/sensors', summary: 'Camera bodies of a job', success: 200, handle: async (request) => ({ sensors: await listSensors(database, parameter(request, 'job')) }) },
    { method: 'get', path: '/sensors/{sensor}', summary: 'A camera body with its chart and frames', success: 200, handle: (request) => readSensor(database, parameter(request, 'sensor')) },
    { method: 'post', path: '/sensors/{sensor}/learn', summary: 'Learn the chart of a sensor from frames', body: LearnBody, validate: validators.validateLearnBody, success: 202, handle: async (request) => {
      const { pictures } = request.body as LearnRequest
      const sensor = await readSensor(database, parameter(request, 'sensor'))
      const strange = pictures.filter((id) => !sensor.frames.some((frame) => frame.id === id))
      if (strange.length > 0) throw new ProblemError('frames-elsewhere', { title: 'Some frames are of another body', detail: `${strange.length} of the frames are not of ${sensor.name}. Look at the page again and repeat what you wanted.`, status: 409 })
      if (pictures.length < LEAST_FRAMES) throw new ProblemError('too-few-frames', { title: 'A chart needs three frames', detail: `Only ${pictures.length} were chosen. Choose at least ${LEAST_FRAMES} frames of this camera body, of different scenes.`, status: 422 })
      return queueRun(database, boss, 'learn', pictures[0]!, { sensor: sensor.id, pictures })
    } },
    { method: 'get', path: '/sensors/{sensor}/chart', summary: 'The chart of a sensor as a document to keep', success: 200, handle: async (request, response) => {
      const { chart, name } = await readSensor(database, parameter(request, 'sensor'))
      if (!chart) throw new ProblemError('no-chart', { title: 'There is no chart yet', detail: `Nothing has been learned of ${name}.`, status: 404 })
      response.attachment(`${name}.chart.json`)
      return chart
    } },
    { method: 'post', path: '/sensors/{sensor}/chart', summary: 'Take a chart in', body: SensorChartSchema, validate: validators.validateSensorChart, success: 200, handle: async (request) => {
      const { id } = await readSensor(database, parameter(request, 'sensor'))
      await keepChart(database, id, request.body as SensorChart)
      return { marks: (request.body as SensorChart).marks.length }
    } },
    { method: 'post', path: '/pictures/{picture}/sensor', summary: 'Say which camera body took a picture', body: SensorNameBody, validate: validators.validateSensorNameBody, success: 200, handle: (request) => assignSensor(database, parameter(request, 'picture'), (request.body as SensorNameRequest).name.trim()) },
    { method: 'post', path: '/pictures/{picture}/aside', summary: 'Put a picture aside, or back', body: AsideBody, validate: validators.validateAsideBody, success: 200, handle: (request) => setAside(database, parameter(request, 'picture'), (request.body as AsideRequest).aside) },
    { method: 'post', path: '/pictures/{picture}/looked', summary: 'Remember what was looked at in a round', body: LookedBody, validate: validators.validateLookedBody, success: 200, handle: (request) => addLooked(database, parameter(request, 'picture'), (request.body as LookedRequest).cells) },
    { method: 'get', path: '/originals/{sha256}/tiles/{level}/{column}/{row}', summary: 'A tile as raw samples: predictor and gzip', success: 200, produces: 'application/octet-stream', handle: async (request, response) => {
      const sha256 = parameter(request, 'sha256')
      const [level, column, row] = ['level', 'column', 'row'].map((name) => Number(parameter(request, name))) as [number, number, number]
      if (!HASH.test(sha256) || ![level, column, row].every((value) => Number.isInteger(value) && value >= 0 && value < 4000)) throw noTile()
      return sendPacked(response, await storage.read(tileKey(sha256, level, column, row)))
    } },
    { method: 'get', path: '/originals/{sha256}/profile', summary: 'The colour profile that came with an original', success: 200, produces: 'application/vnd.iccprofile', handle: async (request, response) => {
      const sha256 = parameter(request, 'sha256')
      const key = HASH.test(sha256) ? originalKey(sha256) : null
      const icc = key !== null && (await storage.has(key)) ? (await readHeader(await storage.localFile(key), sha256)).metadata.icc : null
      if (!icc) throw new ProblemError('not-kept', { title: 'This is not kept here', detail: 'There is no such picture on this server, or it came without a colour profile.', status: 404 })
      response.set({ 'content-type': 'application/vnd.iccprofile', 'cache-control': FOR_EVER })
      response.end(icc)
      return undefined
    } },
    { method: 'get', path: '/patches/{key}', summary: 'A mend as pixels', success: 200, produces: 'application/octet-stream', handle: async (request, response) => {
      const key = parameter(request, 'key')
      if (!HASH.test(key)) throw noTile()
      return sendPacked(response, await storage.read(patchKey(key)))
    } },
    { method: 'get', path: '/events', summary: 'Changes as they happen, as server-sent events', success: 200, produces: 'text/event-stream', handle: async (request, response) => {
      events.add(response, typeof request.query.picture === 'string' ? request.query.picture : '*')
      return undefined
    } },
  ]
}

/** Deleting for a day, and bringing back. */
function deletions({ database }: RouteTools): Route[] {
  const kinds = [{ path: '/jobs/{job}', name: 'job', table: 'jobs', word: 'a job with its pictures' }, { path: '/pictures/{picture}', name: 'picture', table: 'pictures', word: 'a picture' }] as const
  return kinds.flatMap(({ path, name, table, word }): Route[] => {
    const changed = async (request: Request, change: typeof deleteForADay) => {
      const answer = await change(database, table, parameter(request, name))
      await notify(database, { type: 'listing', picture: parameter(request, name) })
      return answer
    }
    return [
      { method: 'delete', path, summary: `Delete ${word}; it can be brought back for a day`, success: 200, handle: (request) => changed(request, deleteForADay) },
      { method: 'post', path: `${path}/restore`, summary: `Bring back ${word}`, body: NothingBody, validate: validators.validateNothingBody, success: 200, handle: (request) => changed(request, restore) },
    ]
  })
}

function sendPacked(response: Response, bytes: Uint8Array | null): undefined {
  if (!bytes) throw noTile()
  response.set({ 'content-type': 'application/octet-stream', 'content-encoding': 'gzip', 'cache-control': FOR_EVER })
  response.end(bytes)
  return undefined
}

function noTile(): ProblemError {
  return new ProblemError('not-kept', { title: 'This is not kept here', detail: 'There is no such part of a picture on this server.', status: 404 })
}

/** Express routes of the list. */
export function makeRouter(routes: readonly Route[]): Router {
  const router = Router()
  for (const route of routes) {
    router[route.method](route.path.replaceAll(/\{(\w+)\}/g, ':$1'), async (request, response) => {
      checkAddress(request.params)
      checkStorable(request.body)
      if (route.validate) checkDocument(route.validate, request.body, 'The request', 400)
      const answer = await route.handle(request, response)
      if (answer !== undefined && !response.headersSent) response.status(route.success).json(answer)
    })
  }
  return router
}

/** OpenAPI 3.1 description of the list. */
export function describeOpenApi(routes: readonly Route[]): Record<string, unknown> {
  const paths: Record<string, Record<string, unknown>> = {}
  for (const route of routes) {
    const parameters = [...route.path.matchAll(/\{(\w+)\}/g)].map(([, name]) => ({ name, in: 'path', required: true, schema: { type: 'string' } }))
    ;(paths[`/api${route.path}`] ??= {})[route.method] = {
      summary: route.summary,
      ...(parameters.length > 0 ? { parameters } : {}),
      ...(route.body ? { requestBody: { required: true, content: { 'application/json': { schema: route.body } } } } : {}),
      responses: {
        [route.success]: { description: 'Done', content: { [route.produces ?? 'application/json']: {} } },
        default: { description: 'A problem as RFC 9457 describes it', content: { 'application/problem+json': { schema: { $ref: '#/components/schemas/Problem' } } } },
      },
    }
  }
  paths['/api/uploads'] = {
    post: { summary: 'Begin a resumable upload (tus 1.0.0); metadata filename and job', responses: { 201: { description: 'Begun' } } },
  }
  return {
    openapi: '3.1.0',
    info: { title: 'Fennip', version: '0.1.0', description: 'Finds and mends flaws in photographs.' },
    paths,
    components: {
      schemas: {
        Problem: { type: 'object', required: ['type', 'title', 'status', 'detail'], properties: { type: { type: 'string' }, title: { type: 'string' }, status: { type: 'integer' }, detail: { type: 'string' } } },
      },
    },
  }
}

