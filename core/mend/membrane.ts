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
  const cells = cellsOf(domain, width, height)
  const pulls = new Float64Array(cells.at.length)
  const weights = new Float64Array(cells.at.length)
  for (let round = 0; round < ROUNDS; round++) {
    n = 0
    for (let i = 0; i < known.length; i++) if (say[i]! > 0) known[n++] = Math.abs(difference[i]! - surface[i]!)
    const spread = Math.max(1e-6, 2.5 * DEVIATION_PER_MAD * median(known, n))
    for (let i = 0; i < trust.length; i++) {
      const z = (difference[i]! - surface[i]!) / spread
      trust[i] = say[i]! === 0 ? 0 : say[i]! / ((1 + z * z) * (1 + z * z))
    }
    cells.at.forEach((i, k) => {
      pulls[k] = trust[i]! * difference[i]!
      weights[k] = trust[i]! + STIFFNESS * cells.neighbours[k]!
    })
    for (let sweep = 0; sweep < SWEEPS; sweep++) relax(surface, cells, pulls, weights, width)
  }
  return surface
}

/** The cells of the domain row by row, and how many of the four neighbours of each belong to it. */
interface Cells {
  readonly at: Int32Array
  readonly neighbours: Uint8Array
  /** Bits: left, right, above, below. */
  readonly sides: Uint8Array
}

const ALL_SIDES = 15

function cellsOf(domain: Uint8Array, width: number, height: number): Cells {
  const at = Int32Array.from(domain.keys()).filter((i) => domain[i] === 1)
  const sides = Uint8Array.from(at, (i) => {
    const x = i % width
    const y = (i - x) / width
    return (x > 0 && domain[i - 1] ? 1 : 0) + (x + 1 < width && domain[i + 1] ? 2 : 0) + (y > 0 && domain[i - width] ? 4 : 0) + (y + 1 < height && domain[i + width] ? 8 : 0)
  })
  return { at, sides, neighbours: sides.map((side) => (side & 1) + ((side >> 1) & 1) + ((side >> 2) & 1) + (side >> 3)) }
}

/** One sweep of successive over-relaxation. */
function relax(surface: Float32Array, { at, sides }: Cells, pulls: Float64Array, weights: Float64Array, width: number): void {
  for (let k = 0; k < at.length; k++) {
    const weight = weights[k]!
    if (weight <= 0) continue
    const i = at[k]!
    const side = sides[k]!
    let sum = pulls[k]!
    if (side === ALL_SIDES) sum = sum + STIFFNESS * surface[i - 1]! + STIFFNESS * surface[i + 1]! + STIFFNESS * surface[i - width]! + STIFFNESS * surface[i + width]!
    else {
      if (side & 1) sum += STIFFNESS * surface[i - 1]!
      if (side & 2) sum += STIFFNESS * surface[i + 1]!
      if (side & 4) sum += STIFFNESS * surface[i - width]!
      if (side & 8) sum += STIFFNESS * surface[i + width]!
    }
    surface[i]! += RELAXATION * (sum / weight - surface[i]!)
  }
}
