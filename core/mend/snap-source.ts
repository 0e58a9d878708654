import { clipRegion, growRegion, type PixelSource } from '../raster/raster.js'
import { median } from '../raster/statistics.js'
import { distanceOutside, shapeBounds, shapeThickness, type Shape } from '../shape/shape.js'
import { ringWidth } from './heal.js'

/** What a source is moved along: places of the same tone, or edges that go on without a break. */
export type SnapTo = 'tone' | 'edge'

/** Most pixels of the ring that are compared. */
const MOST_WITNESSES = 500
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
 * Compared are the pixels of the ring round the mend with those of the ring round the source: for tone their medians, so
 * that the tone is the same without help; for an edge what is left of every difference after the best match of tone, so
 * that lines run on.
 */
export function snapSource(picture: PixelSource, shape: Shape, near: { dx: number; dy: number }, to: SnapTo, reachPx: number): { dx: number; dy: number } {
  const ring = ringWidth(Math.max(3, shapeThickness(shape)))
  const here = clipRegion(growRegion(shapeBounds(shape), ring + 1), picture.width, picture.height)
  const distance = distanceOutside(shape, here, ring + 1).data
  const all: number[] = []
  distance.forEach((d, i) => (d > 0.5 && d < ring ? all.push(i) : 0))
  const witnesses = all.filter((_i, k) => k % Math.ceil(all.length / MOST_WITNESSES) === 0)
  const wide = clipRegion({ ...growRegion(here, reachPx), x: here.x - reachPx + near.dx, y: here.y - reachPx + near.dy }, picture.width, picture.height)
  if (witnesses.length < 6 || wide.width < here.width || wide.height < here.height) return near
  const { channels } = picture
  const place = picture.read(here)
  const around = picture.read(wide)
  const differences = new Float32Array(witnesses.length)
  const costAt = (dx: number, dy: number): number | null => {
    const left = here.x + dx - wide.x
    const top = here.y + dy - wide.y
    if (left < 0 || top < 0 || left + here.width > wide.width || top + here.height > wide.height) return null
    let cost = 0
    for (let c = 0; c < channels; c++) {
      for (let k = 0; k < witnesses.length; k++) {
        const i = witnesses[k]!
        const x = i % here.width
        const y = (i - x) / here.width
        differences[k] = place.data[i * channels + c]! - around.data[((top + y) * wide.width + left + x) * channels + c]!
      }
      const offset = median(differences.slice())
      if (to === 'tone') cost += Math.abs(offset)
      else for (let k = 0; k < differences.length; k++) cost += Math.abs(differences[k]! - offset) / differences.length
    }
    return cost
  }
  const usual = Math.max(1e-6, costAt(near.dx, near.dy) ?? 1)
  let best = near
  let least = Infinity
  for (let y = -reachPx; y <= reachPx; y++) {
    for (let x = -reachPx; x <= reachPx; x++) {
      if (x * x + y * y > reachPx * reachPx) continue
      const cost = costAt(near.dx + x, near.dy + y)
      if (cost === null) continue
      const total = cost / usual + DISTANCE * Math.sqrt(x * x + y * y)
      if (total < least) {
        least = total
        best = { dx: near.dx + x, dy: near.dy + y }
      }
    }
  }
  return best
}
