import type { MessagePort } from 'node:worker_threads'
import { atan2 } from '@fennip/core/numbers/exact-math.js'
import { ProblemError } from '@fennip/core/problem.js'
import { operationOf } from '@fennip/core/pipeline/registry.js'
import { alignRescan } from '@fennip/core/rescan/align-rescan.js'
import { comparePlace, type SeenPlace } from '@fennip/core/rescan/compare-places.js'
import { moveTreatment } from '@fennip/core/rescan/move-treatment.js'
import { scaleOf } from '@fennip/core/rescan/similarity.js'
import { Chain } from '@fennip/core/pipeline/chain.js'
import { layPatchesOverTile } from '@fennip/core/mend/patches/patch.js'
import type { IntegerRaster, Region } from '@fennip/core/raster/raster.js'
import type { OperationStep, Original, Treatment } from '@fennip/core/treatment/schema.js'
import { openBase } from '../storage/base.js'
import { patchesOf, storageAt, type Where } from './tasks.js'
import { tellProgress } from './tell-progress.js'

/** Of so many flaws or more, more than this share that is not found again tells of another print. */
const [LEAST_TOLD, MOST_STRANGE] = [8, 0.6]

/** A treatment moved to another scan. */
export interface MovedToRescan {
  readonly moved: Treatment
  readonly unfit: readonly string[]
  readonly refit: readonly string[]
  readonly turnDegrees: number
  readonly scale: number
}

/** Align the scan of a treatment with another, look for every flaw there, move the treatment, and measure anew what looks at the picture. */
export async function moveToRescan({ where, treatment, to, port }: { where: Where; treatment: Treatment; to: Original; port: MessagePort }): Promise<MovedToRescan> {
  const storage = storageAt(where)
  const tell = tellProgress(port)
  const [first, second] = [await openBase(storage, treatment.original.sha256), await openBase(storage, to.sha256)]
  tell(0.05)
  const similarity = alignRescan({ ...first.source, curve: first.document.profile.curve }, { ...second.source, curve: second.document.profile.curve })
  tell(0.4)
  const seen = new Map<string, SeenPlace>()
  for (const [i, { id, shape }] of treatment.flaws.entries()) {
    if (i % 20 === 0) tell(0.4 + (0.4 * i) / treatment.flaws.length)
    seen.set(id, comparePlace(first.source, second.source, similarity, shape))
  }
  const strange = [...seen.values()].filter(({ fits }) => !fits).length
  if (seen.size >= LEAST_TOLD && strange > MOST_STRANGE * seen.size) throw new ProblemError('other-print', { title: 'This is not a scan of the same print', detail: `Of ${seen.size} flaws ${strange} are not where they should be in this scan, so nothing was changed. Choose a scan of the same print, turned by no more than about three degrees.`, status: 422 })
  const { treatment: moved, unfit, refit, remeasure } = moveTreatment(treatment, to, similarity, seen)
  const measured = await measuredAnew(where, moved, remeasure, (share) => tell(0.8 + 0.2 * share))
  port.close()
  return { moved: measured, unfit, refit, turnDegrees: (atan2(similarity.b, similarity.a) * 180) / Math.PI, scale: scaleOf(similarity) }
}

/** Measure anew what steps of a treatment look at, by their ids, on its original with its mends and the steps before. */
export async function measureAnew({ where, treatment, steps, port }: { where: Where; treatment: Treatment; steps: readonly string[]; port: MessagePort }): Promise<Treatment> {
  const result = await measuredAnew(where, treatment, steps, tellProgress(port))
  port.close()
  return result
}

async function measuredAnew(where: Where, moved: Treatment, remeasure: readonly string[], tell: (share: number) => void): Promise<Treatment> {
  if (remeasure.length === 0) return moved
  const storage = storageAt(where)
  const second = await openBase(storage, moved.original.sha256)
  const patches = await patchesOf(storage, moved)
  const mended = (region: Region, level: number): IntegerRaster => {
    const pixels = second.level(level).read(region)
    layPatchesOverTile(pixels, region, level, patches, second.transfer)
    return pixels
  }
  const operations: OperationStep[] = []
  for (const [i, step] of (moved.operations ?? []).entries()) {
    tell(i / moved.operations!.length)
    const operation = operationOf(step.operation)
    if (!remeasure.includes(step.id) || !operation.measure) {
      operations.push(step)
      continue
    }
    const chain = new Chain(second.document, { areas: moved.areas, operations: operations.filter(({ operation: name }) => operationOf(name).form !== 'geometry') })
    const { measured: _before, ...rest } = step
    const measured: unknown = operation.measure(chain.survey(step.zone, mended), step.settings, chain.context)
    operations.push({ ...rest, ...(measured === undefined ? {} : { measured }) })
  }
  return { ...moved, ...(moved.operations ? { operations } : {}) }
}
