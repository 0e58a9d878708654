import { DEVIATION_PER_MAD, median } from '../raster/statistics.js'

/** Known differences on a grid, and where the membrane is wanted. */
export interface MembraneProblem {
  readonly width: number
  readonly height: number
  /** Difference at each cell; only cells with say count. */
  readonly difference: Float32Array
  /** Say of a cell, 0 where the difference is unknown. */
  readonly say: Float32Array
  /** 1 where the membrane is wanted or the difference known. */
  readonly domain: Uint8Array
}

/** How stiff the membrane is against a cell with full say; spreads the noise of the ring over its neighbours. */
const STIFFNESS = 3
const ROUNDS = 3
const SWEEPS = 36
const RELAXATION = 1.85

/**
 * The smoothest surface that follows known differences, except where they jump.
 *
 * Minimises the sum of say x robust(u - difference)^2 + STIFFNESS |grad u|^2 by reweighting, each round by successive
 * over-relaxation. A few cells where an edge of the picture runs through lose their say, so nothing bleeds in.
 *
 * @returns The surface on the domain, 0 elsewhere.
 *
 * Perez, Gangnet and Blake 2003 (the membrane); Geman and McClure's weight for the robust boundary.
 */
export function solveMembrane(problem: MembraneProblem): Float32Array {
  const { width, height, difference, say, domain } = problem
  const surface = new Float32Array(width * height)
  const known = new Float32Array(width * height)
  let n = 0
  for (let i = 0; i < known.length; i++) if (say[i]! > 0) known[n++] = difference[i]!
  const middle = median(known, n)
  for (let i = 0; i < surface.length; i++) if (domain[i]) surface[i] = middle
  const trust = new Float32Array(width * height)
  for (let round = 0; round < ROUNDS; round++) {
    n = 0
    for (let i = 0; i < known.length; i++) if (say[i]! > 0) known[n++] = Math.abs(difference[i]! - surface[i]!)
    const spread = Math.max(1e-6, 2.5 * DEVIATION_PER_MAD * median(known, n))
    for (let i = 0; i < trust.length; i++) {
      const z = (difference[i]! - surface[i]!) / spread
      trust[i] = say[i]! === 0 ? 0 : say[i]! / ((1 + z * z) * (1 + z * z))
    }
    for (let sweep = 0; sweep < SWEEPS; sweep++) relax(surface, trust, difference, domain, width, height)
  }
  return surface
}

function relax(surface: Float32Array, trust: Float32Array, difference: Float32Array, domain: Uint8Array, width: number, height: number): void {
  for (let y = 0; y < height; y++) {
    for (let x = 0; x < width; x++) {
      const i = y * width + x
      if (!domain[i]) continue
      let sum = trust[i]! * difference[i]!
      let weight = trust[i]!
      if (x > 0 && domain[i - 1]) { sum += STIFFNESS * surface[i - 1]!; weight += STIFFNESS }
      if (x + 1 < width && domain[i + 1]) { sum += STIFFNESS * surface[i + 1]!; weight += STIFFNESS }
      if (y > 0 && domain[i - width]) { sum += STIFFNESS * surface[i - width]!; weight += STIFFNESS }
      if (y + 1 < height && domain[i + width]) { sum += STIFFNESS * surface[i + width]!; weight += STIFFNESS }
      if (weight > 0) surface[i]! += RELAXATION * (sum / weight - surface[i]!)
    }
  }
}
