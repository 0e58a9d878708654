import type { Plane } from '../../raster/raster.js'
import { WASM } from '../generated/extremes-wasm.js'
import { Layout, lazily, reserve } from '../module.js'

interface Kernels {
  readonly memory: WebAssembly.Memory
  squareExtreme(plane: number, across: number, width: number, height: number, radius: number, sign: number, room: number): void
  leastAcross(plane: number, across: number, width: number, height: number, radius: number, sign: number, room: number): void
  leastOfShifted(into: number, plane: number, width: number, height: number, shift: number): void
}

const compiled = lazily<Kernels>(WASM)

/** Least or greatest value of a neighbourhood. */
export type Extreme = 'least' | 'greatest'
/** The greatest value is the least of the negatives, negated. */
const SIGN = { least: 1, greatest: -1 } as const
/** Bytes of a row with all that lies within the radius beside it. */
const longerRow = (width: number, radius: number) => 4 * (width + 2 * radius + 8)

/**
 * Running minimum or maximum over a square; time hardly grows with the radius.
 *
 * @param plane   Any values but NaN; beyond the edge there is nothing.
 * @param radius  Half side of the square in whole pixels, 0 or more: the square is 2 radius + 1 wide.
 * @returns A new plane of the same size.
 *
 * van Herk 1992; Gil and Werman 1993: a column is cut into runs as long as the window, the extreme of any window is that of
 * the end of one run and the beginning of the next. Along a row the window is doubled until two of them make it.
 */
export function squareExtreme({ width, height, data }: Plane, radius: number, which: Extreme): Plane {
  if (radius === 0) return { width, height, data: data.slice() }
  const kernels = compiled()
  const layout = new Layout()
  const [plane, across, room] = [layout.claim(data.byteLength), layout.claim(data.byteLength), layout.claim(4 * (2 * radius + 3) * width + longerRow(width, radius))]
  reserve(kernels.memory, layout.end)
  new Float32Array(kernels.memory.buffer, plane, data.length).set(data)
  kernels.squareExtreme(plane, across, width, height, radius, SIGN[which], room)
  return { width, height, data: new Float32Array(kernels.memory.buffer, plane, data.length).slice() }
}

/**
 * Minimum or maximum over a disc, chord by chord: time grows with the radius.
 *
 * @param plane   Any values but NaN; beyond the edge there is nothing.
 * @param radius  In pixels, may be a fraction.
 * @returns A new plane of the same size.
 */
export function discExtreme({ width, height, data }: Plane, radius: number, which: Extreme): Plane {
  const kernels = compiled()
  const whole = Math.floor(radius)
  const layout = new Layout()
  const [plane, across, into, room] = [layout.claim(data.byteLength), layout.claim(data.byteLength), layout.claim(data.byteLength), layout.claim(longerRow(width, whole))]
  reserve(kernels.memory, layout.end)
  new Float32Array(kernels.memory.buffer, plane, data.length).set(data)
  new Float32Array(kernels.memory.buffer, into, data.length).fill(Infinity)
  let known = -1
  for (let dy = whole; dy >= 0; dy--) {
    const chord = Math.floor(Math.sqrt(Math.max(0, radius * radius - dy * dy)))
    if (chord !== known) kernels.leastAcross(plane, across, width, height, chord, SIGN[which], room)
    known = chord
    for (const shift of dy === 0 ? [0] : [-dy, dy]) kernels.leastOfShifted(into, across, width, height, shift)
  }
  return { width, height, data: new Float32Array(kernels.memory.buffer, into, data.length).map((value) => SIGN[which] * value) }
}
