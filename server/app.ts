import express, { type Express } from 'express'
import helmet from 'helmet'
import { existsSync } from 'node:fs'
import { fileURLToPath } from 'node:url'
import type { Logger } from 'pino'
import { pinoHttp } from 'pino-http'
import { ProblemError } from '@fennip/core/problem.js'
import { guardOrigin } from './api/guard.js'
import { problemHandler } from './api/problems.js'
import { describeOpenApi } from './api/openapi.js'
import { makeRouter, type RouteTools } from './api/route.js'
import { describeRoutes } from './api/routes.js'
import type { Uploads } from './api/uploads.js'
import type { Settings } from './settings.js'

/** The web server: interface, API and uploads. */
export function makeApp(tools: RouteTools & { uploads: Uploads; settings: Settings; log: Logger }): Express {
  const { settings, log, access } = tools
  const app = express()
  app.disable('x-powered-by')
  app.use(pinoHttp({ logger: log, autoLogging: false }))
  app.use(
    helmet({
      contentSecurityPolicy: {
        useDefaults: false,
        directives: {
          defaultSrc: ["'none'"],
          // The kernels are WebAssembly (CSP level 3); text still never becomes code.
          scriptSrc: ["'self'", "'wasm-unsafe-eval'"],
          workerSrc: ["'self'"], connectSrc: ["'self'"], fontSrc: ["'self'"],
          imgSrc: ["'self'", 'blob:', 'data:'],
          // The component library sets positions of its floating parts as style attributes.
          styleSrc: ["'self'", "'unsafe-inline'"],
          baseUri: ["'none'"], formAction: ["'self'"], frameAncestors: ["'none'"],
        },
      },
      strictTransportSecurity: false,
    }),
  )
  app.use(guardOrigin(settings))
  app.use('/api', tools.metrics.measure)
  access.mount(app)
  app.all(/^\/api\/uploads(\/.*)?$/, (request, _response, next) => {
    access.check(request, 'owner')
    next()
  })
  app.all(/^\/api\/uploads(\/.*)?$/, tools.uploads.handle)
  app.use('/api', express.json({ limit: '40mb', type: 'application/json' }))
  const routes = describeRoutes(tools)
  app.get('/api/openapi.json', (_request, response) => {
    response.json(describeOpenApi(routes))
  })
  app.use('/api', makeRouter(routes, access.check))
  app.use('/api', (request, _response, next) => next(new ProblemError('address-unknown', { title: 'There is no such address', detail: `${request.method} ${request.originalUrl} is not part of the interface; /api/openapi.json lists it.`, status: 404 })))
  const built = fileURLToPath(new URL('../web/dist/', import.meta.url))
  if (existsSync(built)) {
    app.use('/assets', express.static(`${built}assets`, { immutable: true, maxAge: '1y' }))
    app.use(express.static(built, { index: false }))
    app.get(/.*/, (_request, response) => {
      // With a root of its own: a clone may lie below a folder whose name begins with a dot.
      response.set('cache-control', 'no-cache').sendFile('index.html', { root: built })
    })
  }
  app.use(problemHandler(log))
  return app
}
