import { cancelRun, readRun } from '../../runs/runs.js'
import { parameter, type Route, type RouteTools } from '../route.js'

/** Long work: how far it is, and stopping it. */
export function runRoutes({ database }: RouteTools): Route[] {
  return [
    { method: 'get', path: '/runs/{run}', summary: 'How far long work is', success: 200, handle: (request) => readRun(database, parameter(request, 'run')) },
    { method: 'post', path: '/runs/{run}/cancel', summary: 'Stop long work', success: 200, handle: (request) => cancelRun(database, parameter(request, 'run')) },
  ]
}
