import { WASM } from './generated/membrane-wasm.js'
import { Layout, lazily, reserve } from './module.js'

/** The compiled kernel; takes addresses in bytes. */
interface Kernels {
  readonly memory: WebAssembly.Memory
  relax(surface: number, at: number, sides: number, pulls: number, weights: number, count: number, width: number, stiffness: number, over: number, sweeps: number): void
}

const compiled = lazily<Kernels>(WASM)

/** Channels that are relaxed at once; those that there are not weigh nothing. */
export const LANES = 4

/** The cells of a membrane in the order in which they are swept. */
export interface MembraneCells {
  /** Index on the grid. */
  readonly at: Int32Array
  /** Which neighbours belong to the membrane; bits: left, right, above, below. */
  readonly sides: Uint8Array
}

/** How a membrane is relaxed. */
export interface Relaxation {
  /** How strongly a neighbour draws. */
  readonly stiffness: number
  /** Factor of over-relaxation, 1..2. */
  readonly over: number
  readonly sweeps: number
}

/**
 * Relax a membrane towards what draws its cells, in place.
 *
 * @param surface  Values of the grid, LANES a cell.
 * @param width    Of the grid.
 * @param pulls    What each cell is drawn to times the say of that, LANES a cell.
 * @param weights  That say and the neighbours' together, LANES a cell; cells without any are left as they are.
 */
export function relaxMembrane(surface: Float32Array, width: number, { at, sides }: MembraneCells, pulls: Float64Array, weights: Float64Array, { stiffness, over, sweeps }: Relaxation): void {
  const { memory, relax } = compiled()
  const layout = new Layout()
  const surfaceAt = layout.claim(surface.byteLength)
  const atAt = layout.claim(at.byteLength)
  const sidesAt = layout.claim(sides.byteLength)
  const pullsAt = layout.claim(pulls.byteLength)
  const weightsAt = layout.claim(weights.byteLength)
  reserve(memory, layout.end)
  const { buffer } = memory
  const result = new Float32Array(buffer, surfaceAt, surface.length)
  result.set(surface)
  new Int32Array(buffer, atAt, at.length).set(at)
  new Uint8Array(buffer, sidesAt, sides.length).set(sides)
  new Float64Array(buffer, pullsAt, pulls.length).set(pulls)
  new Float64Array(buffer, weightsAt, weights.length).set(weights)
  relax(surfaceAt, atAt, sidesAt, pullsAt, weightsAt, at.length, width, stiffness, over, sweeps)
  surface.set(result)
}
