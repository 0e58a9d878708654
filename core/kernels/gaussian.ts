import { WASM } from './generated/gaussian-wasm.js'
import { FIRST_ADDRESS, lazily, reserve } from './module.js'

/** The compiled kernel; takes addresses in bytes. */
interface Kernels {
  readonly memory: WebAssembly.Memory
  filter(source: number, into: number, width: number, height: number, taps: number, radius: number, across: number, line: number): void
}

const compiled = lazily<Kernels>(WASM)

/**
 * Filter a plane across and down with the same taps; beyond the edge the edge pixel is repeated.
 *
 * @param data    width x height values, row by row.
 * @param taps    An odd number of factors; the middle one is that of the pixel itself.
 * @returns A new plane; each sum is made in double precision, tap after tap.
 */
export function filterBothWays(data: Float32Array, width: number, height: number, taps: Float64Array): Float32Array {
  const { memory, filter } = compiled()
  const radius = (taps.length - 1) / 2
  const plane = (4 * data.length + 15) & ~15
  const into = FIRST_ADDRESS + plane
  const across = into + plane
  const tapsAt = across + plane
  const line = tapsAt + 8 * taps.length
  reserve(memory, line + 8 * (width + 2 * radius))
  new Float32Array(memory.buffer, FIRST_ADDRESS, data.length).set(data)
  new Float64Array(memory.buffer, tapsAt, taps.length).set(taps)
  filter(FIRST_ADDRESS, into, width, height, tapsAt, radius, across, line)
  return new Float32Array(memory.buffer, into, data.length).slice()
}
