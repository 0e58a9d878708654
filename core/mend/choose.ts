import { measureTelltales, severity, TELLTALE_NAMES, whatShows } from '../check/telltales.js'
import { median } from '../raster/statistics.js'
import { logLight } from '../find/log-light.js'
import { ln } from '../raster/exact-math.js'
import { gaussianBlur } from '../raster/blur.js'
import { clipRegion, growRegion, type PixelSource } from '../raster/raster.js'
import type { Transfer } from '../raster/transfer.js'
import { patchedSource } from '../render/patch.js'
import { moveShape, shapeBounds, shapeCentre, type Disc, type Shape } from '../shape/shape.js'
import type { Flaw, Step, Telltales } from '../treatment/schema.js'
import { fitShadow } from './fit-shadow.js'
import { carryOut, CURRENT_VERSION, type MethodName } from './methods.js'
import { searchSources, shapesTouch, type SourceOffer } from './source-search.js'
import { leastTransmission, shadowField, type Shadow } from './shadow.js'

/** What Fennip has to know to choose a mend. */
export interface MendRequest {
  /** As mended so far. */
  readonly picture: PixelSource
  readonly transfer: Transfer
  readonly flaw: Flaw
  /** Shapes of the other flaws that are open. */
  readonly openFlaws: readonly Shape[]
  /** Centres of sources that neighbours already take. */
  readonly usedSources?: readonly { x: number; y: number }[]
  /** Only this method; otherwise the gentlest that works. */
  readonly method?: MethodName
  /** Take this source in place of a search. */
  readonly source?: { dx: number; dy: number }
  /** Leave out the best so many sources: asking for another one. */
  readonly skipSources?: number
  readonly strength?: number
  readonly softEdgePx?: number
  readonly id: string
}

/** Where so little light comes through that there is nothing to give back. */
const LEAST_TRANSMISSION = 0.12
/** A lift must save this share of the gradients' cost, or this much evidence. */
const LEAST_EVIDENCE = 4
/** A fill of sources that are tried before the best of them is taken although it shows. */
const TRIES = 3

interface Trial {
  readonly step: Step
  readonly telltales: Telltales
  readonly worst: number
}

/**
 * Choose a mend: the gentlest method whose telltales pass, with the reason kept.
 *
 * Lift first, since it gives back what is really there; then heal from one source after another; when nothing passes,
 * whatever shows least.
 */
export function chooseMend(request: MendRequest): Step {
  const trials: Trial[] = []
  const notes: string[] = []
  const { flaw, method } = request
  if ((method ?? 'lift') === 'lift' && flaw.kind !== 'speck') {
    const lifted = tryLift(request)
    if ('trial' in lifted) {
      trials.push(lifted.trial)
      if (lifted.trial.worst <= patienceWithLift(request) || method === 'lift') return finish(lifted.trial, lifted.why, method)
      notes.push(`a lift would show ${wordsFor(lifted.trial.telltales)}`)
    } else notes.push(lifted.refused)
  }
  if (method === 'lift' && trials.length === 0) notes.push('so it is healed')
  const transplant: MethodName = method === 'clone' ? 'clone' : 'heal'
  const shape = mendShape(flaw)
  const offers: SourceOffer[] = request.source
    ? [{ ...request.source, cost: 0 }]
    : searchSources(request.picture, grown(shape, softEdgeOf(request, shape) / 2), request.openFlaws, request.usedSources).slice(request.skipSources ?? 0)
  if (offers.length === 0 && trials.length === 0) offers.push({ ...fallbackSource(request, shape), cost: Infinity })
  for (const offer of offers.slice(0, method || request.skipSources ? 1 : TRIES)) {
    const trial = tryTransplant(request, transplant, shape, offer)
    trials.push(trial)
    if (passes(trial)) break
  }
  const best = trials.reduce((a, b) => (b.worst < a.worst ? b : a))
  if (best.step.method === 'lift') return finish(best, `Lifted, although it shows ${wordsFor(best.telltales)}: healing shows more.`, method)
  const because = notes.length > 0 ? `Healed, because ${notes.join(', ')}.` : transplant === 'clone' ? 'Copied as you asked.' : 'Healed from the place that matches best.'
  return finish(best, because, method)
}

/** Structure between grain and the size of the flaw, as a share of the light, that a plain ground does not exceed. */
const PLAIN_STRUCTURE = 0.015

/**
 * How far a lift may be over the limit of a telltale before it is given up, 1 in a plain sky.
 *
 * Where the surroundings are textured, a heal invents what it puts there, and no telltale can know that it is not what
 * was there; a lift gives the real thing, a little uneven at worst.
 */
function patienceWithLift({ picture, transfer, flaw }: MendRequest): number {
  const { x, y, r } = shapeCentre(flaw.shape)
  const reach = Math.ceil(2.6 * r + 4)
  const region = clipRegion({ x: Math.floor(x) - reach, y: Math.floor(y) - reach, width: 2 * reach, height: 2 * reach }, picture.width, picture.height)
  const light = logLight(picture.read(region), transfer)
  const fine = gaussianBlur(light, 1.5)
  const coarse = gaussianBlur(light, Math.max(3, r / 2))
  const structure: number[] = []
  for (let i = 0; i < light.data.length; i++) {
    const dx = region.x + (i % region.width) + 0.5 - x
    const dy = region.y + Math.floor(i / region.width) + 0.5 - y
    if (dx * dx + dy * dy > 2.9 * r * r) structure.push(Math.abs(fine.data[i]! - coarse.data[i]!))
  }
  return Math.max(1, Math.min(4, median(Float32Array.from(structure)) / PLAIN_STRUCTURE))
}

/**
 * A heal from the best source at once, nothing tried or measured: what a click shows until the choice is made.
 */
export function quickHeal(request: MendRequest): Step {
  const shape = mendShape(request.flaw)
  const [offer] = searchSources(request.picture, grown(shape, softEdgeOf(request, shape) / 2), request.openFlaws)
  const { dx, dy } = offer ?? fallbackSource(request, shape)
  return makeStep(request, 'heal', shape, { source: { dx, dy } })
}

/** Fennip's words for a measured sign. */
export const TELLTALE_WORDS: Record<keyof Telltales, string> = {
  leftover: 'something left over',
  toneStep: 'a step in tone',
  grain: 'grain that differs',
  repeat: 'a repeated pattern',
  taintedSource: 'a flawed source',
}

function wordsFor(telltales: Telltales): string {
  return whatShows(telltales).map((name) => TELLTALE_WORDS[name]).join(' and ')
}

function passes(trial: Trial): boolean {
  return trial.worst <= 1
}

function finish(trial: Trial, reason: string, method: MethodName | undefined): Step {
  return { ...trial.step, telltales: trial.telltales, reason: method ? reason.replace(/^Healed,/, 'Healed, as you asked, and') : reason, chosenBy: method ? 'hand' : 'fennip' }
}

/** A found flaw is measured at half its depth, so a mend goes a little beyond; by hand the size is what was asked for. */
export function mendShape(flaw: Flaw): Shape {
  if (flaw.origin === 'hand' || flaw.shape.type !== 'disc') return flaw.shape
  const factor = flaw.kind === 'dust' ? 1.5 : 1.35
  return { ...flaw.shape, r: round(flaw.shape.r * factor + 1.5) }
}

function softEdgeOf(request: MendRequest, shape: Shape): number {
  return request.softEdgePx ?? Math.max(1, Math.min(12, Math.round(0.3 * shapeCentre(shape).r)))
}

function grown(shape: Shape, by: number): Shape {
  if (shape.type === 'disc') return { ...shape, r: shape.r + by }
  return shape.type === 'stroke' ? { ...shape, width: shape.width + 2 * by } : shape
}

function tryLift(request: MendRequest): { trial: Trial; why: string } | { refused: string } {
  const { flaw, picture, transfer } = request
  const centre = shapeCentre(flaw.shape)
  const start: Disc = { type: 'disc', x: centre.x, y: centre.y, r: flaw.origin === 'hand' ? Math.max(2, 0.8 * centre.r) : centre.r }
  if (start.r < 2) return { refused: 'it is too small to fit a shadow to' }
  const fit = fitShadow(picture, transfer, start, flaw.origin === 'hand' ? 'hand' : 'detector')
  if (!fit || fit.evidence < LEAST_EVIDENCE) return { refused: 'taking a shadow away does not make it calmer' }
  const plain: Shadow = roundShadow({ ...fit.shadow, damping: 0 })
  const through = leastTransmission(plain)
  if (through < LEAST_TRANSMISSION) return { refused: `only ${Math.round(100 * through)} % of the light comes through` }
  const shadow = { ...plain, damping: fitDamping(request, plain) }
  const shape: Disc = { type: 'disc', x: round(shadow.x), y: round(shadow.y), r: round(Math.max(1, outlineRadius(shadow))) }
  const step = makeStep(request, 'lift', shape, { shadow })
  return { trial: measured(request, step), why: `It lets ${Math.round(100 * through)} % of the light through, so what lies under it is given back.` }
}

/** Radius within which a shadow takes more than a fiftieth of its depth. */
function outlineRadius(shadow: Shadow): number {
  const deepest = shadow.profile[0]!
  const field = shadowField({ ...shadow, wobble: shadow.wobble.map(() => 0) })
  let r = shadow.radius * 1.7
  while (r > 1 && field.depth(shadow.x + r, shadow.y) < 0.04 * deepest) r -= 0.02 * shadow.radius
  return r
}

/**
 * How strongly grain must be damped to match the surroundings.
 *
 * Photon noise alone would ask for a power of one half of the transmission; tone curves and compression change that, so
 * it is measured: grain inside after a plain lift over grain outside.
 */
function fitDamping(request: MendRequest, shadow: Shadow): number {
  const { picture, transfer } = request
  const mended = carryOut(picture, transfer, { method: 'lift', methodVersion: CURRENT_VERSION.lift, shape: { type: 'disc', x: shadow.x, y: shadow.y, r: shadow.radius }, softEdgePx: 0, strength: 1, shadow })
  const wide = clipRegion(growRegion(mended.region, 8), picture.width, picture.height)
  const light = logLight(patchedSource(picture, [mended]).read(wide), transfer)
  const smooth = gaussianBlur(light, 1.5)
  const field = shadowField(shadow)
  const inside: number[] = []
  const outside: number[] = []
  let depth = 0
  const deepest = shadow.profile[0]!
  for (let i = 0; i < light.data.length; i++) {
    const d = field.depth(wide.x + (i % wide.width) + 0.5, wide.y + Math.floor(i / wide.width) + 0.5)
    const detail = Math.abs(light.data[i]! - smooth.data[i]!)
    if (d > 0.5 * deepest) {
      inside.push(detail)
      depth += d
    } else if (d === 0) outside.push(detail)
  }
  if (inside.length < 30 || outside.length < 30) return 0
  const ratio = median(Float32Array.from(inside)) / Math.max(1e-6, median(Float32Array.from(outside)))
  if (!(ratio > 1.02)) return 0
  // ratio x exp(-depth x damping) = 1
  return round(Math.min(2, ln(ratio) / Math.max(0.02, depth / inside.length)))
}

function tryTransplant(request: MendRequest, method: MethodName, shape: Shape, offer: { dx: number; dy: number }): Trial {
  return measured(request, makeStep(request, method, shape, { source: { dx: offer.dx, dy: offer.dy } }))
}

function makeStep(request: MendRequest, method: MethodName, shape: Shape, decisions: Pick<Step, 'source' | 'shadow'>): Step {
  return {
    id: request.id,
    stage: 'mend',
    flaw: request.flaw.id,
    method,
    methodVersion: CURRENT_VERSION[method],
    shape,
    softEdgePx: method === 'lift' ? 0 : softEdgeOf(request, shape),
    strength: request.strength ?? 1,
    seed: 0,
    ...decisions,
    chosenBy: 'fennip',
    reason: '',
  }
}

function measured(request: MendRequest, step: Step): Trial {
  const telltales = measureStep(request, step)
  return { step, telltales, worst: Math.max(...TELLTALE_NAMES.map((name) => severity(name, telltales[name]))) }
}

/** Telltales of a step carried out on the picture as mended so far. */
export function measureStep(request: Pick<MendRequest, 'picture' | 'transfer' | 'openFlaws'>, step: Step): Telltales {
  const mended = carryOut(request.picture, request.transfer, step)
  return measureTelltales({
    picture: patchedSource(request.picture, [mended]),
    transfer: request.transfer,
    shape: step.shape,
    ...(step.source ? { source: step.source } : {}),
    openFlaws: request.openFlaws,
  })
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

/** Decisions are stored as text; a thousandth of a pixel is finer than any picture. */
function round(value: number): number {
  return Math.round(value * 1000) / 1000
}

function roundShadow(shadow: Shadow): Shadow {
  const fine = (value: number) => Math.round(value * 1e6) / 1e6
  return {
    x: round(shadow.x),
    y: round(shadow.y),
    radius: round(shadow.radius),
    wobble: shadow.wobble.map(fine),
    profile: shadow.profile.map(fine),
    channels: shadow.channels.map(fine),
    damping: fine(shadow.damping),
  }
}
