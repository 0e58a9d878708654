import type { TSchema } from '@sinclair/typebox'
import type { ValidateFunction } from 'ajv'
import { Router, type Request, type Response } from 'express'
import type PgBoss from 'pg-boss'
import { ProblemError } from '@fennip/core/problem.js'
import { checkDocument } from '@fennip/core/treatment/validate.js'
import type { Step } from '@fennip/core/treatment/schema.js'
import type { AccessControl } from '../access/access.js'
import type { Metrics } from '../access/metrics.js'
import type { Database } from '../database/database.js'
import type { EventHub } from '../events.js'
import type { Storage } from '../storage/storage.js'
import type { Threads } from '../threads.js'
import { checkAddress, checkStorable } from './storable.js'

/** One route: what it is, what it takes and what it does. The OpenAPI description is made from the same list. */
export interface Route {
  readonly method: 'get' | 'post' | 'delete'
  readonly path: string
  readonly summary: string
  readonly body?: TSchema
  readonly validate?: ValidateFunction
  readonly success: number
  readonly produces?: string
  /** Who may ask when signing in is required: anyone, any account, an operator's program, or an owner. By default an account may read and an owner change. */
  readonly access?: Access
  handle(request: Request, response: Response): Promise<unknown>
}

export type Access = 'anyone' | 'account' | 'operator' | 'owner'

export interface RouteTools {
  readonly database: Database
  readonly storage: Storage
  readonly boss: PgBoss
  readonly events: EventHub
  /** Threads for what a screen waits for. */
  readonly looking: Threads
  readonly access: AccessControl
  readonly metrics: Metrics
  /** Told of each saved edit, so that its patches are made and kept. */
  onEdit(picture: string, steps: readonly Step[]): void
}

/** SHA-256 in hexadecimal digits. */
export const HASH = /^[0-9a-f]{64}$/

/** A parameter of the path. */
export const parameter = (request: Request, name: string): string => String(request.params[name])

/** Who may ask a route. */
export const accessOf = ({ access, method }: Pick<Route, 'access' | 'method'>): Access => access ?? (method === 'get' ? 'account' : 'owner')

/** Nothing of this name is kept here. */
export function notKept(): ProblemError {
  return new ProblemError('not-kept', { title: 'This is not kept here', detail: 'There is no such part of a picture on this server.', status: 404 })
}

/** Express routes of the list. @param checkAccess  Throws when the request may not ask for so much. */
export function makeRouter(routes: readonly Route[], checkAccess: (request: Request, access: Access) => void): Router {
  const router = Router()
  for (const route of routes) {
    router[route.method](route.path.replaceAll(/\{(\w+)\}/g, ':$1'), async (request, response) => {
      checkAccess(request, accessOf(route))
      checkAddress(request.params)
      checkStorable(request.body)
      if (route.validate) checkDocument(route.validate, request.body, 'The request', 400)
      const answer = await route.handle(request, response)
      if (answer !== undefined && !response.headersSent) response.status(route.success).json(answer)
    })
  }
  return router
}
