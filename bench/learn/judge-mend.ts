import { severity, TELLTALE_NAMES } from '@fennip/core/check/telltales.js'
import { clipRegion, crop, growRegion, type IntegerRaster } from '@fennip/core/raster/raster.js'
import { shapeBounds, type Shape } from '@fennip/core/shape/shape.js'
import type { Telltales } from '@fennip/core/treatment/schema.js'
import { measureMask } from '../measure.js'

/** What the truth says of a mend, and what its telltales say. */
export interface Judged {
  readonly method: string
  readonly kind: string
  /** By the truth. */
  readonly shows: boolean
  /** The same, but grain as strong as the truth's own in this place is taken for good. */
  readonly strange: boolean
  /** Of tone and structure, in deviations of the surroundings. */
  readonly error: number
  readonly grain: number
  readonly trueGrain: number
  readonly telltales: Telltales
}

/** How far round a mend anything is measured, in pixels. */
const AROUND = 24

/**
 * Judge a mend by the clean picture.
 *
 * It shows when tone and structure (after a Gaussian of 1.5 px) are off by more than 2 deviations of the surroundings, or
 * when its grain is outside 0.85 to 1.15 of theirs, widened to three standard errors.
 *
 * @param mask       1 where the mend lies.
 * @param telltales  What was measured of it without the truth.
 */
export function judgeMend(kind: string, method: string, shape: Shape, mask: Uint8Array, clean: IntegerRaster, mended: IntegerRaster, telltales: Telltales): Judged {
  const part = clipRegion(growRegion(shapeBounds(shape), AROUND), clean.width, clean.height)
  const within = Uint8Array.from({ length: part.width * part.height }, (_value, i) => mask[(part.y + Math.floor(i / part.width)) * clean.width + part.x + (i % part.width)]!)
  const result = measureMask(within, crop(clean, part), crop(mended, part))
  const deviation = Math.max(0.15, Math.sqrt(result.grainOutside / result.outsidePixels))
  const error = Math.sqrt(result.squareError / result.pixels) / deviation
  const grain = Math.sqrt(result.grainInside / result.pixels) / deviation
  const trueGrain = Math.sqrt(measureMask(within, crop(clean, part), crop(clean, part)).grainInside / result.pixels) / deviation
  const band = Math.max(0.15, 3 / Math.sqrt(result.pixels * clean.channels))
  const outOfBand = Math.abs(grain - 1) > band
  return { kind, method, error, grain, trueGrain, shows: error > 2 || outOfBand, strange: error > 2 || (outOfBand && Math.abs(grain / trueGrain - 1) > band), telltales }
}

/** How far the worst telltale is over its limit. */
export const worstTelltale = ({ telltales }: Judged): number => Math.max(...TELLTALE_NAMES.map((name) => severity(name, telltales[name])))
