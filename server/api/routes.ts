import type { Route, RouteTools } from './route.js'
import { assembleRoutes } from './routes/assemble.js'
import { batchRoutes } from './routes/batches.js'
import { deletionRoutes } from './routes/deletions.js'
import { findAndMendRoutes } from './routes/find-and-mend.js'
import { handOverRoutes } from './routes/hand-over.js'
import { historyRoutes } from './routes/history.js'
import { jobRoutes } from './routes/jobs.js'
import { keptRoutes } from './routes/kept.js'
import { operatorRoutes } from './routes/operator.js'
import { pictureRoutes } from './routes/pictures.js'
import { runRoutes } from './routes/runs.js'
import { sensorRoutes } from './routes/sensors.js'
import { sessionRoutes } from './routes/session.js'

/** All routes of the interface; one file a resource. */
export function describeRoutes(tools: RouteTools): Route[] {
  return [operatorRoutes, sessionRoutes, jobRoutes, pictureRoutes, deletionRoutes, historyRoutes, findAndMendRoutes, assembleRoutes, runRoutes, handOverRoutes, batchRoutes, sensorRoutes, keptRoutes].flatMap((routes) => routes(tools))
}
