import type { Outline } from '../shape/shape.js'

/** What is told by the whole picture and found as an area. */
export interface AreaFind<Kind extends 'loss' | 'stain' | 'flat' | 'moire'> {
  readonly kind: Kind
  readonly shape: Outline
  readonly contrast: number
  readonly weight: number
  readonly confidence: number
  /** Not measured for areas: 1, as in a plain sky. */
  readonly unrest: 1
}
