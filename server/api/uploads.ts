import { FileStore } from '@tus/file-store'
import { Server } from '@tus/server'
import { rm } from 'node:fs/promises'
import { join } from 'node:path'
import type { Logger } from 'pino'
import { importPicture } from '../pictures.js'
import type { Database } from '../database/database.js'
import type { Settings } from '../settings.js'
import type { Storage } from '../storage/storage.js'
import type { Threads } from '../threads.js'
import { toProblem } from './problems.js'

/** Resumable uploads by the tus protocol 1.0.0; the last piece is answered when the picture is taken in. */
export function makeUploads(tools: { database: Database; storage: Storage; threads: Threads; settings: Settings; log: Logger }): Server {
  const { storage, settings, log } = tools
  const folder = storage.uploads
  return new Server({
    path: '/api/uploads',
    datastore: new FileStore({ directory: folder }),
    maxSize: settings.largestFileBytes,
    respectForwardedHeaders: false,
    relativeLocation: true,
    async onUploadFinish(_request, upload) {
      const path = join(folder, upload.id)
      const name = safeName(upload.metadata?.filename ?? 'picture')
      try {
        const picture = await importPicture(tools, upload.metadata?.job ?? '', path, name)
        return { headers: { 'x-picture': picture } }
      } catch (error) {
        throw refusal(error, log)
      } finally {
        await rm(path, { force: true })
        await rm(`${path}.json`, { force: true })
      }
    },
    onResponseError(_request, error) {
      return refusal(error, log)
    },
  })
}

function refusal(error: unknown, log: Logger): { status_code: number; body: string } {
  if (typeof error === 'object' && error !== null && 'status_code' in error) {
    const known = error as unknown as { status_code: number; body: string }
    if (known.status_code !== 413) return known
    return { status_code: 413, body: JSON.stringify({ type: 'urn:fennip:problem:file-too-large', title: 'The file is too large', status: 413, detail: 'The file is over the limit of this server. Ask for a higher limit or split the picture.' }) }
  }
  const problem = toProblem(error)
  if (problem.status >= 500) log.error({ error }, 'upload')
  return { status_code: problem.status, body: JSON.stringify(problem.toJSON()) }
}

/** A file name without paths or control characters. */
export function safeName(name: string): string {
  const base = name.split(/[\\/]/).at(-1) ?? ''
  const clean = [...base].filter((character) => character >= ' ' && character !== '\u007f').join('').trim().slice(0, 200)
  return clean === '' || clean.startsWith('.') ? `picture${clean}` : clean
}
