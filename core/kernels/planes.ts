import { WASM } from './generated/planes-wasm.js'
import { FIRST_ADDRESS, lazily, reserve } from './module.js'

/** The compiled kernels; all take addresses in bytes. */
interface Kernels {
  readonly memory: WebAssembly.Memory
  binomial(source: number, into: number, width: number, height: number, line: number): void
  difference(a: number, b: number, into: number, count: number): void
  subtractBoxMean(data: number, width: number, height: number, radius: number, across: number, sums: number): void
  radialStatistics(source: number, width: number, height: number, border: number, inner: number, outer: number, directions: number, sign: number, mean: number, variance: number): void
  ridgeStrength(source: number, into: number, width: number, height: number): void
  blockMedians(source: number, width: number, height: number, side: number, into: number, values: number): void
}

const compiled = lazily<Kernels>(WASM)

/** A plane in the kernels' memory; good until the next workshop is opened. */
export interface KernelPlane {
  readonly address: number
  readonly data: Float32Array
}

/**
 * Room for planes of one size in the kernels' memory, and the kernels that work on them: plain planes in, planes out,
 * four pixels at a time. There is one memory a thread, so opening a workshop ends the one before.
 */
export class PlaneWorkshop {
  private readonly kernels = compiled()
  private readonly stride: number
  private readonly scratch: number

  /**
   * @param width   Of all planes, at least 8.
   * @param height  Of all planes, at least 8.
   * @param planes  How many are needed at once.
   */
  constructor(private readonly width: number, private readonly height: number, planes: number) {
    if (width < 8 || height < 8) throw new RangeError(`A plane of ${width} x ${height} is too small for the kernels`)
    this.stride = Math.ceil((width * height * 4 + 64) / 64) * 64
    this.scratch = FIRST_ADDRESS + planes * this.stride
    // Scratch: one more plane, and a row of doubles; or medians of blocks and the values of one.
    const wanted = this.scratch + this.stride + Math.max(width * 8, 64 * 64 * 4) + 256
    reserve(this.kernels.memory, wanted)
  }

  /** The n-th plane, as it is left in memory. */
  plane(n: number): KernelPlane {
    const address = FIRST_ADDRESS + n * this.stride
    return { address, data: new Float32Array(this.kernels.memory.buffer, address, this.width * this.height) }
  }

  /** Binomial filter 1 4 6 4 1 in both directions, deviation 1 px; beyond the edge the edge pixel is repeated. */
  blur(from: KernelPlane, into: KernelPlane): void {
    this.kernels.binomial(from.address, into.address, this.width, this.height, this.scratch)
  }

  /** into = a - b; `into` may be either. */
  subtract(a: KernelPlane, b: KernelPlane, into: KernelPlane): void {
    this.kernels.difference(a.address, b.address, into.address, this.width * this.height)
  }

  /** Take the mean over a box of (2 radius + 1) squared from every pixel. */
  subtractBoxMean(plane: KernelPlane, radius: number): void {
    this.kernels.subtractBoxMean(plane.address, this.width, this.height, radius, this.scratch, this.scratch + this.stride)
  }

  /**
   * Mean and variance over directions of the difference between an inner and an outer place, at every pixel further
   * than `border` from the edge.
   *
   * @param inner  Offsets of the inner places in pixels of the plane's row order; `outer` likewise.
   * @param sign   1 or -1: the mean is multiplied by it.
   */
  radialStatistics(from: KernelPlane, border: number, inner: Int32Array, outer: Int32Array, sign: number, mean: KernelPlane, variance: KernelPlane): void {
    const { buffer } = this.kernels.memory
    const second = this.scratch + inner.byteLength
    new Int32Array(buffer, this.scratch, inner.length).set(inner)
    new Int32Array(buffer, second, outer.length).set(outer)
    this.kernels.radialStatistics(from.address, this.width, this.height, border, this.scratch, second, inner.length, sign, mean.address, variance.address)
  }
  /**
   * How much every pixel looks like the middle of a line, bright lines above 0: twice the lesser of the mean of both
   * principal curvatures and half their difference; 0 within two pixels of the edge.
   *
   * @param into  Another plane than `from`.
   */
  ridgeStrength(from: KernelPlane, into: KernelPlane): void {
    this.kernels.ridgeStrength(from.address, into.address, this.width, this.height)
  }

  /**
   * Upper median of the sizes of the values in each whole block, from every other row of it; what is over at the right
   * and below belongs to no block.
   *
   * @param side  Of a block, in pixels, 64 at most.
   * @returns     A value for each block, in row order.
   */
  blockMedians(plane: KernelPlane, side: number): Float32Array {
    const count = Math.max(1, Math.floor(this.width / side)) * Math.max(1, Math.floor(this.height / side))
    const values = this.scratch + ((count * 4 + 15) & ~15)
    this.kernels.blockMedians(plane.address, this.width, this.height, side, this.scratch, values)
    return new Float32Array(this.kernels.memory.buffer, this.scratch, count).slice()
  }
}
