import type { Route, RouteTools } from '../route.js'

/** What an operator asks for, and the stream of what happens. */
export function operatorRoutes({ database, events, metrics }: RouteTools): Route[] {
  return [
    { method: 'get', path: '/health', summary: 'Whether server and database answer', access: 'anyone', success: 200, handle: async () => {
      await database.raw('select 1')
      return { ok: true }
    } },
    { method: 'get', path: '/metrics', summary: 'Figures in the text format of Prometheus; for a program with the token of the settings', access: 'operator', success: 200, produces: 'text/plain', handle: async (_request, response) => {
      const text = await metrics.text()
      response.set('content-type', metrics.mediaType).send(text)
      return undefined
    } },
    { method: 'get', path: '/events', summary: 'Changes as they happen, as server-sent events', success: 200, produces: 'text/event-stream', handle: async (request, response) => {
      events.add(response, typeof request.query.picture === 'string' ? request.query.picture : '*', request.user?.id ?? null)
      return undefined
    } },
  ]
}
