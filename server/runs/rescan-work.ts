import type { Treatment } from '@fennip/core/treatment/schema.js'
import { currentTreatment, replaceTreatment } from '../history.js'
import type { Run } from './runs.js'
import { steered } from './steered.js'
import type { Progress, WorkTools } from './tools.js'

/** Carry a treatment to another scan of the same print: moved, lifts fitted anew, what does not fit left open. */
export async function carryToRescan({ database, threads }: WorkTools, run: Run, progress: Progress): Promise<Record<string, unknown>> {
  const { treatment: carried } = run.parameters as unknown as { treatment: Treatment }
  const { treatment: here, revision } = await currentTreatment(database, run.picture)
  const { moved, unfit, refit, turnDegrees, scale } = await steered(progress, (onShare) => threads.moveToRescan(carried, here.original, (share) => onShare(0.6 * share)))
  const lifted = refit.length === 0 ? [] : await steered(progress, (onShare) => threads.mendOpenFlaws(moved, { only: refit, expected: {} }, (share) => onShare(0.6 + 0.35 * share)))
  const mended = new Set(lifted.map(({ flaw }) => flaw))
  const treatment: Treatment = { ...moved, flaws: moved.flaws.map((flaw) => (mended.has(flaw.id) ? { ...flaw, state: 'mended' } : flaw)), steps: [...moved.steps, ...lifted] }
  await replaceTreatment(database, run.picture, revision, 'Carry a treatment to this scan', treatment)
  return { moved: moved.steps.length + lifted.length, unfit, refit: lifted.length, turnDegrees, scale }
}
