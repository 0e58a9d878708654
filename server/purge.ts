import { patchKeys } from '@fennip/core/mend/patches/patch-keys.js'
import { forgetUnusedFile } from './arrivals.js'
import type { Database } from './database/database.js'
import { loadTreatment } from './history.js'
import { outputKey, patchKey, type Storage } from './storage/storage.js'

/** What was deleted more than a day ago goes for good, with the files that nothing else uses. */
export async function purgeDeleted(database: Database, storage: Storage, afterHours = 24): Promise<number> {
  const old = `deleted_at < now() - interval '${afterHours} hours'`
  const pictures = (await database('pictures').join('jobs', 'jobs.id', 'pictures.job_id').whereRaw(`pictures.${old} or jobs.${old}`).select('pictures.id', 'pictures.original')) as { id: string; original: string | null }[]
  for (const { id, original } of pictures) {
    const outputs = (await database('runs').where({ picture_id: id, kind: 'export' }).whereNotNull('result').select(database.raw("result->'files' as files"))) as { files: { file: string }[] | null }[]
    // Addresses of patches follow from the treatment, which goes with the picture.
    const keys = original ? patchKeys(await loadTreatment(database, id)).map(({ key }) => key) : []
    await database('pictures').where({ id }).delete()
    for (const { files } of outputs) for (const { file } of files ?? []) await storage.remove(outputKey(file))
    if (original && (await forgetUnusedFile(database, storage, original))) for (const key of keys) await storage.remove(patchKey(key))
  }
  const archives = (await database('runs').join('jobs', 'jobs.id', 'runs.job_id').whereRaw(`jobs.${old}`).whereNotNull('result').select(database.raw("result->'files' as files"))) as { files: { file: string }[] | null }[]
  for (const { files } of archives) for (const { file } of files ?? []) await storage.remove(outputKey(file))
  await database('jobs').whereRaw(old).delete()
  return pictures.length
}
