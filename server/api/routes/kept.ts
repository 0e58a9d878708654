import type { Response } from 'express'
import { ProblemError } from '@fennip/core/problem.js'
import { readHeader } from '@fennip/codec/read.js'
import { originalKey, patchKey, tileKey } from '../../storage/storage.js'
import { HASH, notKept, parameter, type Route, type RouteTools } from '../route.js'

/** Tiles and patches never change, so browsers keep them for ever. */
const FOR_EVER = 'public, max-age=31536000, immutable'

/** What never changes and is kept by its hash: tiles, profiles, mends. */
export function keptRoutes({ storage }: RouteTools): Route[] {
  return [
    { method: 'get', path: '/originals/{sha256}/tiles/{level}/{column}/{row}', summary: 'A tile as raw samples: predictor and gzip', success: 200, produces: 'application/octet-stream', handle: async (request, response) => {
      const sha256 = parameter(request, 'sha256')
      const [level, column, row] = ['level', 'column', 'row'].map((name) => Number(parameter(request, name))) as [number, number, number]
      if (!HASH.test(sha256) || ![level, column, row].every((value) => Number.isInteger(value) && value >= 0 && value < 4000)) throw notKept()
      return sendPacked(response, await storage.read(tileKey(sha256, level, column, row)))
    } },
    { method: 'get', path: '/originals/{sha256}/profile', summary: 'The colour profile that came with an original', success: 200, produces: 'application/vnd.iccprofile', handle: async (request, response) => {
      const sha256 = parameter(request, 'sha256')
      const key = HASH.test(sha256) ? originalKey(sha256) : null
      const icc = key !== null && (await storage.has(key)) ? (await readHeader(await storage.localFile(key), sha256)).metadata.icc : null
      if (!icc) throw new ProblemError('not-kept', { title: 'This is not kept here', detail: 'There is no such picture on this server, or it came without a colour profile.', status: 404 })
      response.set({ 'content-type': 'application/vnd.iccprofile', 'cache-control': FOR_EVER })
      response.end(icc)
      return undefined
    } },
    { method: 'get', path: '/patches/{key}', summary: 'A mend as pixels', success: 200, produces: 'application/octet-stream', handle: async (request, response) => {
      const key = parameter(request, 'key')
      if (!HASH.test(key)) throw notKept()
      return sendPacked(response, await storage.read(patchKey(key)))
    } },
  ]
}

function sendPacked(response: Response, bytes: Uint8Array | null): undefined {
  if (!bytes) throw notKept()
  response.set({ 'content-type': 'application/octet-stream', 'content-encoding': 'gzip', 'cache-control': FOR_EVER })
  response.end(bytes)
  return undefined
}
