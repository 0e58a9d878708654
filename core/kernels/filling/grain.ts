import { WASM } from '../generated/grain-wasm.js'
import { Layout, lazily, reserve, Struct } from '../module.js'
import type { PartlyKnown } from './tone-waves.js'

/** The compiled kernels; all take addresses in bytes. */
interface Kernels {
  readonly memory: WebAssembly.Memory
  costOfLending(role: number, planes: number, size: number, channels: number, gaps: number, gapCount: number, witnesses: number, witnessCount: number, shift: number): number
  fineDetail(asked: number, plane: number): void
}

const compiled = lazily<Kernels>(WASM)

const asked = new Struct([], ['width', 'height', 'places', 'count', 'left', 'top', 'columns', 'rows', 'weights', 'side', 'across', 'made', 'into'])

/** Part of a picture, in pixels. */
interface Box {
  readonly left: number
  readonly top: number
  readonly columns: number
  readonly rows: number
}

/**
 * A picture in the kernels' memory whose places are compared and stripped of all that is coarse; good until the next is
 * opened, since there is one memory a thread.
 */
export class GrainTable {
  /** Values of the channels, shares of the largest, and behind them a plane of zeros to work in. */
  readonly planes: readonly Float32Array[]
  private readonly kernels = compiled()
  private readonly at: Record<'asked' | 'planes' | 'role' | 'first' | 'second' | 'weights' | 'across' | 'made' | 'detail', number>

  /**
   * @param most         Pixels that are told or asked at once.
   * @param mostSums     Of the box of any such places, columns x (rows + longest - 1).
   * @param longest      Length of the longest Gaussian.
   */
  constructor(private readonly picture: PartlyKnown, most: number, mostSums: number, longest: number) {
    const { width, height, channels, role } = picture
    const pixels = width * height
    const layout = new Layout()
    this.at = {
      asked: layout.claim(asked.bytes),
      planes: layout.claim(4 * (channels.length + 1) * pixels),
      role: layout.claim(pixels),
      first: layout.claim(4 * most),
      second: layout.claim(4 * most),
      weights: layout.claim(8 * longest),
      across: layout.claim(8 * mostSums),
      made: layout.claim(mostSums),
      detail: layout.claim(4 * most),
    }
    const { memory } = this.kernels
    reserve(memory, layout.end)
    this.planes = Array.from({ length: channels.length + 1 }, (_value, c) => new Float32Array(memory.buffer, this.at.planes + 4 * c * pixels, pixels))
    channels.forEach((plane, c) => this.planes[c]!.set(plane))
    this.planes[channels.length]!.fill(0)
    new Uint8Array(memory.buffer, this.at.role, pixels).set(role)
  }

  /**
   * Say which pixels are compared by `costOfLending` from now on.
   *
   * @param gaps       Indices of pixels that lack something.
   * @param witnesses  Indices of known pixels near them.
   */
  ask(gaps: ArrayLike<number>, witnesses: ArrayLike<number>): (shift: number) => number {
    const { at, kernels, picture: { width, height, channels } } = this
    new Int32Array(kernels.memory.buffer, at.first, gaps.length).set(gaps)
    new Int32Array(kernels.memory.buffer, at.second, witnesses.length).set(witnesses)
    return (shift) => kernels.costOfLending(at.role, at.planes, 4 * width * height, channels.length, at.first, gaps.length, at.second, witnesses.length, shift)
  }

  /**
   * What a Gaussian takes away from a plane, at a few places: beyond the edge the edge pixel is repeated.
   *
   * @param plane    Number of the plane.
   * @param places   Indices, all within the box.
   * @param weights  Of the Gaussian, an odd number.
   */
  fineDetail(plane: number, places: Int32Array, { left, top, columns, rows }: Box, weights: Float64Array): Float32Array {
    const { at, kernels, picture: { width, height } } = this
    new Int32Array(kernels.memory.buffer, at.first, places.length).set(places)
    new Float64Array(kernels.memory.buffer, at.weights, weights.length).set(weights)
    asked.write(kernels.memory.buffer, at.asked, { width, height, places: at.first, count: places.length, left, top, columns, rows, weights: at.weights, side: weights.length, across: at.across, made: at.made, into: at.detail })
    kernels.fineDetail(at.asked, at.planes + 4 * plane * width * height)
    return new Float32Array(kernels.memory.buffer, at.detail, places.length).slice()
  }
}
