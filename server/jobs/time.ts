import { STAGE_WORDS } from '@fennip/core/treatment/words.js'
import type { Database } from '../database/database.js'
import { noPicture } from '../history.js'

/** Time that was spent on a picture in a stage on one day. */
export interface TimeSpent { readonly picture: string; readonly name: string; readonly stage: string; readonly day: string; readonly seconds: number }

export async function spendTime(database: Database, picture: string, stage: string, seconds: number): Promise<void> {
  const known = (await database('pictures').where('id', picture).whereNull('deleted_at').first('id')) as unknown
  if (!known) throw noPicture(picture)
  await database.raw("insert into time_spent (picture_id, stage, day, seconds) values (?, ?, (now() at time zone 'utc')::date, ?) on conflict (picture_id, stage, day) do update set seconds = time_spent.seconds + excluded.seconds", [picture, stage, seconds])
}

export async function timeOfJob(database: Database, job: string): Promise<TimeSpent[]> {
  return (await database('time_spent').join('pictures', 'pictures.id', 'time_spent.picture_id').where('pictures.job_id', job).whereNull('pictures.deleted_at').orderBy(['pictures.created_at', 'day', 'stage'])
    .select('pictures.id as picture', 'name', 'stage', database.raw("to_char(day, 'YYYY-MM-DD') as day"), 'seconds')) as TimeSpent[]
}

/** Comma-separated values (RFC 4180). */
export function timeCsv(spent: readonly TimeSpent[]): string {
  // A name that begins like a formula must not be taken for one by a spreadsheet.
  const quoted = (value: string) => `"${(/^[=+\-@\t\r]/.test(value) ? `'${value}` : value).replaceAll('"', '""')}"`
  const rows = spent.map(({ name, stage, day, seconds }) => [quoted(name), quoted((STAGE_WORDS as Record<string, string>)[stage] ?? stage), day, (seconds / 60).toFixed(1)].join(','))
  return [['picture', 'stage', 'day', 'minutes'].join(','), ...rows, ''].join('\r\n')
}
