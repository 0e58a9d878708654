import { WASM } from '../generated/gaussian-wasm.js'
import { Layout, lazily, reserve } from '../module.js'

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
  const layout = new Layout()
  const source = layout.claim(data.byteLength)
  const into = layout.claim(data.byteLength)
  const across = layout.claim(data.byteLength)
  const tapsAt = layout.claim(taps.byteLength)
  const line = layout.claim(8 * (width + 2 * radius))
  reserve(memory, layout.end)
  new Float32Array(memory.buffer, source, data.length).set(data)
  new Float64Array(memory.buffer, tapsAt, taps.length).set(taps)
  filter(source, into, width, height, tapsAt, radius, across, line)
  return new Float32Array(memory.buffer, into, data.length).slice()
}
