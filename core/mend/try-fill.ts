import { growRegion, overlaps } from '../raster/raster.js'
import { shapeBounds, type Shape } from '../shape/shape.js'
import { fillReach } from './fill/fill.js'
import { makeStep, measured, type MendRequest, type Trial } from './trial.js'

/** Half the width up to which a fill is tried unasked: of what lies deeper inside, the surroundings say nothing. */
export const thickestFill = (shape: Shape) => (shape.type === 'disc' ? 12 : 40)

/** Most open flaws that a step remembers to leave out. */
export const MOST_AVOIDED = 400

/** Fill a shape from all that is around it, but not from open flaws. */
export function tryFill(request: MendRequest, shape: Shape): Trial {
  const reach = growRegion(shapeBounds(shape), fillReach(shape))
  const avoid = request.openFlaws.filter((other) => overlaps(shapeBounds(other), reach)).slice(0, MOST_AVOIDED)
  const seed = (request.skipSources ?? 0) + 1
  return measured(request, { ...makeStep(request, 'fill', shape, avoid.length > 0 ? { avoid } : {}), seed })
}
