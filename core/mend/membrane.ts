import { LANES, relaxMembrane, type MembraneCells } from '../kernels/membrane.js'
import { DEVIATION_PER_MAD, median } from '../raster/statistics.js'

/** Known differences on a grid, and where the membrane is wanted. */
export interface MembraneProblem {
  readonly width: number
  readonly height: number
  /** Difference at each cell, one plane a channel, four at most; only cells with say count. */
  readonly differences: readonly Float32Array[]
  /** Say of a cell, 0 where the difference is unknown. */
  readonly say: Float32Array
  /** 1 where the membrane is wanted or the difference known. */
  readonly domain: Uint8Array
}

/** How stiff the membrane is against a cell with full say; spreads the noise of the ring over its neighbours. */
const STIFFNESS = 3
const ROUNDS = 3
const RELAXATION = { stiffness: STIFFNESS, over: 1.85, sweeps: 36 }

/**
 * The smoothest surface that follows known differences, except where they jump.
 *
 * Minimises the sum of say x robust(u - difference)^2 + STIFFNESS |grad u|^2 by reweighting, each round by successive
 * over-relaxation. A few cells where an edge of the picture runs through lose their say, so nothing bleeds in.
 *
 * @returns The surface on the domain, 0 elsewhere; one plane a channel.
 *
 * Perez, Gangnet and Blake 2003 (the membrane); Geman and McClure's weight for the robust boundary.
 */
export function solveMembrane({ width, height, differences, say, domain }: MembraneProblem): Float32Array[] {
  const cells = cellsOf(domain, width, height)
  const count = cells.at.length
  const surface = new Float32Array(LANES * width * height)
  const pulls = new Float64Array(LANES * count)
  // Channels that there are not are drawn to nothing by a weight of one.
  const weights = new Float64Array(LANES * count).fill(1)
  const spoken = cells.at.filter((i) => say[i]! > 0)
  const known = new Float32Array(spoken.length)
  differences.forEach((difference, c) => {
    for (let n = 0; n < spoken.length; n++) known[n] = difference[spoken[n]!]!
    const middle = median(known)
    for (let k = 0; k < count; k++) surface[LANES * cells.at[k]! + c] = middle
  })
  for (let round = 0; round < ROUNDS; round++) {
    differences.forEach((difference, c) => {
      for (let n = 0; n < spoken.length; n++) known[n] = Math.abs(difference[spoken[n]!]! - surface[LANES * spoken[n]! + c]!)
      const spread = Math.max(1e-6, 2.5 * DEVIATION_PER_MAD * median(known))
      for (let k = 0; k < count; k++) {
        const i = cells.at[k]!
        const z = (difference[i]! - surface[LANES * i + c]!) / spread
        const trust = say[i]! === 0 ? 0 : Math.fround(say[i]! / ((1 + z * z) * (1 + z * z)))
        pulls[LANES * k + c] = trust * difference[i]!
        weights[LANES * k + c] = trust + STIFFNESS * NEIGHBOURS[cells.sides[k]!]!
      }
    })
    relaxMembrane(surface, width, cells, pulls, weights, RELAXATION)
  }
  return differences.map((_difference, c) => Float32Array.from({ length: width * height }, (_value, i) => surface[LANES * i + c]!))
}

/** How many neighbours the bits stand for. */
const NEIGHBOURS = Uint8Array.from({ length: 16 }, (_value, side) => (side & 1) + ((side >> 1) & 1) + ((side >> 2) & 1) + (side >> 3))

/**
 * Cells of the domain, diagonal by diagonal: each comes after those left of it and above, as row by row, so a sweep gives
 * the same to the last bit; but those of one diagonal need not wait for each other.
 */
function cellsOf(domain: Uint8Array, width: number, height: number): MembraneCells {
  const at = new Int32Array(domain.length)
  const sides = new Uint8Array(domain.length)
  let count = 0
  for (let diagonal = 0; diagonal < width + height - 1; diagonal++) {
    for (let y = Math.max(0, diagonal - width + 1); y <= Math.min(height - 1, diagonal); y++) {
      const x = diagonal - y
      const i = y * width + x
      if (domain[i] === 0) continue
      at[count] = i
      sides[count++] = (x > 0 && domain[i - 1] ? 1 : 0) + (x + 1 < width && domain[i + 1] ? 2 : 0) + (y > 0 && domain[i - width] ? 4 : 0) + (y + 1 < height && domain[i + width] ? 8 : 0)
    }
  }
  return { at: at.subarray(0, count), sides: sides.subarray(0, count) }
}
