import { median } from '../numbers/statistics.js'
import type { Shape } from '../shape/shape.js'
import { fitTint } from './lift/fit-tint.js'
import { makeStep, measured, passes, wordsFor, type MendRequest, type Trial } from './trial.js'

/** Deviations of a stain's colour below which nobody can say what it took. */
const LEAST_TINT = 2.5
/** Share of the light below which what a colour took is no stain: a shadow on toned paper changes its colour by that much. */
const LEAST_COLOUR = 0.02

/** A stain on a print of one colour is lifted whatever its telltales say: all else would put invention in place of the picture. */
export function tryTint(request: MendRequest, shape: Shape): { trial: Trial; why: string } | { refused: string } {
  const fit = fitTint(request.picture, request.transfer, shape, request.openFlaws)
  if (!fit) return { refused: 'its surroundings do not say what colour belongs there' }
  const named = request.flaw.kind === 'stain'
  const taken = median(Float32Array.from(fit.tint.depth, (depth) => Math.abs(depth)).filter((depth) => depth > 0))
  // What the restorer calls a stain is lifted when that is asked for, however faint it is.
  const sure = named ? fit.evidence >= LEAST_TINT || request.method === 'lift' : fit.evidence >= LEAST_TINT && taken >= LEAST_COLOUR
  if (!sure) return { refused: 'its colour differs too little from what is around' }
  const trial = measured(request, makeStep(request, 'lift', shape, { tint: fit.tint }))
  return { trial, why: `Its colour tells how much light it takes at every place, so what lies under it is given back${passes(trial) ? '' : `; it shows ${wordsFor(trial.telltales)}`}.` }
}
