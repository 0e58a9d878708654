import { Type } from '@sinclair/typebox'
import { defineGeometry } from '../operations/operation.js'

interface Lens { readonly k1: number; readonly k2: number }

/**
 * Distortion of a lens undone: a place lies at r (1 + k1 r² + k2 r⁴) in the distorted picture, r from the middle in
 * halves of the diagonal (Brown 1966, "Decentering distortion of lenses", the radial terms).
 */
export const lens = defineGeometry<Lens>({
  name: 'lens',
  version: 1,
  stage: 'finish',
  form: 'geometry',
  title: 'Lens',
  trouble: 'Straight lines bend outward or inward',
  settings: Type.Object({
    k1: Type.Number({ title: 'Bend', minimum: -0.4, maximum: 0.4, default: 0, step: 0.002, description: 'First radial coefficient; below 0 for lines that bend outward.' }),
    k2: Type.Number({ title: 'Bend at the corners', minimum: -0.4, maximum: 0.4, default: 0, step: 0.002, description: 'Second radial coefficient.' }),
  }, { additionalProperties: false }),
  sentence: 'Lens straightened by {k1}, {k2}',
  size: (before) => before,
  toSource({ k1, k2 }, { width, height }) {
    const [mx, my] = [width / 2, height / 2]
    const unit = 1 / (mx * mx + my * my)
    return (x, y) => {
      const [dx, dy] = [x - mx, y - my]
      const r2 = (dx * dx + dy * dy) * unit
      const factor = 1 + r2 * (k1 + k2 * r2)
      return [mx + dx * factor, my + dy * factor]
    }
  },
})
