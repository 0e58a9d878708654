import { fillReach } from '../fill/fill.js'
import { growRegion, overlaps } from '../../raster/raster.js'
import { areaBounds, liesWithin } from '../../shape/zone/area.js'
import { shapeBounds } from '../../shape/shape.js'
import { sourceShape } from '../../shape/donor.js'
import type { Area, Operation, Step, Treatment } from '../../treatment/schema.js'

/** The areas that mends stop at. */
export function guardsOf(treatment: Pick<Treatment, 'areas'>): Area[] {
  return (treatment.areas ?? []).filter((area) => area.role === 'guard')
}

/**
 * The gesture that puts an area into a treatment, or in place of one of the same id.
 *
 * Mends that come near a guard stop at it from then on. A mend that lies wholly inside was made on purpose before there
 * was a guard: it stays as it is.
 */
export function putArea(treatment: Treatment, area: Area): Operation[] {
  const changed = treatment.steps.flatMap((step) => {
    const guards = step.guards ?? []
    const wanted = area.role === 'guard' && comesNear(step, area) && !liesWithin(step.shape, [area])
    return wanted === guards.includes(area.id) ? [] : [withGuards(step, wanted ? [...guards, area.id] : guards.filter((id) => id !== area.id))]
  })
  return [{ type: 'put', list: 'areas', items: [area] }, ...(changed.length > 0 ? [{ type: 'put', list: 'steps', items: changed } as Operation] : [])]
}

/** The gesture that takes an area away, and releases the mends that stopped at it. */
export function removeArea(treatment: Treatment, id: string): Operation[] {
  const released = treatment.steps.filter((step) => step.guards?.includes(id)).map((step) => withGuards(step, step.guards!.filter((guard) => guard !== id)))
  return [...(released.length > 0 ? [{ type: 'put', list: 'steps', items: released } as Operation] : []), { type: 'remove', list: 'areas', ids: [id] }]
}

/** Whether a step may read or write what an area covers; generously. */
function comesNear(step: Step, area: Area): boolean {
  const bounds = areaBounds(area)
  const margin = fillReach(step.shape) + step.softEdgePx + 40
  return overlaps(growRegion(shapeBounds(step.shape), margin), bounds) || (step.source !== undefined && overlaps(growRegion(shapeBounds(sourceShape(step.shape, step.source)), margin), bounds))
}

function withGuards(step: Step, guards: string[]): Step {
  const { guards: _before, ...rest } = step
  return guards.length > 0 ? { ...rest, guards } : rest
}
