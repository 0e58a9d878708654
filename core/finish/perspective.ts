import { Type } from '@sinclair/typebox'
import { defineGeometry } from '../operations/operation.js'

type Corner = readonly [number, number]
interface Perspective { readonly corners: readonly Corner[] }

/** A print that was photographed at an angle: its four corners become the corners of the picture (a homography). */
export const perspective = defineGeometry<Perspective>({
  name: 'perspective',
  version: 1,
  stage: 'finish',
  form: 'geometry',
  title: 'Corners',
  trouble: 'The print was photographed at an angle',
  settings: Type.Object({
    corners: Type.Array(Type.Tuple([Type.Number({ minimum: -1e5, maximum: 1e5 }), Type.Number({ minimum: -1e5, maximum: 1e5 })]), { title: 'Corners', maxItems: 4, default: [], description: 'Top left, top right, bottom right, bottom left, in pixels; none leaves the picture as it is.' }),
  }, { additionalProperties: false }),
  sentence: 'Straightened from {corners}',
  size: (before, { corners }) => {
    if (corners.length < 4) return before
    const side = (a: number, b: number) => {
      const [dx, dy] = [corners[a]![0] - corners[b]![0], corners[a]![1] - corners[b]![1]]
      return Math.sqrt(dx * dx + dy * dy)
    }
    return { width: Math.max(1, Math.round(Math.max(side(0, 1), side(3, 2)))), height: Math.max(1, Math.round(Math.max(side(0, 3), side(1, 2)))) }
  },
  toSource({ corners }, _before, after) {
    if (corners.length < 4) return (x, y) => [x, y]
    const h = squareToQuad(corners)
    return (x, y) => {
      const [u, v] = [x / after.width, y / after.height]
      const w = h[6]! * u + h[7]! * v + 1
      return [(h[0]! * u + h[1]! * v + h[2]!) / w, (h[3]! * u + h[4]! * v + h[5]!) / w]
    }
  },
})

/** Projective mapping of the unit square to a quadrilateral (Heckbert 1989, "Fundamentals of texture mapping", 2.2.3). */
function squareToQuad(corners: readonly Corner[]): number[] {
  const [[x0, y0], [x1, y1], [x2, y2], [x3, y3]] = corners as [Corner, Corner, Corner, Corner]
  const [dx1, dx2, sx] = [x1 - x2, x3 - x2, x0 - x1 + x2 - x3]
  const [dy1, dy2, sy] = [y1 - y2, y3 - y2, y0 - y1 + y2 - y3]
  const determinant = dx1 * dy2 - dx2 * dy1
  const g = determinant === 0 ? 0 : (sx * dy2 - dx2 * sy) / determinant
  const h = determinant === 0 ? 0 : (dx1 * sy - sx * dy1) / determinant
  return [x1 - x0 + g * x1, x3 - x0 + h * x3, x0, y1 - y0 + g * y1, y3 - y0 + h * y3, y0, g, h]
}

