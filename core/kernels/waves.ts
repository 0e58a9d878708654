import { turnTable } from '../raster/fourier.js'
import { WASM } from './generated/waves-wasm.js'
import { Layout, lazily, reserve } from './module.js'

/** The compiled kernel; takes addresses in bytes. */
interface Kernels {
  readonly memory: WebAssembly.Memory
  continueWindow(side: number, stride: number, band: number, channels: number, planes: number, spare: number, turns: number, reversed: number, spectrum: number, left: number, prior: number, most: number, share: number, least: number, waves: number, places: number, count: number, into: number): void
}

const compiled = lazily<Kernels>(WASM)

/** What is seen of a square, side x side numbers a plane, row by row. */
export interface SeenWindow {
  /** A power of two, at least 8. */
  readonly side: number
  /** How much each pixel has to say, 0 where nothing is known. */
  readonly weights: Float64Array
  /** Value x weight, one plane a channel. */
  readonly weighted: readonly Float64Array[]
}

/** When to stop. */
export interface WaveLimits {
  /** Waves at most; one frequency may be chosen more than once. */
  readonly most: number
  /** Of a wave's amplitude that is taken at once, 0..1: waves seen through weights are not at right angles. */
  readonly share: number
  /** Stops below this share of the first wave's energy. */
  readonly least: number
}

/**
 * Continue what is seen of a window by a sparse sum of waves, chosen greedily so that it comes near to what is known.
 *
 * @param window  What is seen.
 * @param prior   How likely each frequency is, row by row for columns 0 to side / 2. What is never chosen costs no time.
 * @param limits  When to stop.
 * @param places  Where the sum is wanted, as y x side + x.
 * @returns Values at these places, place after place, channel after channel.
 */
export function continueWindow({ side, weights, weighted }: SeenWindow, prior: Float32Array, { most, share, least }: WaveLimits, places: Int32Array): Float64Array {
  const { memory, continueWindow: run } = compiled()
  const half = side / 2 + 1
  const { columns, band } = extentOf(prior, side)
  const stride = Math.ceil(columns / 4) * 4
  const channels = weighted.length
  const square = side * side
  const pairs = (channels + 2) >> 1
  const layout = new Layout()
  const planesAt = layout.claim(8 * 2 * pairs * square)
  const spareAt = layout.claim(8 * 2 * square)
  const turnsAt = layout.claim(8 * 2 * side)
  const reversedAt = layout.claim(4 * side)
  const spectrumAt = layout.claim(4 * 8 * square)
  const leftAt = layout.claim(4 * 2 * channels * side * stride)
  const priorAt = layout.claim(4 * side * stride)
  const wavesAt = layout.claim(4 * (2 + 2 * channels) * most + 64)
  const placesAt = layout.claim(4 * places.length)
  const intoAt = layout.claim(8 * channels * places.length)
  reserve(memory, layout.end)
  const planes = new Float64Array(memory.buffer, planesAt, 2 * pairs * square)
  weighted.forEach((plane, c) => planes.set(plane, c * square))
  planes.set(weights, channels * square)
  const { cosines, sines, reversed } = turnTable(side)
  const turns = new Float64Array(memory.buffer, turnsAt, 2 * side)
  turns.set(cosines)
  turns.set(sines, side)
  new Int32Array(memory.buffer, reversedAt, side).set(reversed)
  const likely = new Float32Array(memory.buffer, priorAt, side * stride)
  likely.fill(0)
  for (let y = 0; y < side; y++) likely.set(prior.subarray(y * half, y * half + Math.min(half, stride)), y * stride)
  new Int32Array(memory.buffer, placesAt, places.length).set(places)
  run(side, stride, band, channels, planesAt, spareAt, turnsAt, reversedAt, spectrumAt, leftAt, priorAt, most, share, least, wavesAt, placesAt, places.length, intoAt)
  // Twice the real part of each wave: its mirror image has the other half.
  return new Float64Array(memory.buffer, intoAt, channels * places.length).map((half) => 2 * half)
}

/** In how many columns, and up to which row from the first, waves have a likelihood above 0. */
function extentOf(prior: Float32Array, side: number): { columns: number; band: number } {
  const half = side / 2 + 1
  let columns = 1
  let band = 0
  for (let y = 0; y < side; y++) {
    for (let x = 0; x < half; x++) {
      if (prior[y * half + x] === 0) continue
      columns = Math.max(columns, x + 1)
      band = Math.max(band, Math.min(y, side - y))
    }
  }
  return { columns, band }
}
