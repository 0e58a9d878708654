import { WASM } from './generated/waves-wasm.js'
import { FIRST_ADDRESS, lazily, reserve } from './module.js'

/** The compiled kernel; takes addresses in bytes. */
interface Kernels {
  readonly memory: WebAssembly.Memory
  chooseWaves(side: number, stride: number, channels: number, weights: number, left: number, prior: number, most: number, share: number, least: number, into: number): number
}

const compiled = lazily<Kernels>(WASM)

/** A spectrum of side x side complex numbers. */
export interface Spectrum {
  readonly real: Float64Array
  readonly imaginary: Float64Array
}

/** Waves of a window: for each its column, its row, and a real and an imaginary part for each channel. */
export interface Waves {
  readonly count: number
  readonly columns: Int32Array
  readonly rows: Int32Array
  /** Wave after wave, channel after channel, real and imaginary; the value of a wave is twice its real part. */
  readonly parts: Float32Array
}

/**
 * A sparse sum of waves whose weighted sum comes near to weighted values, chosen greedily.
 *
 * @param side     Of the window, a power of two of at least 8.
 * @param weights  Spectrum of the weights.
 * @param values   Spectra of value x weight, one a channel.
 * @param prior    How likely each frequency is, row by row for columns 0 to side / 2.
 * @param most     Waves at most; one frequency may be chosen more than once.
 * @param share    Of a wave's amplitude that is taken at once, 0..1: waves seen through weights are not at right angles.
 * @param least    Stops below this share of the first wave's energy.
 */
export function chooseWaves(side: number, weights: Spectrum, values: readonly Spectrum[], prior: Float32Array, most: number, share: number, least: number): Waves {
  const { memory, chooseWaves: run } = compiled()
  const half = side / 2 + 1
  const stride = Math.ceil(half / 4) * 4
  const channels = values.length
  const record = 2 + 2 * channels
  const weightsAt = FIRST_ADDRESS
  const leftAt = weightsAt + 4 * 2 * 4 * side * side
  const priorAt = leftAt + 4 * 2 * channels * side * stride
  const wavesAt = priorAt + 4 * side * stride
  reserve(memory, wavesAt + 4 * record * most + 64)
  const room = (address: number, count: number) => new Float32Array(memory.buffer, address, count)
  const doubled = room(weightsAt, 8 * side * side)
  for (const [part, plane] of [weights.real, weights.imaginary].entries()) {
    for (let y = 0; y < side; y++) {
      const row = plane.subarray(y * side, (y + 1) * side)
      for (const at of [y, y + side]) {
        doubled.set(row, part * 4 * side * side + at * 2 * side)
        doubled.set(row, part * 4 * side * side + at * 2 * side + side)
      }
    }
  }
  const left = room(leftAt, 2 * channels * side * stride)
  const likely = room(priorAt, side * stride)
  likely.fill(0)
  for (let y = 0; y < side; y++) {
    likely.set(prior.subarray(y * half, (y + 1) * half), y * stride)
    values.forEach(({ real, imaginary }, c) => {
      left.set(real.subarray(y * side, y * side + half), (2 * c * side + y) * stride)
      left.set(imaginary.subarray(y * side, y * side + half), ((2 * c + 1) * side + y) * stride)
    })
  }
  const count = run(side, stride, channels, weightsAt, leftAt, priorAt, most, share / weights.real[0]!, least, wavesAt)
  const places = new Int32Array(memory.buffer, wavesAt, count * record)
  const numbers = room(wavesAt, count * record)
  const waves: Waves = { count, columns: new Int32Array(count), rows: new Int32Array(count), parts: new Float32Array(2 * channels * count) }
  for (let n = 0; n < count; n++) {
    waves.columns[n] = places[n * record]!
    waves.rows[n] = places[n * record + 1]!
    waves.parts.set(numbers.subarray(n * record + 2, (n + 1) * record), 2 * channels * n)
  }
  return waves
}
