import * as validators from '@fennip/core/treatment/generated/validators.js'
import { cancelBatch, createBatch, listBatches, pauseBatch, resumeBatch, retryBatch } from '../../runs/batches.js'
import { readSensor } from '../../sensors.js'
import { BatchBody, NothingBody, type BatchRequest } from '../bodies.js'
import { parameter, type Route, type RouteTools } from '../route.js'

/** The same work on many pictures. */
export function batchRoutes({ database, boss }: RouteTools): Route[] {
  return [
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
  ]
}
