import type { ErrorRequestHandler } from 'express'
import { ProblemError } from '@fennip/core/problem.js'
import { diskProblem } from '@fennip/codec/disk.js'
import type { Logger } from 'pino'

const LOST = new Set(['ECONNREFUSED', 'ECONNRESET', 'EPIPE', '57P01', '57P02', '57P03', '08000', '08003', '08006', '3D000'])

/** Any error as a problem: known ones as they are, lost connections and full disks named, the rest without detail. */
export function toProblem(thrown: unknown): ProblemError {
  const error = diskProblem(thrown, 'the storage')
  if (error instanceof ProblemError) return error
  const { code, message = '', status, type } = error as { code?: string; message?: string; status?: number; type?: string }
  if ((code && LOST.has(code)) || /Timeout acquiring a connection|Connection terminated|Unable to acquire|Connection ended/.test(message)) {
    return new ProblemError('database-unreachable', { title: 'The database cannot be reached', detail: 'What you did last is not saved. It is tried again as soon as the database answers.', status: 503 })
  }
  if (code === '53100') return new ProblemError('database-full', { title: 'The disk of the database is full', detail: 'What you did last is not saved yet; it is kept in the browser and tried again. Free some space on the server.', status: 507 })
  if (code === '40P01' || code === '40001' || code === '55P03') return new ProblemError('database-busy', { title: 'The database is busy', detail: 'This could not be done at the moment. Try again.', status: 503 })
  if (code === '22021' || code === '22P05') return new ProblemError('text-invalid', { title: 'A text cannot be stored', detail: 'A text of this request holds a character that is none (U+0000 or half of a surrogate pair).', status: 400 })
  if (type === 'entity.parse.failed') return new ProblemError('not-json', { title: 'The request is not JSON', detail: 'The body of the request cannot be read as JSON.', status: 400 })
  if (type === 'entity.too.large') return new ProblemError('request-too-large', { title: 'The request is too large', detail: 'One change may carry at most 40 MB.', status: 413 })
  if (code === '22P02') return new ProblemError('address-invalid', { title: 'The address is not valid', detail: 'A part of the address is not an identifier.', status: 404 })
  return new ProblemError('internal', { title: 'Something went wrong', detail: 'The server could not do this. The log of the server says why.', status: typeof status === 'number' && status >= 400 ? status : 500 })
}

export function problemHandler(log: Logger): ErrorRequestHandler {
  return (error, _request, response, next) => {
    const problem = toProblem(error)
    if (problem.status >= 500) log.error({ error: error as unknown }, problem.title)
    if (response.headersSent) {
      next(error)
      return
    }
    response.status(problem.status).type('application/problem+json').send(JSON.stringify(problem.toJSON()))
  }
}
