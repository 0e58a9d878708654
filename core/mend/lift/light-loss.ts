import type { Region } from '../../raster/raster.js'
import { PROFILE_KNOTS, shadowField, type Shadow } from './shadow.js'
import { patternField, type Pattern } from './pattern.js'
import { tintField, type Tint } from './tint.js'

/** Where light was lost and how much of it, pixel by pixel: all that a lift needs to give it back. */
export interface LightLoss {
  /** No pixel outside is touched. */
  readonly region: Region
  /** Depth at a point, as -ln of the transmission with all channels at 1. */
  depth(x: number, y: number): number
  /** Depth of each channel over that. */
  readonly channels: readonly number[]
  /** Power of the transmission by which grain is damped after the lift; 0 not at all. */
  readonly damping: number
}

/** The loss behind a shadow. */
export function lossOfShadow(shadow: Shadow): LightLoss {
  const field = shadowField(shadow)
  const reach = Math.ceil(field.reach)
  return {
    region: { x: Math.floor(shadow.x) - reach, y: Math.floor(shadow.y) - reach, width: 2 * reach + 1, height: 2 * reach + 1 },
    depth: (x, y) => field.depth(x, y),
    channels: shadow.channels,
    damping: shadow.damping,
  }
}

/** The loss under a tint. */
export function lossOfTint(tint: Tint): LightLoss {
  return { ...tintField(tint), channels: tint.channels, damping: 0 }
}

/** The loss under a pattern, which also adds light. */
export function lossOfPattern(pattern: Pattern): LightLoss {
  return { ...patternField(pattern), channels: pattern.channels, damping: 0 }
}

/** A generous rectangle round a shadow and what a lift reads beside it. */
export function shadowExtent(shadow: Shadow): Region {
  const reach = Math.ceil(shadow.radius * PROFILE_KNOTS[PROFILE_KNOTS.length - 1]! * (1 + shadow.wobble.reduce((sum, size) => sum + Math.abs(size), 0))) + 8
  return { x: Math.floor(shadow.x) - reach, y: Math.floor(shadow.y) - reach, width: 2 * reach + 1, height: 2 * reach + 1 }
}
