import * as validators from '@fennip/core/treatment/generated/validators.js'
import { listArriving } from '../../arrivals.js'
import type { Disposable } from '../../jobs/disposable.js'
import { spaceOf, throwAway } from '../../jobs/space.js'
import { spendTime, timeCsv, timeOfJob } from '../../jobs/time.js'
import { createJob, deletedJobs, listJobs, readJob } from '../../pictures.js'
import { queueJobRun, runsOfJob } from '../../runs/runs.js'
import { JobBody, NothingBody, SpaceBody, TimeBody, type JobRequest } from '../bodies.js'
import { parameter, type Route, type RouteTools } from '../route.js'

/** A whole job: its pictures, its archive, its contact sheet, the room it takes and the time it took. */
export function jobRoutes({ database, storage, boss }: RouteTools): Route[] {
  const begun = (what: 'archive' | 'contact-sheet', summary: string): Route => ({
    method: 'post', path: `/jobs/{job}/${what}`, summary, body: NothingBody, validate: validators.validateNothingBody, success: 202,
    handle: async (request) => {
      const { id } = await readJob(database, parameter(request, 'job'))
      return queueJobRun(database, boss, what, id, {})
    },
  })
  return [
    { method: 'get', path: '/jobs', summary: 'All jobs with their progress', success: 200, handle: async () => ({ jobs: await listJobs(database), deleted: await deletedJobs(database) }) },
    { method: 'post', path: '/jobs', summary: 'Make a job', body: JobBody, validate: validators.validateJobBody, success: 201, handle: async (request) => ({ id: await createJob(database, request.body as JobRequest) }) },
    { method: 'get', path: '/jobs/{job}', summary: 'A job with its pictures', success: 200, handle: async (request) => ({ ...(await readJob(database, parameter(request, 'job'))), arriving: await listArriving(database, parameter(request, 'job')) }) },
    begun('archive', 'Write a job with everything in it into one zip file'),
    begun('contact-sheet', 'Write the pictures of a job on pages of a PDF'),
    { method: 'get', path: '/jobs/{job}/runs', summary: 'Work on a whole job, the newest first', success: 200, handle: async (request) => ({ runs: await runsOfJob(database, parameter(request, 'job')) }) },
    { method: 'get', path: '/jobs/{job}/space', summary: 'What takes room for a job', success: 200, handle: async (request) => {
      const { id } = await readJob(database, parameter(request, 'job'))
      return spaceOf(database, storage, id)
    } },
    { method: 'post', path: '/jobs/{job}/space', summary: 'Throw away what can be made again', body: SpaceBody, validate: validators.validateSpaceBody, success: 200, handle: async (request) => {
      const { id } = await readJob(database, parameter(request, 'job'))
      return throwAway(database, storage, id, (request.body as { throwAway: Disposable }).throwAway)
    } },
    { method: 'post', path: '/pictures/{picture}/time', summary: 'Add time that was spent on a picture in a stage', body: TimeBody, validate: validators.validateTimeBody, success: 200, handle: async (request) => {
      const { stage, seconds } = request.body as { stage: string; seconds: number }
      await spendTime(database, parameter(request, 'picture'), stage, seconds)
      return { seconds }
    } },
    { method: 'get', path: '/jobs/{job}/time', summary: 'Time spent, by picture, stage and day', success: 200, handle: async (request) => ({ spent: await timeOfJob(database, parameter(request, 'job')) }) },
    { method: 'get', path: '/jobs/{job}/time.csv', summary: 'The same as comma-separated values', success: 200, produces: 'text/csv', handle: async (request, response) => {
      const { title } = await readJob(database, parameter(request, 'job'))
      response.attachment(`${title} time.csv`).type('text/csv').send(timeCsv(await timeOfJob(database, parameter(request, 'job'))))
      return undefined
    } },
  ]
}
