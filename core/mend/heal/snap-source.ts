import { clipRegion, growRegion, type PixelSource } from '../../raster/raster.js'
import { shapeBounds, shapeThickness, type Shape } from '../../shape/shape.js'
import { ringWidth } from './heal.js'
import { ringMatch } from './ring-match.js'

/** What a source is moved along: places of the same tone, or edges that go on without a break. */
export type SnapTo = 'tone' | 'edge'

/** Most pixels of the ring that are compared. */
const WITNESSES = 500
/** What a pixel of distance from where the hand let go costs, as a share of the difference that is usual. */
const DISTANCE = 0.015

/**
 * Find the place near a source where it meets what lies round its mend best.
 *
 * @param picture  As mended so far.
 * @param shape    Of the mend, soft edge included.
 * @param near     Where the hand put the source, whole pixels.
 * @param reachPx  How far the source may be moved from there.
 * @returns The source, to the pixel; `near` when nothing else fits into the picture.
 *
 * For tone the medians of the two rings are compared, so that the tone is the same without help; for an edge what is left
 * of every difference after the best match of tone, so that lines run on.
 */
export function snapSource(picture: PixelSource, shape: Shape, near: { dx: number; dy: number }, to: SnapTo, reachPx: number): { dx: number; dy: number } {
  const ring = ringWidth(Math.max(3, shapeThickness(shape)))
  const bounds = growRegion(shapeBounds(shape), ring + 1 + reachPx)
  const area = clipRegion({ ...bounds, x: bounds.x + near.dx, y: bounds.y + near.dy }, picture.width, picture.height)
  const match = area.width === 0 || area.height === 0 ? null : ringMatch(picture, shape, ring, area, WITNESSES)
  if (!match) return near
  const cost = to === 'tone' ? match.tone : match.structure
  const usual = Math.max(1e-6, cost(near.dx, near.dy) ?? 1)
  let best = near
  let least = Infinity
  for (let y = -reachPx; y <= reachPx; y++) {
    for (let x = -reachPx; x <= reachPx; x++) {
      if (x * x + y * y > reachPx * reachPx) continue
      const here = cost(near.dx + x, near.dy + y)
      if (here === null) continue
      const total = here / usual + DISTANCE * Math.sqrt(x * x + y * y)
      if (total < least) {
        least = total
        best = { dx: near.dx + x, dy: near.dy + y }
      }
    }
  }
  return best
}
