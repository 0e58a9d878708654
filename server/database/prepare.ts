import pg from 'pg'
import type PgBoss from 'pg-boss'
import { QUEUES } from '../runs/runs.js'
import { migrate, type Database } from './database.js'

/** Any number; the same in every process of Fennip. */
const START_LOCK = 4170

/**
 * Bring tables and queues to what this version needs. Processes that begin at once wait for one another: two of them
 * making the queue's tables side by side can deadlock.
 */
export async function prepareDatabase(url: string, database: Database, boss: PgBoss): Promise<void> {
  const client = new pg.Client({ connectionString: url })
  client.on('error', () => undefined)
  await client.connect()
  try {
    await client.query('select pg_advisory_lock($1)', [START_LOCK])
    await migrate(database)
    await boss.start()
    for (const queue of Object.values(QUEUES)) await boss.createQueue(queue)
  } finally {
    // The lock goes with the connection.
    await client.end()
  }
}
