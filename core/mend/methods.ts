import { ProblemError } from '../problem.js'
import type { PixelSource } from '../raster/raster.js'
import type { Transfer } from '../raster/transfer.js'
import type { Step } from '../treatment/schema.js'
import { fill } from './fill.js'
import { clone, heal, type Transplant } from './heal.js'
import { lift, type Mended } from './lift.js'

export type MethodName = Step['method']

/** What a method needs to be carried out; the rest of a step only explains it. */
export type Decisions = Pick<Step, 'method' | 'methodVersion' | 'shape' | 'softEdgePx' | 'strength' | 'seed' | 'source' | 'shadow' | 'avoid'>

/** The version of each method that new steps are made with. Older ones stay, so that old treatments render as they did. */
export const CURRENT_VERSION: Record<MethodName, number> = { lift: 1, heal: 2, clone: 2, fill: 1 }

type Method = (picture: PixelSource, transfer: Transfer, step: Decisions) => Mended

const METHODS: Record<MethodName, Record<number, Method>> = {
  lift: { 1: (picture, transfer, step) => lift(picture, transfer, required(step.shadow, 'lift', 'shadow'), step.strength) },
  heal: {
    1: (picture, _transfer, step) => heal(picture, transplantOf(step), 'linear'),
    2: (picture, _transfer, step) => heal(picture, transplantOf(step), 'smooth'),
  },
  clone: {
    1: (picture, _transfer, step) => clone(picture, transplantOf(step), 'linear'),
    2: (picture, _transfer, step) => clone(picture, transplantOf(step), 'smooth'),
  },
  fill: {
    1: (picture, _transfer, step) => fill(picture, { shape: step.shape, softEdgePx: step.softEdgePx, strength: step.strength, seed: step.seed, avoid: step.avoid ?? [] }),
  },
}

/**
 * Carry out a step: no search, no fit, only what was decided.
 *
 * @param picture  As mended by the earlier steps.
 * @throws {ProblemError} when the version is unknown or a decision is missing.
 */
export function carryOut(picture: PixelSource, transfer: Transfer, step: Decisions): Mended {
  const method = METHODS[step.method][step.methodVersion]
  if (!method) {
    throw new ProblemError('method-unknown', {
      title: 'This mend needs a newer Fennip',
      detail: `The treatment uses ${step.method} in version ${step.methodVersion}, which this Fennip does not have. Update Fennip and open it again.`,
      status: 422,
    })
  }
  return method(picture, transfer, step)
}

function transplantOf(step: Decisions): Transplant {
  return { shape: step.shape, source: required(step.source, step.method, 'source'), softEdgePx: step.softEdgePx, strength: step.strength }
}

function required<T>(value: T | undefined, method: string, what: string): T {
  if (value === undefined) {
    throw new ProblemError('step-incomplete', { title: 'A mend is incomplete', detail: `A ${method} has no ${what}. Mend the flaw again.`, status: 422 })
  }
  return value
}
