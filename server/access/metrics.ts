import { collectDefaultMetrics, Gauge, Histogram, Registry } from 'prom-client'
import type { RequestHandler } from 'express'
import type { Database } from '../database/database.js'

/** Figures for an operator, in the text format of Prometheus (version 0.0.4). */
export class Metrics {
  private readonly registry = new Registry()
  private readonly answered = new Histogram({ name: 'fennip_http_request_seconds', help: 'Time from a request to its answer, by method, resource and status', labelNames: ['method', 'resource', 'status'], buckets: [0.005, 0.02, 0.05, 0.1, 0.3, 1, 3, 10], registers: [this.registry] })

  constructor(database: Database) {
    collectDefaultMetrics({ register: this.registry })
    new Gauge({
      name: 'fennip_runs', help: 'Long work by kind and state; what ended, of the last day', labelNames: ['kind', 'state'], registers: [this.registry],
      async collect() {
        const rows = (await database('runs').whereRaw("state in ('queued', 'running') or created_at > now() - interval '1 day'").groupBy('kind', 'state').select('kind', 'state').count({ count: '*' })) as { kind: string; state: string; count: string }[]
        this.reset()
        for (const { kind, state, count } of rows) this.set({ kind, state }, Number(count))
      },
    })
    new Gauge({
      name: 'fennip_oldest_waiting_seconds', help: 'How long the oldest work that no worker has begun has been waiting; 0 when none waits', registers: [this.registry],
      async collect() {
        const row = (await database('runs').where('state', 'queued').first(database.raw('coalesce(extract(epoch from now() - min(created_at)), 0) as waiting'))) as { waiting: string }
        this.set(Number(row.waiting))
      },
    })
  }

  /** Measures every request. Addresses are told by their resource, so that there are few of them. */
  readonly measure: RequestHandler = (request, response, next) => {
    const end = this.answered.startTimer()
    const resource = request.path.split('/')[1] ?? ''
    response.once('finish', () => end({ method: request.method, resource: response.statusCode === 404 ? 'unknown' : resource, status: String(response.statusCode) }))
    next()
  }

  text(): Promise<string> {
    return this.registry.metrics()
  }

  get mediaType(): string {
    return this.registry.contentType
  }
}
