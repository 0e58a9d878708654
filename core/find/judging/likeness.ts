import { shapeCentre } from '../../shape/shape.js'
import type { Flaw } from '../../treatment/schema.js'

type Described = Pick<Flaw, 'kind' | 'shape' | 'contrast' | 'unrest'>

/** How many times larger, stronger, or more restless one of two like flaws may be. */
const SIZE = 1.7
const STRENGTH = 2
const UNREST = 3

/** Whether two flaws look the same: of one kind and tone, about as large, as strong and in surroundings as restless. */
export function looksLike(a: Described, b: Described): boolean {
  if (a.kind !== b.kind || a.shape.type !== b.shape.type) return false
  const within = (p: number, q: number, most: number) => Math.max(p, q) <= most * Math.min(p, q)
  if (a.shape.type === 'stroke' && b.shape.type === 'stroke') {
    if (!within(a.shape.width, b.shape.width, SIZE)) return false
  } else if (!within(shapeCentre(a.shape).r, shapeCentre(b.shape).r, SIZE)) return false
  // What was never measured says nothing.
  if (a.contrast !== 0 && b.contrast !== 0 && (a.contrast * b.contrast < 0 || !within(Math.abs(a.contrast), Math.abs(b.contrast), STRENGTH))) return false
  return a.unrest === undefined || b.unrest === undefined || within(Math.max(1, a.unrest), Math.max(1, b.unrest), UNREST)
}
