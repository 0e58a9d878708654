import * as validators from '@fennip/core/treatment/generated/validators.js'
import { checkRevision } from '../../history.js'
import { readPictureSummary } from '../../pictures.js'
import { queueRun } from '../../runs/runs.js'
import { FindBody, MendBody, type FindRequest } from '../bodies.js'
import { parameter, type Route, type RouteTools } from '../route.js'

/** Searching a picture and mending what is open. */
export function findAndMendRoutes({ database, boss }: RouteTools): Route[] {
  return [
    { method: 'post', path: '/pictures/{picture}/find', summary: 'Search the picture for flaws', body: FindBody, validate: validators.validateFindBody, success: 202, handle: async (request) => {
      await readPictureSummary(database, parameter(request, 'picture'))
      return queueRun(database, boss, 'find', parameter(request, 'picture'), request.body as FindRequest)
    } },
    { method: 'post', path: '/pictures/{picture}/mend', summary: 'Mend all open flaws', body: MendBody, validate: validators.validateMendBody, success: 202, handle: async (request) => {
      await readPictureSummary(database, parameter(request, 'picture'))
      await checkRevision(database, parameter(request, 'picture'), (request.body as { revision: number }).revision)
      return queueRun(database, boss, 'mend', parameter(request, 'picture'), {})
    } },
  ]
}
