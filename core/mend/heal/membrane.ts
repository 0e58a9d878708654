import { settleMembrane, type MembraneCells } from '../../kernels/healing/membrane.js'

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
const RELAXATION = { stiffness: STIFFNESS, over: 1.85, sweeps: 36, rounds: 3 }

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
  return settleMembrane(width, cellsOf(domain, width, height), differences, say, RELAXATION)
}

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
