import pg from 'pg'
import type { Logger } from 'pino'
import type { Response } from 'express'

/** Something that open screens want to know at once, or workers. */
export type Event =
  | { type: 'work-waits' }
  | { type: 'listing'; picture: string }
  | { type: 'revision'; picture: string; revision: number }
  | { type: 'run'; picture: string; run: string; kind: string; state: string; progress: number }
  | { type: 'account-removed'; account: string }

const CHANNEL = 'fennip_events'

/** Tell all servers, and through them all screens. Inside a transaction it is told when that commits. */
export async function notify(query: { raw(sql: string, bindings: unknown[]): unknown }, event: Event): Promise<void> {
  await query.raw('select pg_notify(?, ?)', [CHANNEL, JSON.stringify(event)])
}

/** Hears what any process tells, and hears again whenever the connection was lost. */
export class EventChannel {
  private client: pg.Client | null = null
  private ended = false

  /** @param onBack  Told when it hears again: what was told meanwhile is missed. */
  constructor(private readonly url: string, private readonly log: Logger, private readonly onEvent: (event: Event) => void, private readonly onBack: () => void) {}

  async start(): Promise<void> {
    if (this.ended) return
    const client = new pg.Client({ connectionString: this.url })
    this.client = client
    client.on('notification', (message) => this.onEvent(JSON.parse(message.payload ?? '{}') as Event))
    client.on('error', () => this.restart())
    client.on('end', () => this.restart())
    try {
      await client.connect()
      await client.query(`listen ${CHANNEL}`)
      this.onBack()
    } catch (error) {
      this.log.warn({ error }, 'events: database unreachable')
      this.restart()
    }
  }

  private restart(): void {
    if (this.ended || !this.client) return
    this.client.removeAllListeners()
    this.client.on('error', () => undefined)
    this.client.end().catch(() => undefined)
    this.client = null
    setTimeout(() => void this.start(), 1000)
  }

  async stop(): Promise<void> {
    this.ended = true
    await this.client?.end().catch(() => undefined)
  }
}

/** Streams of events to screens (Server-Sent Events, WHATWG HTML 9.2). */
export class EventHub {
  private readonly screens = new Map<Response, { readonly picture: string; readonly account: string | null }>()
  private readonly channel: EventChannel

  constructor(url: string, log: Logger) {
    this.channel = new EventChannel(url, log, (event) => {
      for (const [screen, { picture, account }] of this.screens) {
        if (event.type === 'account-removed') {
          if (account === event.account) screen.end()
        } else if (event.type !== 'work-waits' && (picture === event.picture || picture === '*')) screen.write(`data: ${JSON.stringify(event)}\n\n`)
      }
    }, () => {
      // Screens missed what happened meanwhile.
      for (const screen of this.screens.keys()) screen.write('data: {"type":"reconnected"}\n\n')
    })
  }

  start(): Promise<void> {
    return this.channel.start()
  }

  /** @param account  Whose screen it is; null on loopback. It ends when the account is removed. */
  add(screen: Response, picture: string, account: string | null): void {
    screen.writeHead(200, { 'content-type': 'text/event-stream', 'cache-control': 'no-store', 'x-accel-buffering': 'no' })
    screen.write(': open\n\n')
    this.screens.set(screen, { picture, account })
    const beat = setInterval(() => screen.write(': beat\n\n'), 15000)
    screen.on('close', () => {
      clearInterval(beat)
      this.screens.delete(screen)
    })
  }

  async stop(): Promise<void> {
    for (const screen of this.screens.keys()) screen.end()
    await this.channel.stop()
  }
}
