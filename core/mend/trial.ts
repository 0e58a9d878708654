import { measureTelltales, severity, TELLTALE_NAMES, whatShows } from '../check/telltales.js'
import { growRegion, type PixelSource } from '../raster/raster.js'
import type { Transfer } from '../raster/transfer.js'
import { patchedSource } from './patches/patch.js'
import { areaReaches } from '../shape/zone/area.js'
import { shapeBounds, shapeThickness, type Shape } from '../shape/shape.js'
import type { Area, Flaw, Source, Step, Telltales, TelltaleName } from '../treatment/schema.js'
import { fillReach } from './fill/fill.js'
import type { ExpectedShadow } from './lift/fit-shadow.js'
import type { Mended } from '../check/mended.js'
import { carryOut, CURRENT_VERSION, decisionsOf, type MethodName } from './methods.js'

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
  /** Whether most flaws of the mask that it belongs to are shadows (see `areShadows`). */
  readonly amongShadows?: boolean
  /** Take this source in place of a search. */
  readonly source?: Source
  /** Leave out the best so many sources: asking for another one. */
  readonly skipSources?: number
  readonly strength?: number
  readonly softEdgePx?: number
  readonly id: string
}

/** A mend that was made to be measured. */
export interface Trial {
  readonly step: Step
  readonly mended: Mended
  readonly telltales: Telltales
  /** Severity of the worst telltale: above 1 it shows. */
  readonly worst: number
}

/** Whether nothing gives a mend away. */
export function passes(trial: Trial): boolean {
  return trial.worst <= 1
}

/** How wide a mend fades, in pixels: as asked for, else by the size of the shape. */
export function softEdgeOf(request: MendRequest, shape: Shape): number {
  // What was drawn or masked is meant to its edge; a disc is only about where the flaw ends.
  return request.softEdgePx ?? Math.max(1, Math.min(12, Math.round((shape.type === 'disc' ? 0.3 : 0.12) * shapeThickness(shape))))
}

/** A step for the flaw that is asked about, current in its method, with the guards that it has to stop at; its reason is still to be given. */
export function makeStep(request: MendRequest, method: MethodName, shape: Shape, decisions: Pick<Step, 'source' | 'shadow' | 'tint' | 'pattern' | 'cover' | 'avoid'>): Step {
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

/** Carry a step out and measure its telltales. */
export function measured(request: MendRequest, step: Step): Trial {
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
  // What fills a core is a fill.
  if (step.method !== 'lift' || step.cover?.core) return { mended, telltales }
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

/** Fennip's words for a measured sign. */
const TELLTALE_WORDS: Record<TelltaleName, string> = {
  leftover: 'something left over',
  toneStep: 'a step in tone',
  grain: 'grain that differs',
  repeat: 'a repeated pattern',
  brokenEdge: 'an edge that breaks',
  smear: 'a smear',
  subjectTouched: 'a guarded part touched',
  taintedSource: 'a flawed source',
}

/** What shows, in words, joined by "and"; empty where nothing does. */
export function wordsFor(telltales: Telltales): string {
  return whatShows(telltales).map((name) => TELLTALE_WORDS[name]).join(' and ')
}
