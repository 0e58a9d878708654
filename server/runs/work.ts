import type { FindOptions } from '@fennip/core/find/find.js'
import { flawsOfFinds, newFinds, undecidedFinds } from '@fennip/core/find/found-flaws.js'
import { searchKindOf } from '@fennip/core/find/search-kinds.js'
import { looksLike } from '@fennip/core/find/likeness.js'
import { searchedArea, type SearchedArea } from '@fennip/core/find/searched-area.js'
import { shapeCentre, type Shape } from '@fennip/core/shape/shape.js'
import { ProblemError } from '@fennip/core/problem.js'
import type { Flaw, Operation, SearchKind, Step, Treatment } from '@fennip/core/treatment/schema.js'
import { rasterSource } from '@fennip/core/raster/raster.js'
import { makeTransfer } from '@fennip/core/raster/transfer.js'
import { levelCount } from '@fennip/core/raster/pyramid.js'
import { layOver, makePatches } from '@fennip/core/render/patch.js'
import { EXTENSIONS, type Format } from '@fennip/codec/formats.js'
import { readPicture } from '@fennip/codec/read.js'
import { encodePicture } from '@fennip/codec/write.js'
import { appendEdit, currentTreatment } from '../history.js'
import { Cancelled, goOn, type Progress, type WorkTools } from './tools.js'
import { originalKey, outputKey } from '../storage/storage.js'
import { keptPatches } from '../storage/patches.js'
import type { Run } from './runs.js'
import { applyChart, carryMends, learnChart } from './series-work.js'

export async function doWork(tools: WorkTools, run: Run, progress: Progress): Promise<Record<string, unknown>> {
  switch (run.kind) {
    case 'find': return find(tools, run, progress)
    case 'mend': return mend(tools, run, progress)
    case 'export': return exportPicture(tools, run, progress)
    case 'learn': return learnChart(tools, run, progress)
    case 'chart': return applyChart(tools, run, progress)
    case 'carry': return carryMends(tools, run, progress)
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
  const finds = await threads.search(treatment.original, options, (share) => goOn(progress, share))
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

/** Mend every open flaw, as one entry of the history. */
async function mend({ database, threads }: WorkTools, run: Run, progress: Progress): Promise<Record<string, unknown>> {
  const { treatment, revision } = await currentTreatment(database, run.picture)
  let stopped = false
  const steps = await threads.mendOpenFlaws(treatment, null, (share) => {
    if (!progress(share)) stopped = true
    return !stopped
  })
  if (stopped) throw new Cancelled()
  if (steps.length > 0) {
    await appendEdit(database, run.picture, revision, `Mend ${steps.length} flaws`, [
      { type: 'put', list: 'steps', items: steps },
      { type: 'setState', ids: steps.map((step: Step) => step.flaw), state: 'mended' },
    ])
  }
  return { mended: steps.length }
}

/** Lay all patches over the original and encode; the file appears whole or not at all. */
async function exportPicture({ database, storage, threads }: WorkTools, run: Run, progress: Progress): Promise<Record<string, unknown>> {
  const { format, depth, quality } = run.parameters as { format: Format; depth: 8 | 16; quality: number }
  const { treatment } = await currentTreatment(database, run.picture)
  const row = (await database('pictures').where('id', run.picture).first('name')) as { name: string }
  goOn(progress, 0.05)
  await threads.keepPatches(treatment)
  goOn(progress, 0.3)
  const { original } = treatment
  const picture = await readPicture(await storage.localFile(originalKey(original.sha256)), row.name)
  goOn(progress, 0.5)
  const transfer = makeTransfer(picture.header.profile.curve, picture.header.depth)
  const kept = await keptPatches(storage, treatment)
  const patches = makePatches(rasterSource(picture.pixels), transfer, treatment, levelCount(original.width, original.height), { get: (key) => kept.get(key), set: () => undefined })
  const whole = { x: 0, y: 0, width: original.width, height: original.height }
  for (const patch of patches) layOver(picture.pixels, whole, patch)
  goOn(progress, 0.6)
  const bytes = await encodePicture(picture.pixels, picture.alpha, picture.header.metadata, { format, depth, quality })
  goOn(progress, 0.95)
  const file = `${run.id}.${EXTENSIONS[format]}`
  await storage.write(outputKey(file), bytes)
  return { file, name: `${row.name.replace(/\.[^.]*$/, '')}-mended.${EXTENSIONS[format]}`, bytes: bytes.length, mends: patches.length }
}
