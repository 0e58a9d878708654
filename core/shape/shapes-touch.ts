import { overlaps } from '../raster/raster.js'
import { shapeBounds, type Shape } from './shape.js'

/** Whether two shapes share ground, by the discs round them. */
export function shapesTouch(a: Shape, b: Shape): boolean {
  if (!overlaps(shapeBounds(a), shapeBounds(b))) return false
  if (a.type !== 'disc' || b.type !== 'disc') return true
  return (a.x - b.x) * (a.x - b.x) + (a.y - b.y) * (a.y - b.y) < (a.r + b.r) * (a.r + b.r)
}
