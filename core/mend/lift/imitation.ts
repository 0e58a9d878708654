import { PI, cos, sin } from '../../numbers/exact-math.js'
import { crop, type Plane } from '../../raster/raster.js'
import { measureStrength } from './gradient-loss.js'
import { evaluate, FIRST_PROFILE, GEOMETRY, PARAMETERS } from './shadow-state.js'

/** Directions in which the surroundings are asked what they imitate. */
const PLACES = 24

/**
 * How much more a shadow's answer scatters over the surroundings than noise from pixel to pixel would make it.
 *
 * Texture hangs together over many pixels, so a fit that takes every gradient for a new witness believes it far too
 * much. The same round shadow is asked for at places all round; the variance of the strengths over the variance that
 * independent gradients would give is what every piece of evidence is worth less. 1 in a sky.
 */
export function measureImitation(plane: Plane, centre: { x: number; y: number; r: number }): number {
  const ratios: number[] = []
  const half = Math.ceil(2 * centre.r + 2)
  const size = 2 * half
  const state = new Float64Array(PARAMETERS)
  state.set(FIRST_PROFILE, GEOMETRY)
  state[2] = centre.r
  const field = new Float32Array(size * size)
  for (let k = 0; k < PLACES; k++) {
    const angle = (2 * PI * (k + 0.5 * (k % 2))) / PLACES
    const distance = (k % 2 === 0 ? 2.6 : 3.2) * centre.r + 2
    const x = centre.x + distance * cos(angle)
    const y = centre.y + distance * sin(angle)
    const left = Math.floor(x) - half
    const top = Math.floor(y) - half
    if (left < 0 || top < 0 || left + size > plane.width || top + size > plane.height) continue
    const piece = crop({ ...plane, channels: 1 }, { x: left, y: top, width: size, height: size }).data as Float32Array
    state[0] = x - left
    state[1] = y - top
    evaluate(state, size, size, field, null)
    const { strength, deviation } = measureStrength(piece, field, size, size)
    ratios.push(Math.abs(strength) / deviation)
  }
  if (ratios.length < 5) return 1
  // Texture has heavy tails, which a median would not see; four of five normal deviates lie within 1.28.
  ratios.sort((a, b) => a - b)
  const spread = ratios[Math.floor(0.8 * ratios.length)]! / 1.28
  return Math.max(1, Math.min(400, spread * spread))
}
