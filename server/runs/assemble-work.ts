import { randomUUID } from 'node:crypto'
import { mkdir, rm, stat } from 'node:fs/promises'
import { join } from 'node:path'
import type { JoinedPiece } from '@fennip/core/assemble/join.js'
import type { Placement } from '@fennip/core/assemble/sheet.js'
import type { Flaw } from '@fennip/core/treatment/schema.js'
import { completeArrival } from '../arrivals.js'
import { appendEdit, currentTreatment } from '../history.js'
import { keepOriginal } from '../storage/storage.js'
import type { Run } from './runs.js'
import { steered } from './steered.js'
import type { Progress, WorkTools } from './tools.js'

async function nameOf({ database }: WorkTools, picture: string): Promise<{ name: string; job: string }> {
  const row = (await database('pictures').where('id', picture).first('name', 'job_id')) as { name: string; job_id: string }
  return { name: row.name, job: row.job_id }
}

/** Cut pieces out of a scan and fit them, from where they were put by hand if they were. */
export async function fitScan(tools: WorkTools, run: Run, progress: Progress): Promise<Record<string, unknown>> {
  const { byHand = [], refit = true } = run.parameters as { byHand?: (Placement & { piece: number })[]; refit?: boolean }
  const { treatment } = await currentTreatment(tools.database, run.picture)
  const { name } = await nameOf(tools, run.picture)
  return { ...(await steered(progress, (onShare) => tools.threads.fitPieces(treatment.original.sha256, name, byHand, refit, onShare))) }
}

/** Join the pieces of a scan: a picture of its own in the job, with the seam and missing paper as its flaws. */
export async function joinScan(tools: WorkTools, run: Run, progress: Progress): Promise<Record<string, unknown>> {
  const { database, storage, threads, intake, limits } = tools
  const { pieces } = run.parameters as { pieces: Pick<JoinedPiece, 'placement' | 'gain'>[] }
  const { treatment } = await currentTreatment(database, run.picture)
  const { name, job } = await nameOf(tools, run.picture)
  const joinedName = `${name.replace(/\.[^.]*$/, '')}-joined.tif`
  await mkdir(storage.uploads, { recursive: true })
  const file = join(storage.uploads, `joined-${run.id}.tif`)
  try {
    const { gaps } = await steered(progress, (onShare) => threads.joinScan(treatment.original.sha256, name, pieces, file, (share) => onShare(0.6 * share)))
    const sha256 = await keepOriginal(storage, file)
    const taken = await steered(progress, (onShare) => intake.takeIn(sha256, joinedName, limits, (share) => onShare(0.6 + 0.35 * share)))
    const { size } = await stat(file)
    // A run that is taken up again after its worker died makes the same picture, once.
    const picture = run.id
    await database('pictures').insert({ id: picture, job_id: job, name: joinedName, kind: 'scan', upload: `joined-${run.id}` }).onConflict('upload').ignore()
    await completeArrival(database, picture, sha256, size, { ...taken, notes: [...taken.notes, `Joined from ${pieces.length} pieces on ${name}.`] })
    const now = await currentTreatment(database, picture)
    const flaws = gaps.map((shape, i): Flaw => ({ id: `seam-${i + 1}-${randomUUID().slice(0, 6)}`, kind: 'loss', shape, state: 'open', contrast: 0, weight: 0, confidence: 1, origin: 'found' }))
    if (flaws.length > 0 && now.revision === 0) await appendEdit(database, picture, 0, `Seam: ${flaws.length} ${flaws.length === 1 ? 'flaw' : 'flaws'}`, [{ type: 'put', list: 'flaws', items: flaws }])
    return { picture, name: joinedName, flaws: flaws.length, pieces }
  } finally {
    await rm(file, { force: true })
  }
}
