import { FileStore } from '@tus/file-store'
import { Server, type Upload } from '@tus/server'
import type { RequestHandler, Response } from 'express'
import { readdir, rm, stat, statfs } from 'node:fs/promises'
import { join } from 'node:path'
import { Readable } from 'node:stream'
import { pipeline } from 'node:stream/promises'
import type PgBoss from 'pg-boss'
import type { Logger } from 'pino'
import { ProblemError } from '@fennip/core/problem.js'
import { cleanText } from '@fennip/core/text.js'
import { arrivalOf, beginArrival, checkJob, queueForgottenArrivals } from '../arrivals.js'
import type { Database } from '../database/database.js'
import { queueJobRun } from '../runs/runs.js'
import type { Settings } from '../settings.js'
import { hashFile, outputKey, type Storage } from '../storage/storage.js'
import type { Threads } from '../threads.js'
import { toProblem } from './problems.js'

export interface UploadTools {
  readonly database: Database
  readonly storage: Storage
  readonly boss: PgBoss
  /** Looks at files that have come. */
  readonly looking: Threads
  readonly settings: Settings
  readonly log: Logger
}

/** An upload of which nothing came for so long is given up, in milliseconds. */
const GIVEN_UP_AFTER = 24 * 3600 * 1000
/** How often what was left behind is looked for, in milliseconds. */
const SWEEP_EVERY = 60_000
/** Less room than this, in bytes, is a full disk. */
const NO_ROOM = 2 ** 20

/** Resumable uploads by the tus protocol 1.0.0; every problem is a problem document (RFC 9457). */
export class Uploads {
  private readonly server: Server
  private readonly store: FileStore
  private readonly finishing = new Map<string, Promise<{ picture: string; run: string | null }>>()
  private timer: NodeJS.Timeout | undefined

  constructor(private readonly tools: UploadTools) {
    const { storage, settings, database } = tools
    this.store = new FileStore({ directory: storage.uploads, expirationPeriodInMilliseconds: GIVEN_UP_AFTER })
    this.server = new Server({
      path: '/api/uploads',
      datastore: this.store,
      maxSize: settings.largestFileBytes,
      respectForwardedHeaders: false,
      relativeLocation: true,
      onUploadCreate: async (_request, upload) => {
        if (!isArchive(upload)) await checkJob(database, upload.metadata?.job ?? '')
        return {}
      },
      onUploadFinish: async (_request, upload) => {
        const { picture, run } = await this.finish(upload)
        return { headers: { 'x-picture': picture, 'x-run': run ?? '' } }
      },
      onResponseError: async (_request, error) => {
        const problem = await this.problemOf(error)
        if (problem.status >= 500) tools.log.error({ error }, 'upload')
        return { status_code: problem.status, body: JSON.stringify(problem.toJSON()) }
      },
    })
  }

  /** Clean up what an earlier server left behind, now and again and again. */
  start(): void {
    const sweep = () => this.sweep().catch((error: unknown) => this.tools.log.warn({ error }, 'sweep of uploads'))
    void sweep()
    this.timer = setInterval(() => void sweep(), SWEEP_EVERY)
  }

  stop(): void {
    clearInterval(this.timer)
  }

  readonly handle: RequestHandler = (request, response) => {
    this.answer(request, response).catch((error: unknown) => {
      // A connection that broke while bytes came: they are kept, and nobody is there to be told.
      if (!response.headersSent) sendProblem(response, toProblem(error))
      else response.destroy()
    })
  }

  private async answer(request: Parameters<RequestHandler>[0], response: Response): Promise<void> {
    const { method, originalUrl } = request
    if (!['POST', 'PATCH', 'HEAD', 'DELETE', 'OPTIONS'].includes(method)) {
      response.set('allow', 'POST, PATCH, HEAD, DELETE, OPTIONS')
      throw new ProblemError('method-refused', { title: 'Uploads cannot be read back', detail: `${method} is not answered here. The finished picture has an address of its own.`, status: 405 })
    }
    const id = originalUrl.split('?')[0]!.split('/')[3] ?? ''
    if (method === 'DELETE' && this.finishing.has(id)) throw new ProblemError('being-taken-in', { title: 'The file is being taken in', detail: 'It has come whole and cannot be called back. Delete the picture on the contact sheet instead.', status: 409 })
    if (method === 'PATCH' || method === 'HEAD') {
      // The answer to the last piece was lost: it is given again.
      const known = id === '' ? null : await arrivalOf(this.tools.database, id)
      if (known && method === 'PATCH') {
        response.status(204).set({ 'tus-resumable': '1.0.0', 'upload-offset': request.header('upload-offset') ?? '0', 'x-picture': known.picture, 'x-run': known.run ?? '' }).end()
        return
      }
    }
    const hasBody = method === 'POST' || method === 'PATCH'
    const asked = new Request(new URL(originalUrl, 'http://localhost'), {
      method,
      headers: Object.entries(request.headers).flatMap(([name, value]) => (value === undefined ? [] : [[name, String(value)] as [string, string]])),
      ...(hasBody ? { body: Readable.toWeb(request) as ReadableStream, duplex: 'half' } : {}),
    } as RequestInit)
    const answered = await this.server.handleWeb(asked)
    const body = answered.status >= 400 ? await answered.text() : null
    response.status(answered.status)
    answered.headers.forEach((value, name) => response.setHeader(name, value))
    if (body === null) {
      if (answered.body) await pipeline(Readable.fromWeb(answered.body as never), response)
      else response.end()
    } else sendProblem(response, problemOfBody(body, answered.status, this.tools.settings))
  }

  private finish(upload: Pick<Upload, 'id' | 'metadata'>): Promise<{ picture: string; run: string | null }> {
    const { id } = upload
    let work = this.finishing.get(id)
    if (!work) {
      work = this.takeOver(upload).finally(() => this.finishing.delete(id))
      this.finishing.set(id, work)
    }
    return work
  }

  private async takeOver({ id, metadata }: Pick<Upload, 'id' | 'metadata'>): Promise<{ picture: string; run: string | null }> {
    const { database, settings, looking, storage } = this.tools
    const path = join(storage.uploads, id)
    const name = safeName(metadata?.filename ?? 'picture')
    if (isArchive({ metadata })) return this.takeArchive(id)
    try {
      await checkJob(database, metadata?.job ?? '')
      await looking.lookAt(path, name, { bytes: settings.largestFileBytes, pixels: settings.largestPixels })
    } catch (error) {
      // What can never be used is not kept; what cannot be judged now is.
      if (error instanceof ProblemError && error.status < 500) await this.remove(id)
      throw error
    }
    const arrival = await beginArrival(this.tools, id, path, metadata!.job!, name).catch(async (error: unknown) => {
      const problem = toProblem(error)
      // Beside a full disk the upload itself must go, or nothing would fit for a day.
      if (problem.type === 'disk-full') await this.remove(id)
      throw error
    })
    await this.remove(id)
    return arrival
  }

  /** The archive of a job that has come whole: taking it in is queued work. */
  private async takeArchive(id: string): Promise<{ picture: string; run: string | null }> {
    const { database, boss, storage } = this.tools
    const file = `${id}.zip`
    // Sent again because the answer was lost, it is there already.
    const known = (await database('runs').where({ kind: 'restore' }).whereRaw("parameters->>'file' = ?", [file]).first('id')) as { id: string } | undefined
    if (known) return { picture: '', run: known.id }
    await storage.writeFile(outputKey(file), join(storage.uploads, id))
    const run = await queueJobRun(database, boss, 'restore', null, { file })
    await this.remove(id)
    return { picture: '', run: run.id }
  }

  private async remove(id: string): Promise<void> {
    await rm(join(this.tools.storage.uploads, id), { force: true })
    await rm(join(this.tools.storage.uploads, `${id}.json`), { force: true })
  }

  private async sweep(): Promise<void> {
    const { storage, log } = this.tools
    const folder = storage.uploads
    const names = new Set(await readdir(folder))
    for (const name of names) {
      const path = join(folder, name)
      const age = Date.now() - (await stat(path).then(({ mtimeMs }) => mtimeMs, () => Date.now()))
      if (!name.endsWith('.json')) {
        // A file without its description, or of which nothing came for a day.
        if (age > GIVEN_UP_AFTER || (!names.has(`${name}.json`) && age > SWEEP_EVERY)) await this.remove(name)
        continue
      }
      const id = name.slice(0, -'.json'.length)
      const upload = await this.store.getUpload(id).catch(() => null)
      if (!upload) {
        if (age > SWEEP_EVERY) await rm(path, { force: true })
      } else if (upload.size === upload.offset && !this.finishing.has(id)) await this.finish(upload).catch((error: unknown) => log.warn({ error }, 'an upload that came whole'))
    }
    await queueForgottenArrivals(this.tools, (upload) => hashFile(join(folder, upload)).catch(() => null))
  }

  private async problemOf(error: unknown): Promise<ProblemError> {
    const noRoom = () => new ProblemError('disk-full', { title: 'The disk is full', detail: 'There is no room for more of this file. What has come is kept; free some space and go on with the upload.', status: 507 })
    if ((error as NodeJS.ErrnoException | null)?.code === 'ENOSPC') return noRoom()
    if (typeof error === 'object' && error !== null && 'status_code' in error) {
      const known = error as unknown as { status_code: number; body: string }
      if (known.status_code === 500 && (await hasNoRoom(this.tools.storage.uploads))) return noRoom()
      return problemOfBody(known.body, known.status_code, this.tools.settings)
    }
    return toProblem(error)
  }
}

const isArchive = ({ metadata }: Pick<Upload, 'metadata'>) => metadata?.kind === 'archive'

async function hasNoRoom(folder: string): Promise<boolean> {
  const { bavail, bsize } = await statfs(folder)
  return bavail * bsize < NO_ROOM
}

function sendProblem(response: Response, problem: ProblemError): void {
  response.removeHeader('content-length')
  response.status(problem.status).type('application/problem+json').send(JSON.stringify(problem.toJSON()))
}

/** What the protocol's library says in plain text, as problems. */
function problemOfBody(body: string, status: number, settings: Settings): ProblemError {
  if (body.startsWith('{')) {
    const { type = '', title = '', detail = '' } = JSON.parse(body) as Record<string, string>
    return new ProblemError(type.split(':').at(-1)!, { title, detail, status })
  }
  const said = cleanText(body, 200)
  if (status === 413) return new ProblemError('file-too-large', { title: 'The file is too large', detail: `This server takes files of at most ${Math.round(settings.largestFileBytes / 1e6)} MB. Ask for a higher limit or split the picture.`, status })
  if (status === 404 || status === 410) return new ProblemError('upload-unknown', { title: 'There is no such upload', detail: 'It was ended, or given up because nothing came for a day. Send the file again.', status })
  if (status === 409) return new ProblemError('upload-offset', { title: 'The piece does not fit', detail: 'The server has more or less of the file than this piece goes on from. Ask how much it has and go on from there.', status })
  if (status === 423) return new ProblemError('upload-locked', { title: 'The file is being sent already', detail: 'Another connection sends this file. Wait for it, or end it.', status })
  if (status >= 500) return new ProblemError('upload-failed', { title: 'The upload failed', detail: 'The server could not keep this piece. What has come before is kept; try to go on.', status })
  return new ProblemError('upload-invalid', { title: 'The upload cannot be understood', detail: `${said || 'The request does not follow the protocol'}.`, status })
}

/** A file name without paths or characters that cannot be shown. */
export function safeName(name: string): string {
  const clean = cleanText(name.split(/[\\/]/).at(-1) ?? '', 200)
  return clean === '' || clean.startsWith('.') ? `picture${clean}` : clean
}
