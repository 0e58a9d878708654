import PgBoss from 'pg-boss'
import { pino } from 'pino'
import { AccessControl } from './access/access.js'
import { Metrics } from './access/metrics.js'
import { makeApp } from './app.js'
import { openDatabase } from './database/database.js'
import { prepareDatabase } from './database/prepare.js'
import { Uploads } from './api/uploads.js'
import { EventHub } from './events.js'
import { currentTreatment } from './history.js'
import { readSettings } from './settings.js'
import { openStorage } from './storage/storage.js'
import { Threads } from './threads.js'

/** The server process. */

const settings = readSettings()
const log = pino({ level: settings.logLevel, name: 'server', serializers: { error: pino.stdSerializers.err } })
const database = openDatabase(settings.databaseUrl)
const storage = openStorage(settings.storage, settings.cacheFolder)
const threads = new Threads(settings, 1)
/** Files that have come are looked at beside the making of patches, which may take long. */
const looking = new Threads(settings, 1, 60_000)
const events = new EventHub(settings.databaseUrl, log)

process.on('unhandledRejection', (error) => log.error({ error }, 'unhandled'))

/** Patches are made in the background after each edit; a newer edit of the same picture replaces one that waits. */
const waiting = new Map<string, NodeJS.Timeout>()
function makePatchesSoon(picture: string): void {
  clearTimeout(waiting.get(picture))
  waiting.set(
    picture,
    setTimeout(() => {
      waiting.delete(picture)
      currentTreatment(database, picture)
        .then(({ treatment }) => threads.keepPatches(treatment))
        .catch((error: unknown) => log.warn({ error }, 'patches'))
    }, 1500),
  )
}

/** Usual proxies keep connections for a minute (common practice). */
const KEPT_ALIVE_MS = 75_000

async function start(): Promise<void> {
  await storage.prepare()
  const boss = new PgBoss({ connectionString: settings.databaseUrl, max: 2, supervise: true })
  boss.on('error', (error) => log.warn({ error }, 'queue'))
  await prepareDatabase(settings.databaseUrl, database, boss)
  await events.start()
  const uploads = new Uploads({ database, storage, boss, looking, settings, log })
  uploads.start()
  const access = new AccessControl(database, settings)
  const code = await access.codeForFirst()
  // To the terminal too, where the log is silent: nobody could begin without it.
  if (code && settings.firstCode === '') console.log(`Nobody has an account yet. Make the first at the address of Fennip with the code ${code}.`)
  const app = makeApp({ access, metrics: new Metrics(database), database, storage, boss, events, looking, uploads, settings, log, onEdit: makePatchesSoon })
  const server = app.listen(settings.port, settings.host, () => log.info(`listening on http://${settings.host}:${settings.port}`))
  // Longer than clients and proxies keep a connection: who closes first must not be the server, or a request that is under way is lost.
  server.keepAliveTimeout = KEPT_ALIVE_MS
  server.headersTimeout = KEPT_ALIVE_MS + 5000
  server.on('error', (error) => {
    log.error({ error }, 'cannot listen')
    process.exit(1)
  })
  const stop = async () => {
    server.close()
    server.closeAllConnections()
    await events.stop()
    await boss.stop({ graceful: false, wait: false }).catch(() => undefined)
    uploads.stop()
    await access.stop()
    await Promise.all([threads.stop(), looking.stop()])
    await database.destroy()
    process.exit(0)
  }
  process.on('SIGTERM', () => void stop())
  process.on('SIGINT', () => void stop())
}

start().catch((error: unknown) => {
  log.error({ error }, 'server cannot start')
  process.exit(1)
})
