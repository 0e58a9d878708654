import { randomUUID } from 'node:crypto'
import { ProblemError } from '@fennip/core/problem.js'
import type { SensorChart } from '@fennip/core/series/chart-schema.js'
import type { Database } from './database/database.js'
import { noPicture } from './history.js'
import { summariesOf, type PictureSummary } from './pictures.js'

/** Camera bodies of a job, the frames of each, and what is known of their dust. */

export interface SensorSummary {
  readonly id: string
  readonly name: string
  readonly frames: number
  readonly marks: number | null
}

export interface Sensor {
  readonly id: string
  readonly name: string
  readonly job: { readonly id: string; readonly title: string }
  readonly chart: SensorChart | null
  readonly frames: PictureSummary[]
}

export async function listSensors(database: Database, job: string): Promise<SensorSummary[]> {
  return (await database('sensors').leftJoin('pictures', 'pictures.sensor_id', 'sensors.id').where('sensors.job_id', job).groupBy('sensors.id').orderBy('sensors.name')
    .select('sensors.id', 'sensors.name', database.raw('count(pictures.id)::int as frames'), database.raw("jsonb_array_length(sensors.chart->'marks') as marks"))) as SensorSummary[]
}

export async function readSensor(database: Database, id: string): Promise<Sensor> {
  const row = (await database('sensors').join('jobs', 'jobs.id', 'sensors.job_id').where('sensors.id', id).first('sensors.id', 'sensors.name', 'chart', 'jobs.id as job', 'jobs.title')) as
    { id: string; name: string; chart: SensorChart | null; job: string; title: string } | undefined
  if (!row) throw new ProblemError('sensor-unknown', { title: 'There is no such sensor', detail: `No sensor ${id} is kept here. Go back to the contact sheet.`, status: 404 })
  return { id: row.id, name: row.name, chart: row.chart, job: { id: row.job, title: row.title }, frames: await summariesOf(database, { sensor_id: id }) }
}

/** The sensor of a body in a job, made when it is new. */
export async function sensorOfBody(database: Pick<Database, 'raw'> & ((table: string) => ReturnType<Database>), job: string, name: string): Promise<string> {
  await database('sensors').insert({ id: randomUUID(), job_id: job, name }).onConflict(['job_id', 'name']).ignore()
  return ((await database('sensors').where({ job_id: job, name }).first('id')) as { id: string }).id
}

/** Say by hand which sensor took a picture; an empty name says that none did. */
export async function assignSensor(database: Database, picture: string, name: string): Promise<{ sensor: string | null }> {
  const row = (await database('pictures').where('id', picture).first('job_id')) as { job_id: string } | undefined
  if (!row) throw noPicture(picture)
  const sensor = name === '' ? null : await sensorOfBody(database, row.job_id, name)
  await database('pictures').where('id', picture).update({ sensor_id: sensor })
  return { sensor }
}

export async function keepChart(database: Database, sensor: string, chart: SensorChart): Promise<void> {
  await database('sensors').where('id', sensor).update({ chart: JSON.stringify(chart) })
}
