import { randomUUID } from 'node:crypto'
import { ProblemError } from '@fennip/core/problem.js'
import PgBoss from 'pg-boss'
import { pino } from 'pino'
import { openDatabase } from './database/database.js'
import { prepareDatabase } from './database/prepare.js'
import { EventChannel } from './events.js'
import { purgeDeleted } from './purge.js'
import { beat, endRun, MOST_ATTEMPTS, QUEUES, reviveRuns, takeRun } from './runs/runs.js'
import { Cancelled } from './runs/tools.js'
import { doWork } from './runs/work.js'
import { readSettings } from './settings.js'
import { openStorage } from './storage/storage.js'
import { Threads } from './threads.js'

/** A worker: takes long work from the queue until it is stopped. Any number of them may run, on any machine. */

const settings = readSettings()
const log = pino({ level: settings.logLevel, name: 'worker', serializers: { error: pino.stdSerializers.err } })
const database = openDatabase(settings.databaseUrl)
const storage = openStorage(settings.storage, settings.cacheFolder)
const threads = new Threads(settings, settings.threads)
/** What decodes whole pictures ends with its work, and its memory with it. */
const intake = new Threads(settings, 1, 5000)
const limits = { bytes: settings.largestFileBytes, pixels: settings.largestPixels }
const holder = randomUUID()

const BEAT_MILLISECONDS = 400

async function work(id: string): Promise<void> {
  const run = await takeRun(database, id, holder)
  if (!run) return
  let share = 0
  let wanted = true
  const heart = setInterval(() => {
    beat(database, id, holder, share).then(
      (goOn) => {
        wanted = goOn
      },
      // A lost connection is not a wish to cancel; the sweep of another worker decides.
      (error: unknown) => log.warn({ error }, 'heartbeat lost'),
    )
  }, BEAT_MILLISECONDS)
  try {
    if (run.attempts > MOST_ATTEMPTS) throw new ProblemError('work-given-up', { title: 'The work was given up', detail: `It was begun ${MOST_ATTEMPTS} times and ended its worker each time. The file or picture may be too much for this machine's memory.`, status: 500 })
    const result = await doWork({ database, storage, threads, intake, limits }, run, (progress) => {
      share = progress
      return wanted
    })
    await endRun(database, id, holder, { state: 'done', result })
  } catch (error) {
    if (error instanceof Cancelled) await endRun(database, id, holder, { state: 'cancelled' })
    else {
      log.error({ error, run: id }, 'work failed')
      const problem = error instanceof ProblemError ? error : new ProblemError('work-failed', { title: 'The work failed', detail: error instanceof Error ? error.message : String(error), status: 500 })
      await endRun(database, id, holder, { state: 'failed', problem: problem.toJSON() })
    }
  } finally {
    clearInterval(heart)
  }
}

async function start(): Promise<void> {
  await storage.prepare()
  const boss = new PgBoss({ connectionString: settings.databaseUrl, max: 3 })
  boss.on('error', (error) => log.warn({ error }, 'queue'))
  await prepareDatabase(settings.databaseUrl, database, boss)
  const takers: string[] = []
  for (const queue of Object.values(QUEUES)) {
    takers.push(await boss.work<{ run: string }>(queue, { pollingIntervalSeconds: 0.5, batchSize: 1 }, async (jobs) => {
      for (const job of jobs) await work(job.data.run)
    }))
  }
  // Who begins something waits for it: it is taken at once, not when the queue is next looked at.
  const channel = new EventChannel(settings.databaseUrl, log, (event) => {
    if (event.type === 'work-waits') for (const taker of takers) boss.notifyWorker(taker)
  }, () => undefined)
  await channel.start()
  const sweep = setInterval(() => void reviveRuns(database, boss, settings.silenceSeconds).catch((error: unknown) => log.warn({ error }, 'sweep')), 400 * settings.silenceSeconds)
  const purge = setInterval(() => void purgeDeleted(database, storage).catch((error: unknown) => log.warn({ error }, 'purge')), 10 * 60_000)
  const stop = async () => {
    clearInterval(sweep)
    clearInterval(purge)
    await channel.stop()
    await boss.stop({ graceful: false, wait: false }).catch(() => undefined)
    await Promise.all([threads.stop(), intake.stop()])
    await database.destroy()
    process.exit(0)
  }
  process.on('SIGTERM', () => void stop())
  process.on('SIGINT', () => void stop())
  log.info('worker ready')
}

start().catch((error: unknown) => {
  log.error({ error }, 'worker cannot start')
  process.exit(1)
})
