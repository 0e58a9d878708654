import { measureTelltales, severity, TELLTALE_NAMES, whatShows, type TelltaleName } from '../check/telltales.js'
import { DEVIATION_PER_MAD, median } from '../raster/statistics.js'
import { logLight } from '../find/log-light.js'
import { ln } from '../raster/exact-math.js'
import { gaussianBlur } from '../raster/blur.js'
import { clipRegion, growRegion, overlaps, type PixelSource } from '../raster/raster.js'
import type { Transfer } from '../raster/transfer.js'
import { patchedSource } from '../render/patch.js'
import { ProblemError } from '../problem.js'
import { areaReaches, liesWithin } from '../shape/area.js'
import { distanceOutside, moveShape, shapeBounds, shapeCentre, shapeThickness, type Disc, type Shape } from '../shape/shape.js'
import type { Area, Flaw, Source, Step, Telltales } from '../treatment/schema.js'
import { fillReach } from './fill.js'
import type { Mended } from './lift.js'
import { fitShadow, type ExpectedShadow, type ShadowFit } from './fit-shadow.js'
import { carryOut, CURRENT_VERSION, decisionsOf, type MethodName } from './methods.js'
import { searchSources, shapesTouch } from './source-search.js'
import { fitPattern } from './fit-pattern.js'
import { fitTint } from './fit-tint.js'
import { leastTransmission, shadowField, type Shadow } from './shadow.js'
import { unevenness } from './unevenness.js'

/** What Fennip has to know to choose a mend. */
export interface MendRequest {
  /** As mended so far. */
  readonly picture: PixelSource
  readonly transfer: Transfer
  readonly flaw: Flaw
  /** Areas that the mend stops at. */
  readonly guards?: readonly Area[]
  /** Shapes of the other flaws that are open. */
  readonly openFlaws: readonly Shape[]
  /** Centres of sources that neighbours already take. */
  readonly usedSources?: readonly { x: number; y: number }[]
  /** Only this method; otherwise the gentlest that works. */
  readonly method?: MethodName
  /** A shadow that is known from other pictures: where its fit starts, and what is taken where this one is too faint to say itself. */
  readonly expected?: ExpectedShadow
  /** Take this source in place of a search. */
  readonly source?: Source
  /** Leave out the best so many sources: asking for another one. */
  readonly skipSources?: number
  readonly strength?: number
  readonly softEdgePx?: number
  readonly id: string
}

/** Where so little light comes through that there is nothing to give back; more is asked of what nobody called dust. */
const LEAST_TRANSMISSION: Partial<Record<Flaw['kind'], number>> = { dust: 0.12, speck: 1 }
const LEAST_TRANSMISSION_OTHERWISE = 0.35
/** Where a heal would do as well, a lift needs this much evidence. */
const LEAST_EVIDENCE = 4
/** So many sources are tried before the best of them is taken although it shows. */
const TRIES = 3

interface Trial {
  readonly step: Step
  readonly mended: Mended
  readonly telltales: Telltales
  readonly worst: number
}

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
  if ((method ?? 'lift') === 'lift' && shadowed) {
    const lifted = tryLift(request)
    if (!('trial' in lifted)) notes.push(lifted.refused)
    else if (!method && staysDark(request, shape, lifted.trial, filled)) notes.push('lifted it would stay far darker than all around it says')
    else {
      trials.push(lifted.trial)
      if (method === 'lift' || lifted.kept) return finish(lifted.trial, lifted.why, method)
      notes.push(`a lift would show ${wordsForLift(lifted.trial)}`)
    }
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

function refuseGuarded({ flaw, guards = [] }: MendRequest): void {
  if (!liesWithin(mendShape(flaw), guards)) return
  const holding = guards.find((guard) => liesWithin(mendShape(flaw), [guard]))
  throw new ProblemError('flaw-guarded', {
    title: 'The flaw is guarded',
    detail: `It lies in ${holding ? `the guard "${holding.name}"` : 'guards'}, where nothing is changed. Make the guard a zone to mend it, and a guard again afterwards.`,
    status: 422,
  })
}

/** Half the width up to which a fill is tried unasked: of what lies deeper inside, the surroundings say nothing. */
const thickestFill = (shape: Shape) => (shape.type === 'disc' ? 12 : 40)

/**
 * Whether a fill comes before a heal: for scratches, tears and the like always, for round spots where the ground has
 * structure of its own that a heal would replace by another place's (measured on open photographs).
 */
function fillsBetter(request: MendRequest, shape: Shape): boolean {
  if (shapeThickness(shape) > thickestFill(shape)) return false
  return shape.type !== 'disc' || likelyErrorOfHeal(request) > STRUCTURED
}

/** Half the width below which what was drawn or masked is no shadow worth fitting: bridging it is nearer the truth. */
const LEAST_SHADOW = 6

/** Whether a round shadow may lie under a shape: one that is drawn out or thin has another cause. */
function mayBeShadow(shape: Shape): boolean {
  if (shape.type === 'disc') return true
  const thickness = shapeThickness(shape)
  return thickness >= LEAST_SHADOW && shapeCentre(shape).r < 2.2 * thickness
}

function tryFill(request: MendRequest, shape: Shape): Trial {
  const reach = growRegion(shapeBounds(shape), fillReach(shape))
  const avoid = request.openFlaws.filter((other) => overlaps(shapeBounds(other), reach)).slice(0, MOST_AVOIDED)
  const seed = (request.skipSources ?? 0) + 1
  return measured(request, { ...makeStep(request, 'fill', shape, avoid.length > 0 ? { avoid } : {}), seed })
}

/** Most open flaws that a step remembers to leave out. */
const MOST_AVOIDED = 400

/**
 * How far a heal is likely to be from what was there, as a share of the light: the structure of the surroundings
 * between grain and the size of the flaw, twice, since that of the source comes in for that of the place.
 */
function likelyErrorOfHeal({ picture, transfer, flaw }: MendRequest): number {
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
  return Math.sqrt(2) * DEVIATION_PER_MAD * median(Float32Array.from(structure))
}

/** The same along a shape that is no disc: structure between grain and the width of the flaw, beside it, twice. */
function structureBeside({ picture, transfer }: MendRequest, shape: Shape): number {
  const thickness = shapeThickness(shape)
  const region = clipRegion(growRegion(shapeBounds(shape), Math.ceil(2 * thickness + 8)), picture.width, picture.height)
  const light = logLight(picture.read(region), transfer)
  const fine = gaussianBlur(light, 1.5).data
  const coarse = gaussianBlur(light, Math.max(3, thickness / 2)).data
  const structure: number[] = []
  distanceOutside(shape, region, 2 * thickness + 8).data.forEach((d, i) => (d > 2 && d < 2 * thickness + 6 ? structure.push(Math.abs(fine[i]! - coarse[i]!)) : 0))
  return structure.length === 0 ? 0 : Math.sqrt(2) * DEVIATION_PER_MAD * median(Float32Array.from(structure))
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

/** Fennip's words for a measured sign. */
export const TELLTALE_WORDS: Record<TelltaleName, string> = {
  leftover: 'something left over',
  toneStep: 'a step in tone',
  grain: 'grain that differs',
  repeat: 'a repeated pattern',
  brokenEdge: 'an edge that breaks',
  smear: 'a smear',
  subjectTouched: 'a guarded part touched',
  taintedSource: 'a flawed source',
}

function wordsFor(telltales: Telltales): string {
  return whatShows(telltales).map((name) => TELLTALE_WORDS[name]).join(' and ')
}

/** A lift may be given up for what no telltale says: that it leaves plain ground uneven. */
function wordsForLift({ telltales }: Trial): string {
  return wordsFor(telltales) || 'uneven ground'
}

function passes(trial: Trial): boolean {
  return trial.worst <= 1
}

function finish(trial: Trial, reason: string, method: MethodName | undefined): ChosenMend {
  const step: Step = { ...trial.step, telltales: trial.telltales, reason: method === trial.step.method ? reason.replace(/^Healed,/, 'Healed, as you asked, and') : reason, chosenBy: method ? 'hand' : 'fennip' }
  return { step, mended: trial.mended }
}

/** A found flaw is measured at half its depth, so a mend goes a little beyond; by hand the size is what was asked for. */
export function mendShape(flaw: Flaw): Shape {
  if (flaw.origin === 'hand' || flaw.shape.type !== 'disc') return flaw.shape
  const factor = flaw.kind === 'dust' ? 1.5 : 1.35
  return { ...flaw.shape, r: round(flaw.shape.r * factor + 1.5) }
}

function softEdgeOf(request: MendRequest, shape: Shape): number {
  // What was drawn or masked is meant to its edge; a disc is only about where the flaw ends.
  return request.softEdgePx ?? Math.max(1, Math.min(12, Math.round((shape.type === 'disc' ? 0.3 : 0.12) * shapeThickness(shape))))
}

function grown(shape: Shape, by: number): Shape {
  if (shape.type === 'disc') return { ...shape, r: shape.r + by }
  return shape.type === 'stroke' ? { ...shape, width: shape.width + 2 * by } : shape
}

/** Above this likely error of a heal, as a share of the light, the ground has structure of its own. */
const STRUCTURED = 0.03

/**
 * Fit a shadow, lift it, and say whether the lift is kept.
 *
 * Where the surroundings are structured, a heal invents what it puts there, and no telltale can know that it is not
 * what was there; a lift gives the real thing, a little uneven at worst. So the patience with its telltales grows with
 * how much nearer to the truth it is likely to be, and more detail inside than around is the picture's own. On plain ground
 * a heal is hardly off, and an uneven lift is seen.
 */
function tryLift(request: MendRequest): { trial: Trial; why: string; kept: boolean } | { refused: string } {
  const { flaw, picture, transfer } = request
  const centre = shapeCentre(flaw.shape)
  const start: Disc = { type: 'disc', x: centre.x, y: centre.y, r: flaw.origin === 'hand' ? Math.max(2, 0.8 * centre.r) : centre.r }
  if (start.r < 2) return { refused: 'it is too small to fit a shadow to' }
  const { expected } = request
  const own = expected
    ? fitShadow(picture, transfer, { ...start, x: expected.x, y: expected.y, r: expected.radius }, 'chart', { depth: expected.profile[0]!, spread: expected.spread })
    : fitShadow(picture, transfer, start, flaw.origin === 'hand' ? 'hand' : 'detector')
  const fit = expected && (!own || own.evidence < SPEAKS_ITSELF) ? knownShadow(expected, picture.channels) : own
  if (!fit) return { refused: 'there is no shadow to take away' }
  const errorOfHeal = likelyErrorOfHeal(request)
  const advantage = errorOfHeal / fit.uncertainty
  const structured = errorOfHeal > STRUCTURED
  const surelyDust = structured && flaw.kind === 'dust' && flaw.origin !== 'hand' && advantage > 0.5
  if (fit.evidence < LEAST_EVIDENCE && !surelyDust && request.method !== 'lift') return { refused: 'taking a shadow away does not make it calmer' }
  const plain: Shadow = roundShadow({ ...fit.shadow, damping: 0 })
  const through = leastTransmission(plain)
  if (through < (LEAST_TRANSMISSION[flaw.kind] ?? LEAST_TRANSMISSION_OTHERWISE) && request.method !== 'lift') return { refused: `only ${Math.round(100 * through)} % of the light comes through` }
  const shadow = { ...plain, damping: fitDamping(request, plain) }
  const shape: Disc = { type: 'disc', x: round(shadow.x), y: round(shadow.y), r: round(Math.max(1, outlineRadius(shadow))) }
  const step = makeStep(request, 'lift', shape, { shadow })
  const trial = measured(request, step)
  const counted = TELLTALE_NAMES.filter((name) => !(name === 'grain' && structured && trial.telltales.grain.value > 1))
  const worst = Math.max(...counted.map((name) => severity(name, trial.telltales[name])))
  const uneven = structured ? 0 : unevenness(patchedSource(picture, [trial.mended]), transfer, shape, request.openFlaws) / Math.max(UNSEEN, UNEVEN * errorOfHeal)
  const most = structured && flaw.kind === 'dust' ? Math.max(1, 2 * advantage) : 1
  return { trial: { ...trial, worst: Math.max(trial.worst, uneven) }, why: `It lets ${Math.round(100 * through)} % of the light through, so what lies under it is given back.`, kept: Math.max(worst, uneven) <= most }
}

/**
 * On plain ground, so many times the likely error of a heal is more than a lift may leave: of 118 lifts in the demo's sky and on
 * plain ground of open photographs, none of the 28 that were nearer to the truth than a heal, by a third of its error, is given
 * up for it, and of the 29 that were twice as far off eight are kept.
 */
const UNEVEN = 1.6
/** Share of the light that nobody sees: in a sky without noise, or burnt out, a heal is not off at all. */
const UNSEEN = 0.001

/**
 * How much darker than a fill says a place may be after a lift, in logarithms of the light. Where bright and dark things
 * meet, a shadow that is fitted to what hides nearly all light may look like a light one over the dark thing: of 25 such
 * lifts of opaque dust 17 stay darker than this, of 93 of dust that dims one does (on open photographs).
 */
const STAYS_DARK = 0.6

/** Whether what was called no dust hides more than a lift gave back. */
function staysDark({ flaw, picture, transfer }: MendRequest, shape: Shape, { mended }: Trial, filled: () => Trial): boolean {
  if (flaw.kind === 'dust' || shapeThickness(shape) > thickestFill(shape)) return false
  const region = clipRegion(shapeBounds(shape), picture.width, picture.height)
  const inside = distanceOutside(shape, region, 2).data
  const meanLight = (by: Mended) => {
    const light = logLight(patchedSource(picture, [by]).read(region), transfer).data
    let sum = 0
    let count = 0
    for (let i = 0; i < light.length; i++) {
      if (inside[i]! > -1.5) continue
      sum += light[i]!
      count++
    }
    return sum / Math.max(1, count)
  }
  return meanLight(filled().mended) - meanLight(mended) > STAYS_DARK
}

/** Deviations of a stain's colour below which nobody can say what it took. */
const LEAST_TINT = 2.5
/** Share of the light below which what a colour took is no stain: a shadow on toned paper changes its colour by that much. */
const LEAST_COLOUR = 0.02

/** A stain on a print of one colour is lifted whatever its telltales say: all else would put invention in place of the picture. */
function tryTint(request: MendRequest, shape: Shape): { trial: Trial; why: string } | { refused: string } {
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

/** With less evidence than this a frame says less about a shadow than other frames do. */
const SPEAKS_ITSELF = 12

/** What is known needs no evidence of its own. */
function knownShadow({ spread, ...shadow }: ExpectedShadow, channels: number): ShadowFit {
  return { shadow: { ...shadow, channels: shadow.channels.slice(0, channels) }, saving: 0, evidence: Infinity, uncertainty: spread }
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
 * it is measured: grain inside after a plain lift over grain outside. Texture was not drawn after the light was lost,
 * so only the share of the detail that is noise is damped at all.
 */
function fitDamping(request: MendRequest, shadow: Shadow): number {
  const { picture, transfer } = request
  const mended = carryOut(picture, transfer, { method: 'lift', methodVersion: CURRENT_VERSION.lift, shape: { type: 'disc', x: shadow.x, y: shadow.y, r: shadow.radius }, softEdgePx: 0, strength: 1, seed: 0, shadow })
  const wide = clipRegion(growRegion(mended.region, 8), picture.width, picture.height)
  const light = logLight(patchedSource(picture, [mended]).read(wide), transfer)
  const smooth = gaussianBlur(light, 1.5)
  const field = shadowField(shadow)
  const inside: number[] = []
  const outside: number[] = []
  const columns = Math.ceil(wide.width / CALM_BLOCK)
  const blocks = Array.from({ length: columns * Math.ceil(wide.height / CALM_BLOCK) }, (): number[] => [])
  let depth = 0
  const deepest = shadow.profile[0]!
  for (let y = 0; y < wide.height; y++) {
    for (let x = 0; x < wide.width; x++) {
      const d = field.depth(wide.x + x + 0.5, wide.y + y + 0.5)
      const detail = Math.abs(light.data[y * wide.width + x]! - smooth.data[y * wide.width + x]!)
      if (d > 0.5 * deepest) {
        inside.push(detail)
        depth += d
      } else if (d === 0) {
        outside.push(detail)
        blocks[Math.floor(y / CALM_BLOCK) * columns + Math.floor(x / CALM_BLOCK)]!.push(detail)
      }
    }
  }
  if (inside.length < 30 || outside.length < 30) return 0
  const usual = Math.max(1e-6, median(Float32Array.from(outside)))
  const ratio = median(Float32Array.from(inside)) / usual
  if (!(ratio > 1.02)) return 0
  const calm = blocks.filter((block) => block.length > CALM_BLOCK).map((block) => median(Float32Array.from(block))).sort((a, b) => a - b)
  const noise = (calm[Math.floor(calm.length / 10)] ?? usual) / CALMEST
  // ratio x exp(-depth x damping) = 1
  return round(Math.min(1, (noise * noise) / (usual * usual), ln(ratio) / Math.max(0.02, depth / inside.length)))
}

/** Side of the blocks in which noise is told from texture: the calmest hold noise alone. */
const CALM_BLOCK = 8
/** Median detail of the calmest tenth of such blocks of pure noise, over that of all (measured on normal noise). */
const CALMEST = 0.83

function tryTransplant(request: MendRequest, method: MethodName, shape: Shape, { dx, dy, mirror, turn, scale }: Source): Trial {
  const source = { dx, dy, ...(mirror ? { mirror } : {}), ...(turn ? { turn } : {}), ...(scale && scale !== 1 ? { scale } : {}) }
  return measured(request, makeStep(request, method, shape, { source }))
}

function makeStep(request: MendRequest, method: MethodName, shape: Shape, decisions: Pick<Step, 'source' | 'shadow' | 'tint' | 'pattern' | 'avoid'>): Step {
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
    ...guardsOf(request, shape),
    chosenBy: 'fennip',
    reason: '',
  }
}

function measured(request: MendRequest, step: Step): Trial {
  const { mended, telltales } = carriedOutAndMeasured(request, step)
  return { step, mended, telltales, worst: Math.max(...TELLTALE_NAMES.map((name) => severity(name, telltales[name]))) }
}

/** Telltales of a step carried out on the picture as mended so far. */
export function measureStep(request: Pick<MendRequest, 'picture' | 'transfer' | 'openFlaws' | 'guards'>, step: Step): Telltales {
  return carriedOutAndMeasured(request, step).telltales
}

function carriedOutAndMeasured(request: Pick<MendRequest, 'picture' | 'transfer' | 'openFlaws' | 'guards'>, step: Step): { mended: Mended; telltales: Telltales } {
  const mended = carryOut(request.picture, request.transfer, decisionsOf(step, request.guards))
  const telltales = measureTelltales({
    picture: patchedSource(request.picture, [mended]),
    transfer: request.transfer,
    shape: step.shape,
    ...(step.source ? { source: step.source } : {}),
    openFlaws: request.openFlaws,
    mended,
    guards: request.guards ?? [],
  })
  if (step.method !== 'lift') return { mended, telltales }
  // A lift gives back what is there, edges and structure with it: these say nothing about it.
  const { brokenEdge: _edge, smear: _smear, ...spoken } = telltales
  return { mended, telltales: spoken }
}

/** The guards that come near enough for a mend to have to stop at them. */
function guardsOf({ guards = [] }: MendRequest, shape: Shape): Pick<Step, 'guards'> {
  const reach = growRegion(shapeBounds(shape), fillReach(shape) + 40)
  const near = guards.filter((guard) => areaReaches(guard, reach)).map(({ id }) => id)
  return near.length > 0 ? { guards: near } : {}
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
