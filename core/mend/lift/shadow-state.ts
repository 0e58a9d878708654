import { PROFILE_KNOTS, WOBBLE_ORDERS } from './shadow.js'

/** A shadow as unknowns in a row: centre, radius, wobbles of the outline, then the heights of the profile but the last, which is 0. */
export const HEIGHTS = PROFILE_KNOTS.length - 1
const WOBBLES = 2 * WOBBLE_ORDERS.length
export const GEOMETRY = 3 + WOBBLES
export const PARAMETERS = GEOMETRY + HEIGHTS

/** A first guess at the profile, as shares of its depth. */
export const FIRST_PROFILE = [1, 1, 0.95, 0.85, 0.65, 0.38, 0.14, 0.03]

/** Depth of the shadow of a state at every pixel, and its derivatives when wanted (pixel by pixel, PARAMETERS each). */
export function evaluate(state: Float64Array, width: number, height: number, field: Float32Array, derivatives: Float32Array | null): void {
  const cx = state[0]!
  const cy = state[1]!
  const radius = state[2]!
  const end = PROFILE_KNOTS[HEIGHTS]!
  derivatives?.fill(0)
  for (let y = 0; y < height; y++) {
    for (let x = 0; x < width; x++) {
      const i = y * width + x
      const dx = x + 0.5 - cx
      const dy = y + 0.5 - cy
      const distance = Math.sqrt(dx * dx + dy * dy) + 1e-9
      const c1 = dx / distance
      const s1 = dy / distance
      let c = c1
      let s = s1
      let outline = 1
      for (let k = 0; k < WOBBLES; k += 2) {
        const next = c * c1 - s * s1
        s = s * c1 + c * s1
        c = next
        outline += state[3 + k]! * c + state[4 + k]! * s
      }
      outline = Math.max(0.3, outline)
      const rho = distance / (radius * outline)
      if (rho >= end) {
        field[i] = 0
        continue
      }
      let j = 0
      while (rho >= PROFILE_KNOTS[j + 1]!) j++
      const span = PROFILE_KNOTS[j + 1]! - PROFILE_KNOTS[j]!
      const t = (rho - PROFILE_KNOTS[j]!) / span
      const low = state[GEOMETRY + j]!
      const high = j + 1 < HEIGHTS ? state[GEOMETRY + j + 1]! : 0
      field[i] = low * (1 - t) + high * t
      if (!derivatives) continue
      const at = i * PARAMETERS
      derivatives[at + GEOMETRY + j] = 1 - t
      if (j + 1 < HEIGHTS) derivatives[at + GEOMETRY + j + 1] = t
      const slope = (high - low) / span
      derivatives[at] = (-slope * c1) / (radius * outline)
      derivatives[at + 1] = (-slope * s1) / (radius * outline)
      derivatives[at + 2] = (-slope * rho) / radius
      const common = (-slope * rho) / outline
      c = c1
      s = s1
      for (let k = 0; k < WOBBLES; k += 2) {
        const next = c * c1 - s * s1
        s = s * c1 + c * s1
        c = next
        derivatives[at + 3 + k] = common * c
        derivatives[at + 4 + k] = common * s
      }
    }
  }
}
