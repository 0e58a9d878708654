import { randomUUID } from 'node:crypto'
import { mkdir, rm, stat } from 'node:fs/promises'
import { join } from 'node:path'
import { ProblemError } from '@fennip/core/problem.js'
import type { JoinedPiece } from '@fennip/core/assemble/pieces/join.js'
import type { Placement } from '@fennip/core/assemble/pieces/sheet.js'
import type { CarriedTreatment, Joining } from '@fennip/core/assemble/pieces/carry-treatment.js'
import { moveTreatment } from '@fennip/core/rescan/move-treatment.js'
import { inverseOf } from '@fennip/core/rescan/similarity.js'
import type { Flaw, Original, Treatment } from '@fennip/core/treatment/schema.js'
import { completeArrival, forgetUnusedFile } from '../arrivals.js'
import { appendEdit, currentTreatment, replaceTreatment } from '../history.js'
import { keepOriginal } from '../storage/storage.js'
import type { JoinedBefore, ZoneFrom } from '../tasks/assemble-tasks.js'
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
  const { pieces } = run.parameters as { pieces: Pick<JoinedPiece, 'placement' | 'gain'>[] }
  const { treatment } = await currentTreatment(tools.database, run.picture)
  const { name, job } = await nameOf(tools, run.picture)
  const before = await joinedBefore(tools, run)
  const made = await assembled(tools, run, progress, { job, name: `${name.replace(/\.[^.]*$/, '')}-joined.tif`, note: `Joined from ${pieces.length} pieces on ${name}.` }, (file, onShare) => tools.threads.joinScan(treatment, name, pieces, before, file, onShare))
  const seam = made.result.gaps.map((shape, i): Flaw => ({ id: `seam-${i + 1}-${randomUUID().slice(0, 6)}`, kind: 'other', shape, state: 'open', contrast: 0, weight: 0, confidence: 1, origin: 'found' }))
  const now = await currentTreatment(tools.database, made.picture)
  const { carried } = made.result
  if (now.revision === 0) {
    await carry(tools, made.picture, carried, now.treatment.original, before ? 'As on the picture joined before' : 'As on the pieces', progress)
    const { revision } = await currentTreatment(tools.database, made.picture)
    if (seam.length > 0) await appendEdit(tools.database, made.picture, revision, `Seam: ${seam.length} ${seam.length === 1 ? 'flaw' : 'flaws'}`, [{ type: 'put', list: 'flaws', items: seam }])
  }
  return { picture: made.picture, name: made.name, flaws: seam.length, pieces, origin: made.result.origin, again: before !== null, ...countOf(carried), left: [...carried.left, ...(before?.seams ? [`${before.seams === 1 ? 'A seam lies' : `${before.seams} seams lie`} elsewhere now.`] : [])] }
}

const countOf = ({ treatment, refit }: Pick<CarriedTreatment, 'treatment' | 'refit'>) => ({ carried: treatment.steps.length + refit.length + (treatment.operations?.length ?? 0) })

/** The picture that was made by the newest ended run of such runs, when it is still there and something has been done to it. */
async function madeBefore<Result extends { picture: string }>({ database }: WorkTools, run: Run, runs: (query: ReturnType<WorkTools['database']>) => unknown): Promise<{ result: Result; treatment: Treatment } | null> {
  const query = database('runs').where({ kind: run.kind, state: 'done' }).whereNot('id', run.id)
  runs(query)
  const row = (await query.orderBy('created_at', 'desc').first('result')) as { result: Result } | undefined
  if (!row || !(await database('pictures').where('id', row.result.picture).whereNull('deleted_at').first('id'))) return null
  const { treatment } = await currentTreatment(database, row.result.picture)
  return treatment.steps.length + (treatment.operations?.length ?? 0) + (treatment.areas?.length ?? 0) + (treatment.remarks?.length ?? 0) > 0 ? { result: row.result, treatment } : null
}

/** What was done on the picture joined from this scan before; mends of its seams stay behind, since the seams lie elsewhere. */
async function joinedBefore(tools: WorkTools, run: Run): Promise<(JoinedBefore & { seams: number }) | null> {
  const made = await madeBefore<{ picture: string; pieces: Pick<JoinedPiece, 'placement'>[]; origin: Joining['origin'] }>(tools, run, (query) => query.where('picture_id', run.picture))
  if (!made) return null
  const seams = new Set(made.treatment.flaws.filter(({ id }) => id.startsWith('seam-')).map(({ id }) => id))
  const treatment = { ...made.treatment, flaws: made.treatment.flaws.filter(({ id }) => !seams.has(id)), steps: made.treatment.steps.filter(({ flaw }) => !seams.has(flaw)) }
  return { treatment, placements: made.result.pieces.map(({ placement }) => placement), origin: made.result.origin, seams: made.treatment.steps.length - treatment.steps.length }
}

/** What was done before is done to the picture that was made: measured anew, lifts fitted anew. */
async function carry({ database, threads }: WorkTools, picture: string, { treatment, refit, remeasure }: Pick<CarriedTreatment, 'treatment' | 'refit' | 'remeasure'>, original: Original, label: string, progress: Progress): Promise<void> {
  const { flaws, areas = [], operations = [], remarks = [] } = treatment
  if (flaws.length + areas.length + operations.length + remarks.length === 0) return
  const moved = await steered(progress, (onShare) => threads.measureAnew({ ...treatment, original }, remeasure, (share) => onShare(0.95 + 0.02 * share)))
  const lifted = refit.length === 0 ? [] : await steered(progress, (onShare) => threads.mendOpenFlaws(moved, { only: [...refit], expected: {} }, (share) => onShare(0.97 + 0.02 * share)))
  const mended = new Set(lifted.map(({ flaw }) => flaw))
  await replaceTreatment(database, picture, 0, label, { ...moved, flaws: moved.flaws.map((flaw) => (mended.has(flaw.id) ? { ...flaw, state: 'mended' as const } : flaw)), steps: [...moved.steps, ...lifted] })
}

/** Lay the pieces of several scans on one sheet: a picture of its own, on which they are fitted. */
export async function layScans(tools: WorkTools, run: Run, progress: Progress): Promise<Record<string, unknown>> {
  const { pictures } = run.parameters as { pictures: string[] }
  const { name, job } = await nameOf(tools, run.picture)
  const scans = await sourcesOf(tools, job, pictures)
  const made = await assembled(tools, run, progress, { job, name: `${name.replace(/\.[^.]*$/, '')}-laid-together.tif`, note: `Pieces laid together from ${scans.map((scan) => scan.name).join(', ')}.` }, (file, onShare) => tools.threads.layScansTogether(scans, file, onShare))
  return { picture: made.picture, name: made.name }
}

/** Pictures of a job in an order that was asked for. */
async function sourcesOf({ database }: WorkTools, job: string, pictures: readonly string[]): Promise<{ sha256: string; name: string; light?: number | undefined }[]> {
  const rows = (await database('pictures').join('originals', 'originals.sha256', 'pictures.original').whereIn('pictures.id', pictures).where({ job_id: job }).select('pictures.id', 'name', 'sha256', 'about')) as { id: string; name: string; sha256: string; about: { camera: { light?: number } } }[]
  return pictures.map((id) => {
    const row = rows.find((one) => one.id === id)
    if (!row) throw new ProblemError('picture-unknown', { title: 'A picture is missing', detail: 'One of the pictures is not in this job any more. Choose them again on the contact sheet.', status: 404 })
    return { sha256: row.sha256, name: row.name, light: row.about.camera.light }
  })
}

/** Merge exposures: a picture of its own in the job, at 16 bits. The run belongs to the reference. */
export async function mergeBracket(tools: WorkTools, run: Run, progress: Progress): Promise<Record<string, unknown>> {
  const { pictures, chosen = [], zones = [] } = run.parameters as { pictures: string[]; chosen?: (number | null)[]; zones?: ZoneFrom[] }
  const { treatment } = await currentTreatment(tools.database, run.picture)
  const { name, job } = await nameOf(tools, run.picture)
  const parts = await sourcesOf(tools, job, pictures)
  const made = await assembled(tools, run, progress, { job, name: `${name.replace(/\.[^.]*$/, '')}-merged.tif`, note: `Merged from ${parts.length} exposures: ${parts.map((part) => part.name).join(', ')}.` }, (file, onShare) => tools.threads.mergeBracket(parts, pictures.indexOf(run.picture), chosen, zones, treatment, file, onShare))
  const { lie, ...result } = made.result
  const before = await madeBefore<{ picture: string; pictures: string[]; reference: number }>(tools, run, (query) => query.whereRaw("result->'pictures' @> ?::jsonb and result->'pictures' <@ ?::jsonb", [JSON.stringify(pictures), JSON.stringify(pictures)]))
  const now = await currentTreatment(tools.database, made.picture)
  let carried = 0
  if (before && now.revision === 0) {
    // The picture lies as its reference does.
    const from = pictures.indexOf(before.result.pictures[before.result.reference]!)
    const moved = moveTreatment(before.treatment, now.treatment.original, inverseOf(lie[from]!), new Map())
    await carry(tools, made.picture, moved, now.treatment.original, 'As on the picture merged before', progress)
    carried = countOf(moved).carried
  }
  return { picture: made.picture, name: made.name, exposures: parts.map((part) => part.name), pictures, ...result, carried }
}

/** Bring what another picture of the job shows into a zone: a picture of its own, to which the treatment goes along. */
export async function bringFromOther(tools: WorkTools, run: Run, progress: Progress): Promise<Record<string, unknown>> {
  const { from, zone } = run.parameters as { from: string; zone: string }
  const { treatment } = await currentTreatment(tools.database, run.picture)
  const { name, job } = await nameOf(tools, run.picture)
  const other = (await tools.database('pictures').join('originals', 'originals.sha256', 'pictures.original').where({ 'pictures.id': from, 'pictures.job_id': job }).whereNull('pictures.deleted_at').first('name', 'sha256')) as { name: string; sha256: string } | undefined
  if (!other) throw new ProblemError('picture-unknown', { title: 'The other picture is missing', detail: 'It is not in this job any more. Choose another one.', status: 404 })
  const made = await assembled(tools, run, progress, { job, name: `${name.replace(/\.[^.]*$/, '')}-completed.tif`, note: `A part of it comes from ${other.name}.` }, (file, onShare) => tools.threads.bringOver(treatment, zone, name, other, file, onShare))
  const now = await currentTreatment(tools.database, made.picture)
  // It lies as its picture did, so everything done to that is done to it.
  if (now.revision === 0) await replaceTreatment(tools.database, made.picture, 0, `As ${name}`, { ...treatment, original: now.treatment.original })
  return { picture: made.picture, name: made.name, other: other.name, ...made.result }
}

/** Make a file in a thread and take it in as a picture of the job. */
async function assembled<T>({ database, storage, intake, limits }: WorkTools, run: Run, progress: Progress, { job, name, note }: { job: string; name: string; note: string }, make: (file: string, onShare: (share: number) => boolean) => Promise<T>): Promise<{ picture: string; name: string; result: T }> {
  await mkdir(storage.uploads, { recursive: true })
  const file = join(storage.uploads, `assembled-${run.id}.tif`)
  try {
    const result = await steered(progress, (onShare) => make(file, (share) => onShare(0.6 * share)))
    const sha256 = await keepOriginal(storage, file)
    const taken = await steered(progress, (onShare) => intake.takeIn(sha256, name, limits, (share) => onShare(0.6 + 0.35 * share))).catch(async (error: unknown) => {
      // Cancelled or failed half-way: what no picture uses is not kept.
      await forgetUnusedFile(database, storage, sha256, run.id)
      throw error
    })
    const { size } = await stat(file)
    // A run that is taken up again after its worker died makes the same picture, once.
    await database('pictures').insert({ id: run.id, job_id: job, name, kind: 'scan', upload: `assembled-${run.id}` }).onConflict('upload').ignore()
    await completeArrival(database, run.id, sha256, size, { ...taken, notes: [...taken.notes, note] })
    return { picture: run.id, name, result }
  } finally {
    await rm(file, { force: true })
  }
}
