import { exp } from '../../numbers/exact-math.js'

/** Places on the profile of a shadow, in radii of its outline; beyond the last it casts none. */
export const PROFILE_KNOTS = [0, 0.35, 0.55, 0.7, 0.85, 1, 1.18, 1.4, 1.7] as const

/** Orders of the wobble of a shadow's outline; the second makes it an ellipse. */
export const WOBBLE_ORDERS = [2, 3, 4, 5] as const

/** A shadow of something that only dims: what `lift` was fitted to, enough to render it again without any fit. */
export interface Shadow {
  readonly x: number
  readonly y: number
  /** Mean radius of the outline in pixels. */
  readonly radius: number
  /** Wobble of the outline, as shares of the radius: cosine and sine of each order in WOBBLE_ORDERS. */
  readonly wobble: number[]
  /** Depth as -ln of the transmission at each of PROFILE_KNOTS but the last, where it is 0. */
  readonly profile: number[]
  /** Depth of each channel over that of the profile. */
  readonly channels: number[]
  /** Power of the transmission by which grain is damped after the lift; 0 not at all. */
  readonly damping: number
}

/** A shape of shadow in numbers, with room to evaluate it; made once a mend. */
export interface ShadowField {
  /** Depth at a point, -ln of the transmission with all channels at 1. */
  depth(x: number, y: number): number
  /** No pixel further from the centre than this is touched. */
  readonly reach: number
}

export function shadowField(shadow: Pick<Shadow, 'x' | 'y' | 'radius' | 'wobble' | 'profile'>): ShadowField {
  const { x: cx, y: cy, radius, wobble, profile } = shadow
  const last = PROFILE_KNOTS.length - 1
  let most = 1
  for (const size of wobble) most += Math.abs(size)
  const depth = (x: number, y: number): number => {
    const dx = x - cx
    const dy = y - cy
    const distance = Math.sqrt(dx * dx + dy * dy)
    let outline = 1
    if (distance > 1e-9) {
      const c1 = dx / distance
      const s1 = dy / distance
      let c = c1
      let s = s1
      for (let k = 0; k < WOBBLE_ORDERS.length; k++) {
        const next = c * c1 - s * s1
        s = s * c1 + c * s1
        c = next
        outline += wobble[2 * k]! * c + wobble[2 * k + 1]! * s
      }
    }
    const rho = distance / (radius * Math.max(0.3, outline))
    if (rho >= PROFILE_KNOTS[last]!) return 0
    let j = 0
    while (rho >= PROFILE_KNOTS[j + 1]!) j++
    const t = (rho - PROFILE_KNOTS[j]!) / (PROFILE_KNOTS[j + 1]! - PROFILE_KNOTS[j]!)
    return profile[j]! * (1 - t) + (j + 1 < last ? profile[j + 1]! : 0) * t
  }
  return { depth, reach: radius * PROFILE_KNOTS[last]! * most + 1 }
}

/** Share of the light that a shadow lets through where it is deepest, 0..1. */
export function leastTransmission(shadow: Shadow): number {
  return exp(-Math.max(...shadow.profile) * Math.max(...shadow.channels))
}
