import { stat } from 'node:fs/promises'
import { isDeepStrictEqual } from 'node:util'
import type { FindOptions } from '@fennip/core/find/finds.js'
import { flawsOfFinds, newFinds, undecidedFinds } from '@fennip/core/find/found-flaws.js'
import { searchKindOf } from '@fennip/core/find/search-kinds.js'
import type { Medium } from '@fennip/core/find/judging/medium.js'
import { looksLike } from '@fennip/core/find/judging/likeness.js'
import { searchedArea, type SearchedArea } from '@fennip/core/find/searched-area.js'
import { shapeCentre, type Shape } from '@fennip/core/shape/shape.js'
import { ProblemError } from '@fennip/core/problem.js'
import type { Flaw, Operation, SearchKind, Step, Treatment } from '@fennip/core/treatment/schema.js'
import { completeArrival, forgetUnusedFile } from '../arrivals.js'
import { appendEdit, currentTreatment } from '../history.js'
import { Cancelled, goOn, type Progress, type WorkTools } from './tools.js'
import { originalKey } from '../storage/storage.js'
import type { Run } from './runs.js'
import { bringFromOther, fitScan, joinScan, layScans, mergeBracket } from './assemble-work.js'
import { takeArchive } from '../archive/take-archive.js'
import { writeArchive } from '../archive/write-archive.js'
import { writeContactSheet } from './contact-sheet-work.js'
import { exportPicture } from './export-work.js'
import { carryToRescan } from './rescan-work.js'
import { steered } from './steered.js'
import { applyChart, carryMends, learnChart } from './series-work.js'

export async function doWork(tools: WorkTools, run: Run, progress: Progress): Promise<Record<string, unknown>> {
  switch (run.kind) {
    case 'intake': return intake(tools, run, progress)
    case 'find': return find(tools, run, progress)
    case 'mend': return mend(tools, run, progress)
    case 'export': return { ...(await exportPicture(tools, run, progress)) }
    case 'learn': return learnChart(tools, run, progress)
    case 'chart': return applyChart(tools, run, progress)
    case 'carry': return carryMends(tools, run, progress)
    case 'lay-together': return layScans(tools, run, progress)
    case 'fit': return fitScan(tools, run, progress)
    case 'join': return joinScan(tools, run, progress)
    case 'merge': return mergeBracket(tools, run, progress)
    case 'bring-over': return bringFromOther(tools, run, progress)
    case 'rescan': return carryToRescan(tools, run, progress)
    case 'archive': return { ...(await writeArchive(tools, run, progress)) }
    case 'restore': return takeArchive(tools, run, progress)
    case 'contact-sheet': return { ...(await writeContactSheet(tools, run, progress)) }
  }
}

/** Search a picture or a zone of it; what nobody has decided on from an earlier search there is replaced, every decision stays. */
async function find({ database, threads }: WorkTools, run: Run, progress: Progress): Promise<Record<string, unknown>> {
  const { within, without, like, ...asked } = run.parameters as unknown as FindOptions & SearchedArea & { like?: string }
  const where: SearchedArea = { ...(within === undefined ? {} : { within }), ...(without === undefined ? {} : { without }) }
  const { treatment } = await currentTreatment(database, run.picture)
  const example = like === undefined ? null : exampleOf(treatment, like)
  const options: FindOptions = example ? { kinds: [example.searchKind], falseFinds: MORE * asked.falseFinds } : asked
  searchedArea(treatment, where)
  const { kind: medium } = (await database('pictures').where('id', run.picture).first('kind')) as { kind: Medium }
  const finds = await threads.search(treatment.original, { ...options, medium }, (share) => goOn(progress, share))
  const now = await currentTreatment(database, run.picture)
  const searched = searchedArea(now.treatment, where)
  const lies = ({ shape }: { shape: Shape }) => searched(shapeCentre(shape).x, shapeCentre(shape).y)
  const open = undecidedFinds(now.treatment)
  const decided = now.treatment.flaws.filter((flaw) => !open.includes(flaw))
  const found = finds.filter((find) => lies(find) && (!example || looksLike(example.flaw, find)))
  const fresh = flawsOfFinds(newFinds(found, example ? now.treatment.flaws : decided), (number) => `f${run.id.slice(0, 6)}-${number}`)
  const undecided = example ? [] : open.filter((flaw) => options.kinds.includes(searchKindOf(flaw.kind)!) && lies(flaw)).map((flaw) => flaw.id)
  const operations: Operation[] = []
  if (undecided.length > 0) operations.push({ type: 'remove', list: 'flaws', ids: undecided })
  if (fresh.length > 0) operations.push({ type: 'put', list: 'flaws', items: fresh })
  if (operations.length > 0) await appendEdit(database, run.picture, now.revision, example ? `More like one: ${fresh.length} flaws` : `Find: ${fresh.length} flaws`, operations)
  return { found: fresh.length, kept: now.treatment.flaws.length - undecided.length }
}

/** More like one may be fainter: so many times the false finds, of which those that look otherwise fall away. */
const MORE = 12

function exampleOf({ flaws }: Treatment, id: string): { flaw: Flaw; searchKind: SearchKind } {
  const flaw = flaws.find((candidate) => candidate.id === id)
  if (!flaw) throw new ProblemError('flaw-unknown', { title: 'There is no such flaw', detail: `The flaw ${id} is not in the picture any more. Select another one and search again.`, status: 404 })
  const searchKind = searchKindOf(flaw.kind)
  if (!searchKind) throw new ProblemError('not-searchable', { title: 'Nothing can be searched like it', detail: 'What was marked by hand has no kind to search for. Select a flaw that was found.', status: 422 })
  return { flaw, searchKind }
}

/** Take a file in: look at it whole, cut it into tiles, and make it a picture. */
async function intake({ database, storage, intake: threads, limits }: WorkTools, run: Run, progress: Progress): Promise<Record<string, unknown>> {
  const { sha256, name } = run.parameters as { sha256: string; name: string }
  try {
    const taken = await steered(progress, (onShare) => threads.takeIn(sha256, name, limits, onShare))
    const { size } = await stat(await storage.localFile(originalKey(sha256)))
    await completeArrival(database, run.picture, sha256, size, taken)
    return { width: taken.width, height: taken.height }
  } catch (error) {
    // The work itself waits no more for the file; what another picture uses stays.
    if (error instanceof ProblemError || error instanceof Cancelled) await forgetUnusedFile(database, storage, sha256, run.id)
    throw error
  }
}

/** Mend every open flaw, as one entry of the history. What was changed meanwhile is left as it is then. */
async function mend({ database, threads }: WorkTools, run: Run, progress: Progress): Promise<Record<string, unknown>> {
  const { treatment } = await currentTreatment(database, run.picture)
  const steps = await steered(progress, (onShare) => threads.mendOpenFlaws(treatment, null, onShare))
  const now = await currentTreatment(database, run.picture)
  const before = new Map(treatment.flaws.map((flaw) => [flaw.id, flaw]))
  const mended = new Set(now.treatment.steps.map(({ flaw }) => flaw))
  const guards = new Set((now.treatment.areas ?? []).map(({ id }) => id))
  const asBefore = new Set(now.treatment.flaws.filter((flaw) => flaw.state === 'open' && !mended.has(flaw.id) && isDeepStrictEqual(flaw, before.get(flaw.id))).map(({ id }) => id))
  const wanted = steps.filter((step) => asBefore.has(step.flaw) && (step.guards ?? []).every((id) => guards.has(id)))
  if (wanted.length > 0) {
    await appendEdit(database, run.picture, now.revision, `Mend ${wanted.length} ${wanted.length === 1 ? 'flaw' : 'flaws'}`, [
      { type: 'put', list: 'steps', items: wanted },
      { type: 'setState', ids: wanted.map((step: Step) => step.flaw), state: 'mended' },
    ])
  }
  return { mended: wanted.length }
}
