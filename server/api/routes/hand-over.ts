import type { Response } from 'express'
import { MEDIA_TYPES, outputFormatOfName } from '@fennip/codec/formats.js'
import { completeOutput, type OutputRequest } from '@fennip/core/output/output.js'
import { planOutput } from '@fennip/core/output/plan-output.js'
import { ProblemError } from '@fennip/core/problem.js'
import * as validators from '@fennip/core/treatment/generated/validators.js'
import type { Treatment } from '@fennip/core/treatment/schema.js'
import { checkRevision, replaceTreatment } from '../../history.js'
import { keepOutputs, keptOutputs } from '../../jobs/kept-outputs.js'
import { openPicture, readPictureSummary } from '../../pictures.js'
import type { RunFile } from '../../runs/export-work.js'
import { queueRun, readRun } from '../../runs/runs.js'
import { baseKey, outputKey } from '../../storage/storage.js'
import { ExportBody, KeptOutputsBody, OpenTreatmentBody, PreviewBody, type ExportRequest } from '../bodies.js'
import { parameter, type Route, type RouteTools } from '../route.js'

/** Routes of the stage Hand over: files of one picture, and what is kept about them. */
export function handOverRoutes({ database, storage, boss, looking }: RouteTools): Route[] {
  return [
    { method: 'post', path: '/pictures/{picture}/exports', summary: 'Write files of the finished picture, and its report', body: ExportBody, validate: validators.validateExportBody, success: 202, handle: async (request) => {
      const { original, about } = await readPictureSummary(database, parameter(request, 'picture'))
      const asked = request.body as ExportRequest
      for (const output of asked.outputs ?? []) {
        // The frame may change the size; what is refused then is said by the work.
        const { refusal } = planOutput(completeOutput(output, original.depth), { ...original, hasAlpha: about.hasAlpha, perInch: about.resolutionPerInch })
        if (refusal) throw new ProblemError('size-refused', { title: 'The format cannot hold this', detail: refusal, status: 422 })
      }
      return queueRun(database, boss, 'export', parameter(request, 'picture'), asked)
    } },
    { method: 'post', path: '/pictures/{picture}/preview', access: 'account', summary: 'What a file will be: a small picture of it, its size and about how many bytes', body: PreviewBody, validate: validators.validatePreviewBody, success: 200, handle: async (request) => {
      const { picture, treatment } = await openPicture(database, parameter(request, 'picture'))
      return looking.previewOutput({ treatment, name: picture.name, kind: picture.kind }, completeOutput((request.body as { output: OutputRequest }).output, picture.original.depth))
    } },
    { method: 'post', path: '/pictures/{picture}/treatment', summary: 'Open a treatment that was kept as a document: on its original at once, on another scan of the same print by work that aligns both', body: OpenTreatmentBody, validate: validators.validateOpenTreatmentBody, success: 200, handle: async (request) => {
      const picture = parameter(request, 'picture')
      const { revision, treatment } = request.body as unknown as { revision: number; treatment: Treatment }
      const { original } = await readPictureSummary(database, picture)
      await checkRevision(database, picture, revision)
      if (treatment.original.sha256 === original.sha256) return { run: null, ...(await replaceTreatment(database, picture, revision, 'Open a treatment', treatment)) }
      if (!(await storage.has(baseKey(treatment.original.sha256)))) throw new ProblemError('original-missing', { title: 'The scan of the treatment is not here', detail: 'The treatment was made on another file, which is not kept here: without it nobody knows how the two lie to one another. Bring that file in too, then open the treatment again.', status: 409 })
      return { revision, run: (await queueRun(database, boss, 'rescan', picture, { treatment })).id }
    } },
    { method: 'get', path: '/runs/{run}/files/{number}', summary: 'A file that work wrote; the first is 0. With ?open it is shown in place of being downloaded', success: 200, produces: 'application/octet-stream', handle: async (request, response) => {
      const run = await readRun(database, parameter(request, 'run'))
      const file = (run.result as { files?: RunFile[] } | null)?.files?.[Number(parameter(request, 'number'))]
      if (run.state !== 'done' || !file) throw new ProblemError('not-ready', { title: 'The file is not ready', detail: 'The work has not ended yet, wrote no such file, or the file was thrown away.', status: 409 })
      await sendFile(response, await storage.localFile(outputKey(file.file)), file.name, request.query.open !== undefined)
      return undefined
    } },
    { method: 'get', path: '/jobs/{job}/outputs', summary: 'Files that are written for the pictures of a job', success: 200, handle: async (request) => ({ outputs: await keptOutputs(database, parameter(request, 'job')) }) },
    { method: 'post', path: '/jobs/{job}/outputs', summary: 'Keep which files are written for the pictures of a job', body: KeptOutputsBody, validate: validators.validateKeptOutputsBody, success: 200, handle: async (request) => {
      const { outputs } = request.body as { outputs: OutputRequest[] }
      await keepOutputs(database, parameter(request, 'job'), outputs)
      return { outputs }
    } },
  ]
}

/** A report carries its pictures, typeface and styles in itself, and no script. */
const REPORT_POLICY = "default-src 'none'; img-src data:; style-src 'unsafe-inline'; font-src data:"

function mediaTypeOf(name: string): string {
  const extension = name.split('.').at(-1)!
  const known: Record<string, string> = { pdf: 'application/pdf', html: 'text/html; charset=utf-8', zip: 'application/zip', csv: 'text/csv; charset=utf-8' }
  return known[extension] ?? MEDIA_TYPES[outputFormatOfName(name)]
}

/** Send a file as a download, or to be looked at. */
async function sendFile(response: Response, path: string, name: string, isShown: boolean): Promise<void> {
  response.type(mediaTypeOf(name))
  // The storage may lie below a folder whose name begins with a dot, as that of `npm start` does.
  const options = { dotfiles: 'allow' as const }
  await new Promise<void>((resolve, reject) => {
    const done = (error?: Error) => (error ? reject(error) : resolve())
    if (isShown) response.set('content-security-policy', REPORT_POLICY).sendFile(path, options, done)
    else response.download(path, name, options, done)
  })
}
