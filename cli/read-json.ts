import { readFile } from 'node:fs/promises'
import { basename } from 'node:path'
import { ProblemError } from '@fennip/core/problem.js'

/** Read a JSON document from a file. @throws {ProblemError} when it is not there or no JSON. */
export async function readJson(path: string): Promise<unknown> {
  const text = await readFile(path, 'utf8').catch(() => {
    throw new ProblemError('file-missing', { title: 'The file is not there', detail: `${path} cannot be opened. Check the path.`, status: 404 })
  })
  try {
    return JSON.parse(text) as unknown
  } catch {
    throw new ProblemError('not-json', { title: 'The file is not JSON', detail: `${basename(path)} is not a JSON document.`, status: 422 })
  }
}
