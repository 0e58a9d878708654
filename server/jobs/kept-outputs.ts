import { PRESETS, type OutputRequest } from '@fennip/core/output/output.js'
import type { Database } from '../database/database.js'
import { noJob } from '../pictures.js'

/** Files that are written for the pictures of a job, as they were kept for it. */
export async function keptOutputs(database: Database, job: string): Promise<readonly OutputRequest[]> {
  const row = (await database('jobs').where('id', job).first('outputs')) as { outputs: OutputRequest[] | null } | undefined
  if (!row) throw noJob(job)
  return row.outputs ?? PRESETS
}

export async function keepOutputs(database: Database, job: string, outputs: readonly OutputRequest[]): Promise<void> {
  const changed = await database('jobs').where('id', job).whereNull('deleted_at').update({ outputs: JSON.stringify(outputs) })
  if (changed === 0) throw noJob(job)
}
