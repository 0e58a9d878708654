import { strokeContour, type Shape } from '@fennip/core/shape/shape.js'
import type { Sight } from './sight.js'

/** The contour of a shape as the data of an SVG path, where it lies in the view. */
export function pathOf(shape: Shape, { scale, x, y }: Sight): string {
  const at = (px: number, py: number) => `${(px * scale + x).toFixed(1)} ${(py * scale + y).toFixed(1)}`
  if (shape.type === 'disc') {
    const r = Math.max(2.5, shape.r * scale).toFixed(1)
    return `M${at(shape.x, shape.y)}m-${r} 0a${r} ${r} 0 1 0 ${2 * Number(r)} 0a${r} ${r} 0 1 0 -${2 * Number(r)} 0`
  }
  const ring = (points: readonly [number, number][]) => `M${points.map(([px, py]) => at(px, py)).join('L')}Z`
  if (shape.type === 'outline') return [shape.points, ...(shape.holes ?? [])].map(ring).join('')
  // A hairline of a stroke still needs two sides that can be told apart.
  return ring(strokeContour({ ...shape, width: Math.max(shape.width, 3 / scale) }))
}
