import { WASM } from '../generated/membrane-wasm.js'
import { Layout, lazily, reserve, Struct } from '../module.js'

/** The compiled kernel; takes addresses in bytes. */
interface Kernels {
  readonly memory: WebAssembly.Memory
  settle(membrane: number): void
}

const compiled = lazily<Kernels>(WASM)

/** As the kernel declares it. */
const MEMBRANE = new Struct(['stiffness', 'over'], ['surface', 'cells', 'channels', 'differences', 'say', 'at', 'sides', 'count', 'spoken', 'spokenCount', 'known', 'pulls', 'weights', 'width', 'sweeps', 'rounds'])

/** Channels that are relaxed at once; those that there are not weigh nothing. */
const LANES = 4

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
  /** How often the say of the differences is weighed anew. */
  readonly rounds: number
}

/**
 * Settle a membrane through known differences: each round those it does not meet lose say, then it is relaxed.
 *
 * @param width        Of the grid.
 * @param differences  One plane a channel, LANES at most.
 * @param say          Of each cell, 0 where the difference is unknown.
 * @returns The surface on the cells, 0 elsewhere; one plane a channel.
 */
export function settleMembrane(width: number, { at, sides }: MembraneCells, differences: readonly Float32Array[], say: Float32Array, { stiffness, over, sweeps, rounds }: Relaxation): Float32Array[] {
  const { memory, settle } = compiled()
  const spoken = at.filter((i) => say[i]! > 0)
  const cells = say.length
  const layout = new Layout()
  const surfaceAt = layout.claim(4 * LANES * cells)
  const differencesAt = layout.claim(4 * cells * differences.length)
  const sayAt = layout.claim(say.byteLength)
  const atAt = layout.claim(at.byteLength)
  const sidesAt = layout.claim(sides.byteLength)
  const spokenAt = layout.claim(spoken.byteLength)
  const knownAt = layout.claim(2 * 4 * (spoken.length + 4))
  const pullsAt = layout.claim(8 * LANES * at.length)
  const weightsAt = layout.claim(8 * LANES * at.length)
  const membraneAt = layout.claim(MEMBRANE.bytes)
  reserve(memory, layout.end)
  const { buffer } = memory
  differences.forEach((difference, c) => new Float32Array(buffer, differencesAt + 4 * cells * c, cells).set(difference))
  new Float32Array(buffer, sayAt, cells).set(say)
  new Int32Array(buffer, atAt, at.length).set(at)
  new Uint8Array(buffer, sidesAt, sides.length).set(sides)
  new Int32Array(buffer, spokenAt, spoken.length).set(spoken)
  MEMBRANE.write(buffer, membraneAt, { stiffness, over, surface: surfaceAt, cells, channels: differences.length, differences: differencesAt, say: sayAt, at: atAt, sides: sidesAt, count: at.length, spoken: spokenAt, spokenCount: spoken.length, known: knownAt, pulls: pullsAt, weights: weightsAt, width, sweeps, rounds })
  settle(membraneAt)
  const surface = new Float32Array(buffer, surfaceAt, LANES * cells)
  return differences.map((_difference, c) => {
    const plane = new Float32Array(cells)
    for (let i = 0; i < cells; i++) plane[i] = surface[LANES * i + c]!
    return plane
  })
}
