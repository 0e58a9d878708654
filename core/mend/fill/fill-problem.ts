/** What is filled: values of a rectangle, and what each pixel is. */
export interface FillProblem {
  readonly width: number
  readonly height: number
  /** One plane of encoded values a channel; pixels to fill hold anything. */
  readonly channels: readonly Float32Array[]
  /** FILL, KNOWN or BARRED for each pixel. */
  readonly role: Uint8Array
}

/** As it is, to learn from. */
export const KNOWN = 0

/** To be filled. */
export const FILL = 1

/** Neither changed nor asked: outside a guard, or another flaw. */
export const BARRED = 2
