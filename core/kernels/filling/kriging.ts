import { WASM } from '../generated/kriging-wasm.js'
import { Layout, lazily, reserve } from '../module.js'

/** The compiled kernels; all take addresses in bytes. */
interface Kernels {
  readonly memory: WebAssembly.Memory
  lagProducts(values: number, known: number, width: number, height: number, stride: number, lag: number, sums: number, pairs: number): void
  fillMatrix(matrix: number, n: number, stride: number, xs: number, ys: number, covariance: number, lag: number, diagonal: number): void
  factorise(matrix: number, n: number, stride: number): number
  solve(matrix: number, n: number, stride: number, right: number): void
  weigh(
    n: number, xs: number, ys: number, covariance: number, lag: number, weights: number, sets: number, setStride: number,
    asked: number, askedXs: number, askedYs: number, into: number, row: number,
  ): void
}

const compiled = lazily<Kernels>(WASM)

/** Places by column and row. */
export interface Places {
  readonly xs: Int32Array
  readonly ys: Int32Array
}

/** Hands out the kernels' memory piece by piece; each call of a function below starts anew. */
class Room {
  private readonly layout = new Layout()
  constructor(private readonly memory: WebAssembly.Memory) {}
  take(numbers: number): number {
    // A kernel may write a little beyond the last number.
    const address = this.layout.claim(4 * numbers + 16)
    reserve(this.memory, this.layout.end)
    return address
  }
  put(values: Float32Array | Int32Array): number {
    const address = this.take(values.length)
    if (values instanceof Int32Array) new Int32Array(this.memory.buffer, address, values.length).set(values)
    else new Float32Array(this.memory.buffer, address, values.length).set(values)
    return address
  }
  numbers(address: number, count: number): Float32Array {
    return new Float32Array(this.memory.buffer, address, count)
  }
}

/**
 * Sums of products of values a lag apart, and how many pairs there are.
 *
 * @param values  Row by row, 0 where not known.
 * @param known   1 where known, else 0.
 * @param lag     Largest lag in either direction.
 * @returns Both by lag, rows 0 to `lag`, columns -`lag` to `lag`.
 */
export function lagProducts(values: Float32Array, known: Float32Array, width: number, height: number, lag: number): { sums: Float32Array; pairs: Float32Array } {
  const run = compiled()
  const room = new Room(run.memory)
  // Zeros on either side of a row, and room for the last four numbers of one.
  const stride = width + 2 * lag + 4
  const padded = (plane: Float32Array): number => {
    const address = room.take(stride * (height + 1))
    const all = room.numbers(address, stride * (height + 1))
    all.fill(0)
    for (let y = 0; y < height; y++) all.set(plane.subarray(y * width, (y + 1) * width), y * stride + lag)
    return address
  }
  const count = (lag + 1) * (2 * lag + 1)
  const sums = room.take(count)
  const pairs = room.take(count)
  const from = padded(values)
  run.lagProducts(from, padded(known), width, height, stride, lag, sums, pairs)
  return { sums: room.numbers(sums, count).slice(), pairs: room.numbers(pairs, count).slice() }
}

/**
 * Simple kriging: what values at some places say of others.
 *
 * @param covariance  By lag, (2 lag + 1) squared, 1 at lag 0; 0 beyond.
 * @param nugget      Added to the variance of a place by itself, above 0; raised when the equations are not sound.
 * @param witnesses   Where the values were taken.
 * @param sets        Values at the witnesses, set after set.
 * @param asked       Where they are wanted.
 * @returns Values at the places asked, set after set.
 */
export function krige(covariance: Float32Array, lag: number, nugget: number, witnesses: Places, sets: readonly Float32Array[], asked: Places): Float32Array[] {
  const run = compiled()
  const room = new Room(run.memory)
  const n = witnesses.xs.length
  const stride = Math.ceil(n / 4) * 4
  const table = room.put(covariance)
  const xs = room.put(witnesses.xs)
  const ys = room.put(witnesses.ys)
  const askedXs = room.put(asked.xs)
  const askedYs = room.put(asked.ys)
  const matrix = room.take(n * stride + 8)
  const weights = room.take(sets.length * stride)
  const row = room.take(stride)
  const into = room.take(sets.length * asked.xs.length)
  for (let more = nugget; ; more *= 4) {
    run.fillMatrix(matrix, n, stride, xs, ys, table, lag, 1 + more)
    if (run.factorise(matrix, n, stride)) break
  }
  sets.forEach((set, s) => {
    const right = weights + 4 * s * stride
    room.numbers(right, n).set(set)
    run.solve(matrix, n, stride, right)
  })
  run.weigh(n, xs, ys, table, lag, weights, sets.length, stride, asked.xs.length, askedXs, askedYs, into, row)
  return sets.map((_set, s) => room.numbers(into + 4 * s * asked.xs.length, asked.xs.length).slice())
}
