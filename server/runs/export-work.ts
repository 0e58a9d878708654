import { EXTENSIONS } from '@fennip/codec/formats.js'
import type { Medium } from '@fennip/core/find/judging/medium.js'
import { completeOutput, type OutputRequest } from '@fennip/core/output/output.js'
import { currentTreatment } from '../history.js'
import { keptOutputs } from '../jobs/kept-outputs.js'
import { uniqueNames } from '../unique-names.js'
import type { Run } from './runs.js'
import { steered } from './steered.js'
import type { Progress, WorkTools } from './tools.js'

/** A file that work wrote, as it can be fetched. */
export interface RunFile {
  /** Under the outputs of the storage. */
  readonly file: string
  /** As it is downloaded. */
  readonly name: string
  readonly bytes: number
  readonly width?: number
  readonly height?: number
}

/** Write what is handed over of a picture; every file appears whole or not at all. */
export async function exportPicture({ database, threads }: WorkTools, run: Run, progress: Progress): Promise<{ files: RunFile[]; mends: number; revision: number }> {
  const { treatment, revision } = await currentTreatment(database, run.picture)
  const row = (await database('pictures').where('id', run.picture).first('name', 'kind', 'job_id')) as { name: string; kind: Medium; job_id: string }
  const { outputs: asked, report = [] } = run.parameters as { outputs?: OutputRequest[]; report?: ('pdf' | 'html')[] }
  const outputs = (asked ?? (report.length > 0 ? [] : (await keptOutputs(database, row.job_id)).filter(({ wanted }) => wanted !== false))).map((output) => completeOutput(output, treatment.original.depth))
  const stem = row.name.replace(/\.[^.]*$/, '')
  const wanted = outputs.map((output, i) => ({ output, file: `${run.id}-${i}.${EXTENSIONS[output.format]}` }))
  const delivery = { treatment, name: row.name, kind: row.kind }
  const part = report.length > 0 ? (outputs.length > 0 ? 0.7 : 0) : 1
  const written = wanted.length === 0 ? [] : await steered(progress, (onShare) => threads.writeOutputs(delivery, wanted, (share) => onShare(part * share)))
  const names = wanted.map(({ output }) => `${stem}-${output.name === 'result' ? 'mended' : output.name.replaceAll(/[^\p{L}\p{N}]+/gu, '-')}.${EXTENSIONS[output.format]}`).map(uniqueNames())
  const files: RunFile[] = wanted.map(({ file }, i) => ({ file, name: names[i]!, ...written[i]! }))
  if (report.length > 0) {
    const job = (await database('jobs').where('id', row.job_id).first('title', 'client')) as { title: string; client: string }
    const forms = report.map((form) => ({ form, file: `${run.id}-report.${form}` }))
    const reports = await steered(progress, (onShare) => threads.writeReports(delivery, { job: job.title, client: job.client, files }, forms, (share) => onShare(part + (1 - part) * share)))
    forms.forEach(({ form, file }, i) => files.push({ file, name: `${stem}-report.${form}`, ...reports[i]! }))
  }
  return { files, mends: treatment.steps.length, revision }
}
