import { patchKeys } from '@fennip/core/mend/patches/patch-keys.js'
import type { Disposable } from './disposable.js'
import type { Database } from '../database/database.js'
import { loadTreatment } from '../history.js'
import type { RunFile } from '../runs/export-work.js'
import { originalKey, outputKey, patchKey, tilesPrefix, type KeptSize, type Storage } from '../storage/storage.js'

/** What takes room for a job. */
export interface Space {
  readonly originals: KeptSize
  /** Pixels of the originals cut into tiles: what every screen and computation reads. */
  readonly tiles: KeptSize
  /** Mends that are kept; made again when they are asked for. */
  readonly mends: KeptSize
  /** Files that were written of its pictures, with their reports. */
  readonly files: KeptSize
  /** Archives and contact sheets of the job. */
  readonly archives: KeptSize
}

const NOTHING: KeptSize = { files: 0, bytes: 0 }
const sum = (sizes: readonly KeptSize[]): KeptSize => sizes.reduce((all, { files, bytes }) => ({ files: all.files + files, bytes: all.bytes + bytes }), NOTHING)

interface Row { id: string; original: string | null }
const picturesOf = async (database: Database, job: string) => (await database('pictures').where({ job_id: job }).select('id', 'original')) as Row[]

async function writtenRuns(database: Database, which: Record<string, unknown>): Promise<{ id: string; files: RunFile[] }[]> {
  return ((await database('runs').where(which).where('state', 'done').whereRaw("jsonb_array_length(coalesce(result->'files', '[]'::jsonb)) > 0").select('id', database.raw("result->'files' as files"))) as { id: string; files: RunFile[] }[])
}

const mendKeys = async (database: Database, { id, original }: Row) => (original ? [...new Set(patchKeys(await loadTreatment(database, id)).map(({ key }) => key))] : [])

export async function spaceOf(database: Database, storage: Storage, job: string): Promise<Space> {
  const pictures = await picturesOf(database, job)
  // A file that several pictures are is kept once.
  const originals = [...new Set(pictures.flatMap(({ original }) => (original ? [original] : [])))]
  const keys = new Set((await Promise.all(pictures.map((picture) => mendKeys(database, picture)))).flat())
  const [originalSizes, tileSizes, mendSizes] = [await Promise.all(originals.map((sha256) => storage.sizeOf(originalKey(sha256)))), await Promise.all(originals.map((sha256) => storage.sizeOf(tilesPrefix(sha256)))), await Promise.all([...keys].map((key) => storage.sizeOf(patchKey(key))))]
  const written = (await Promise.all(pictures.map(({ id }) => writtenRuns(database, { picture_id: id, kind: 'export' })))).flat()
  const archives = await writtenRuns(database, { job_id: job })
  const filesOf = (runs: readonly { files: RunFile[] }[]) => sum(runs.flatMap(({ files }) => files.map(({ bytes }) => ({ files: 1, bytes }))))
  return { originals: sum(originalSizes), tiles: sum(tileSizes), mends: sum(mendSizes), files: filesOf(written), archives: filesOf(archives) }
}

/** Throw away what can be made again. @returns What takes room afterwards. */
export async function throwAway(database: Database, storage: Storage, job: string, what: Disposable): Promise<Space> {
  const pictures = await picturesOf(database, job)
  if (what === 'mends') for (const picture of pictures) for (const key of await mendKeys(database, picture)) await storage.remove(patchKey(key))
  else {
    const runs = what === 'archives' ? await writtenRuns(database, { job_id: job }) : (await Promise.all(pictures.map(({ id }) => writtenRuns(database, { picture_id: id, kind: 'export' })))).flat()
    for (const { id, files } of runs) {
      // The list is forgotten first: what cannot be fetched is not offered.
      await database('runs').where({ id }).update({ result: database.raw("result || '{\"files\": []}'::jsonb") })
      for (const { file } of files) await storage.remove(outputKey(file))
    }
  }
  return spaceOf(database, storage, job)
}
