import { ProblemError } from '../problem.js'
import { liesWithin } from '../shape/zone/area.js'
import { moveShape, shapeBounds, shapeCentre, shapeThickness, type Shape } from '../shape/shape.js'
import type { Flaw, Source, Step } from '../treatment/schema.js'
import { fitPattern } from './lift/fit-pattern.js'
import { likelyErrorOfHeal, STRUCTURED, structureBeside } from './ground-structure.js'
import type { Mended } from '../check/mended.js'
import { mendShape } from './mend-shape.js'
import type { MethodName } from './methods.js'
import { searchSources } from './heal/source-search.js'
import { shapesTouch } from '../shape/shapes-touch.js'
import { makeStep, measured, passes, softEdgeOf, wordsFor, type MendRequest, type Trial } from './trial.js'
import { tryCover } from './cover/try-cover.js'
import { thickestFill, tryFill } from './try-fill.js'
import { mayBeShadow, staysApart, tryLift, wordsForLift } from './try-lift.js'
import { tryTint } from './try-tint.js'

/** So many sources are tried before the best of them is taken although it shows. */
const TRIES = 3

/** What may let the picture show through. */
const COVERS: readonly Flaw['kind'][] = ['dust', 'speck', 'mould', 'hair', 'scratch', 'other']

/** A step and what it makes of the picture. */
export interface ChosenMend {
  readonly step: Step
  readonly mended: Mended
}

/**
 * Choose a mend: the gentlest method whose telltales pass, with the reason kept.
 *
 * Lift first, since it gives back what is really there; then a fill where that comes nearer to what was there than any
 * single place; then heal from one source after another; then a fill all the same; when nothing passes, what shows least.
 *
 * @throws {ProblemError} when the flaw lies wholly in a guard.
 */
export function chooseMend(request: MendRequest): Step {
  return chooseAndMend(request).step
}

/** The same, with the new pixels: they were made to be measured. */
export function chooseAndMend(request: MendRequest): ChosenMend {
  refuseGuarded(request)
  const trials: Trial[] = []
  const notes: string[] = []
  const { flaw, method } = request
  const shape = mendShape(flaw)
  let filling: Trial | undefined
  const filled = () => (filling ??= tryFill(request, shape))
  // An outline that nobody named may go round a stain; unasked, a tint is not taken from what may be a thing of that colour.
  const outlined = method === 'lift' && flaw.kind === 'other' && shape.type === 'outline'
  if ((method ?? 'lift') === 'lift' && (flaw.kind === 'stain' || outlined)) {
    const lifted = tryTint(request, shape)
    if ('trial' in lifted) return finish(lifted.trial, lifted.why, method)
    notes.push(lifted.refused)
  }
  if ((method ?? 'lift') === 'lift' && flaw.kind === 'moire') {
    const pattern = fitPattern(request.picture, request.transfer, shape)
    if (pattern) return finish(measured(request, makeStep(request, 'lift', shape, { pattern })), 'Its waves go on evenly over the area, so they are taken away and the picture stays.', method)
    notes.push('no wave stands alone in it')
  }
  const shadowed = flaw.kind !== 'speck' && flaw.kind !== 'mould' && flaw.kind !== 'smudge' && mayBeShadow(shape)
  if (method === 'lift' && !shadowed) notes.push('no shadow can lie under it')
  // Of what was drawn or masked the outline says more than a round shadow could. Specks that were found are too many to be fitted one by one.
  const first = flaw.kind !== 'dust' || flaw.origin === 'hand'
  const covered = COVERS.includes(flaw.kind) && (flaw.origin === 'hand' || flaw.kind === 'dust') && !request.expected && (method === 'lift' || (!method && !request.source && !request.skipSources))
  const coverOf = () => {
    const lifted = tryCover(request, shape, filled)
    if ('trial' in lifted) return lifted
    if (first && lifted.refused && !method) notes.push(lifted.refused)
    return null
  }
  if (covered && first) {
    const lifted = coverOf()
    if (lifted) return finish(lifted.trial, lifted.why, method)
  }
  if ((method ?? 'lift') === 'lift' && shadowed) {
    const lifted = tryLift(request)
    const apart = 'trial' in lifted && !method ? staysApart(request, shape, lifted.trial, filled) : null
    if (!('trial' in lifted)) notes.push(lifted.refused)
    else if (apart) notes.push(`lifted it would stay far ${apart} than all around it says`)
    else {
      trials.push(lifted.trial)
      if (method === 'lift' || lifted.kept) return finish(lifted.trial, lifted.why, method)
      notes.push(`a lift would show ${wordsForLift(lifted.trial)}`)
    }
  }
  if (covered && !first) {
    const lifted = coverOf()
    if (lifted) return finish(lifted.trial, lifted.why, method)
  }
  const free = !method && !request.source && !request.skipSources
  const fillFirst = free && fillsBetter(request, shape)
  if (method === 'fill' || fillFirst) {
    const trial = filled()
    if (method === 'fill') return finish(trial, 'Filled as you asked.', method)
    if (passes(trial)) return finish(trial, 'Filled from all sides: no single place is so near to what was there.', method)
    if (shape.type !== 'disc' && structureBeside(request, shape) > STRUCTURED) return finish(trial, `Filled, although it shows ${wordsFor(trial.telltales)}: on ground like this any single place is further from what was there.`, method)
    trials.push(trial)
    notes.push(`a fill would show ${wordsFor(trial.telltales)}`)
  }
  const transplant: MethodName = method === 'clone' ? 'clone' : 'heal'
  const offers: (Source & { cost: number })[] = request.source
    ? [{ ...request.source, cost: 0 }]
    : searchSources(request.picture, grown(shape, softEdgeOf(request, shape) / 2), request.openFlaws, request.usedSources, request.guards).slice(request.skipSources ?? 0)
  if (offers.length === 0 && trials.length === 0) offers.push({ ...fallbackSource(request, shape), cost: Infinity })
  for (const offer of offers.slice(0, method || request.skipSources ? 1 : TRIES)) {
    const trial = tryTransplant(request, transplant, shape, offer)
    trials.push(trial)
    if (passes(trial)) break
  }
  // No single place matches: what all of the surroundings say together is left.
  if (free && !fillFirst && trials.every((trial) => !passes(trial)) && shapeThickness(shape) <= thickestFill(shape)) trials.push(filled())
  // Among mends that all show, one that invents nothing is nearer to what was there than its telltales can say.
  const trusted = (trial: Trial) => trial.worst / (trial.step.method === 'fill' && fillFirst ? 1.6 : 1)
  const best = trials.reduce((a, b) => (trusted(b) < trusted(a) ? b : a))
  if (best.step.method === 'fill') return finish(best, passes(best) ? 'Filled, because no single place matches it.' : `Filled, although it shows ${wordsFor(best.telltales)}: healing is further from what was there.`, method)
  if (best.step.method === 'lift') return finish(best, `Lifted, although it shows ${wordsForLift(best)}: healing shows more.`, method)
  const because = notes.length > 0 ? `Healed, because ${notes.join(', ')}.` : transplant === 'clone' ? 'Copied as you asked.' : 'Healed from the place that matches best.'
  return finish(best, because, method)
}

/**
 * A heal from the best source at once, nothing tried or measured: what a click shows until the choice is made.
 */
export function quickHeal(request: MendRequest): Step {
  refuseGuarded(request)
  const shape = mendShape(request.flaw)
  const [offer] = searchSources(request.picture, grown(shape, softEdgeOf(request, shape) / 2), request.openFlaws, [], request.guards)
  const { dx, dy } = offer ?? fallbackSource(request, shape)
  return makeStep(request, 'heal', shape, { source: { dx, dy } })
}

function refuseGuarded({ flaw, guards = [] }: MendRequest): void {
  if (!liesWithin(mendShape(flaw), guards)) return
  const holding = guards.find((guard) => liesWithin(mendShape(flaw), [guard]))
  throw new ProblemError('flaw-guarded', {
    title: 'The flaw is guarded',
    detail: `It lies in ${holding ? `the guard "${holding.name}"` : 'guards'}, where nothing is changed. Make the guard a zone to mend it, and a guard again afterwards.`,
    status: 422,
  })
}

/**
 * Whether a fill comes before a heal: for scratches, tears and the like always, for round spots where the ground has
 * structure of its own that a heal would replace by another place's (measured on open photographs).
 */
function fillsBetter(request: MendRequest, shape: Shape): boolean {
  if (shapeThickness(shape) > thickestFill(shape)) return false
  return shape.type !== 'disc' || likelyErrorOfHeal(request) > STRUCTURED
}

function tryTransplant(request: MendRequest, method: MethodName, shape: Shape, { dx, dy, mirror, turn, scale }: Source): Trial {
  const source = { dx, dy, ...(mirror ? { mirror } : {}), ...(turn ? { turn } : {}), ...(scale && scale !== 1 ? { scale } : {}) }
  return measured(request, makeStep(request, method, shape, { source }))
}

/** When no place is free, the nearest one inside the picture is offered, and its telltales will say so. */
function fallbackSource(request: MendRequest, shape: Shape): { dx: number; dy: number } {
  const bounds = shapeBounds(shape)
  const step = 2 * shapeCentre(shape).r + 4
  const { picture } = request
  const tries = [[step, 0], [-step, 0], [0, step], [0, -step]].map(([dx, dy]) => ({ dx: Math.round(dx!), dy: Math.round(dy!) }))
  const free = tries.filter(({ dx, dy }) => bounds.x + dx >= 0 && bounds.y + dy >= 0 && bounds.x + bounds.width + dx <= picture.width && bounds.y + bounds.height + dy <= picture.height)
  return free.find(({ dx, dy }) => !request.openFlaws.some((other) => shapesTouch(moveShape(shape, dx, dy), other))) ?? free[0] ?? { dx: 0, dy: 0 }
}

function grown(shape: Shape, by: number): Shape {
  if (shape.type === 'disc') return { ...shape, r: shape.r + by }
  return shape.type === 'stroke' ? { ...shape, width: shape.width + 2 * by } : shape
}

function finish(trial: Trial, reason: string, method: MethodName | undefined): ChosenMend {
  const step: Step = { ...trial.step, telltales: trial.telltales, reason: method === trial.step.method ? reason.replace(/^Healed,/, 'Healed, as you asked, and') : reason, chosenBy: method ? 'hand' : 'fennip' }
  return { step, mended: trial.mended }
}
