import { ProblemError } from '../problem.js'
import { maximumOf, type PixelSource } from '../raster/raster.js'
import type { Transfer } from '../raster/transfer.js'
import { areaCoverage } from '../shape/zone/area.js'
import type { Area, Step } from '../treatment/schema.js'
import { liftCover } from './cover/cover.js'
import { fill, type FillDecisions } from './fill/fill.js'
import { clone, heal, roundSample, type Transplant } from './heal/heal.js'
import { lift } from './lift/lift.js'
import type { Mended } from '../check/mended.js'
import { lossOfPattern, lossOfShadow, lossOfTint, type LightLoss } from './lift/light-loss.js'

export type MethodName = Step['method']

/** What a method needs to be carried out; the rest of a step only explains it. */
export type Decisions = Pick<Step, 'method' | 'methodVersion' | 'shape' | 'softEdgePx' | 'strength' | 'seed' | 'source' | 'shadow' | 'tint' | 'pattern' | 'cover' | 'avoid'> & {
  /** The areas that the step names as guards. */
  readonly guarded?: readonly Area[]
}

/** The decisions of a step with the areas that it names. */
export function decisionsOf(step: Step, areas: readonly Area[] | undefined): Decisions {
  if (!step.guards || step.guards.length === 0) return step
  return { ...step, guarded: (areas ?? []).filter((area) => step.guards!.includes(area.id)) }
}

/** The version of each method. Drafts of the format knew lower ones: their steps are carried out by this one. */
export const CURRENT_VERSION: Record<MethodName, number> = { lift: 1, heal: 2, clone: 2, fill: 4 }

/** The version that a step is carried out by. */
export const versionOf = ({ method, methodVersion }: Pick<Decisions, 'method' | 'methodVersion'>): number => Math.max(methodVersion, CURRENT_VERSION[method])

type Method = (picture: PixelSource, transfer: Transfer, step: Decisions) => Mended

const METHODS: Record<MethodName, Method> = {
  lift: (picture, transfer, step) => (step.cover ? liftCover(picture, transfer, step.shape, step.cover, { strength: step.strength, seed: step.seed, avoid: step.avoid ?? [], guarded: step.guarded }) : lift(picture, transfer, lossOf(step), step.strength)),
  heal: (picture, _transfer, step) => heal(picture, transplantOf(step)),
  clone: (picture, _transfer, step) => clone(picture, transplantOf(step)),
  fill: (picture, _transfer, step) => fill(picture, fillDecisionsOf(step)),
}

/**
 * Carry out a step: no search, no fit, only what was decided.
 *
 * @param picture  As mended by the earlier steps.
 * @throws {ProblemError} when the version is unknown or a decision is missing.
 */
export function carryOut(picture: PixelSource, transfer: Transfer, step: Decisions): Mended {
  if (versionOf(step) > CURRENT_VERSION[step.method]) {
    throw new ProblemError('method-unknown', {
      title: 'This mend needs a newer Fennip',
      detail: `The treatment uses ${step.method} in version ${step.methodVersion}, which this Fennip does not have. Update Fennip and open it again.`,
      status: 422,
    })
  }
  const mended = METHODS[step.method](picture, transfer, step)
  return step.guarded && step.guarded.length > 0 ? heldBack(picture, mended, step.guarded) : mended
}

/** What a mend leaves of guarded pixels: nothing of it inside, a share of it over a soft edge. */
function heldBack(picture: PixelSource, mended: Mended, guarded: readonly Area[]): Mended {
  const guard = areaCoverage(guarded, mended.region)
  if (!guard) return mended
  const { channels } = picture
  const maximum = maximumOf(picture.depth)
  const before = picture.read(mended.region)
  const touched = mended.touched.slice()
  for (let i = 0; i < touched.length; i++) {
    const held = guard.data[i]!
    if (held === 0 || touched[i] === 0) continue
    if (held === 1) touched[i] = 0
    for (let k = i * channels; k < (i + 1) * channels; k++) {
      const old = before.data[k]!
      mended.pixels.data[k] = held === 1 ? old : roundSample(old + (mended.pixels.data[k]! - old) * (1 - held), maximum)
    }
  }
  return { ...mended, touched }
}

function lossOf({ tint, pattern, shadow }: Decisions): LightLoss {
  if (tint) return lossOfTint(tint)
  return pattern ? lossOfPattern(pattern) : lossOfShadow(required(shadow, 'lift', 'shadow'))
}

function transplantOf(step: Decisions): Transplant {
  return { shape: step.shape, source: required(step.source, step.method, 'source'), softEdgePx: step.softEdgePx, strength: step.strength, ...(step.guarded ? { guarded: step.guarded } : {}) }
}

function fillDecisionsOf(step: Decisions): FillDecisions {
  return { shape: step.shape, softEdgePx: step.softEdgePx, strength: step.strength, seed: step.seed, avoid: step.avoid ?? [], ...(step.guarded ? { guarded: step.guarded } : {}) }
}

function required<T>(value: T | undefined, method: string, what: string): T {
  if (value === undefined) {
    throw new ProblemError('step-incomplete', { title: 'A mend is incomplete', detail: `A ${method} has no ${what}. Mend the flaw again.`, status: 422 })
  }
  return value
}
