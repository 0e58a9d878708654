import { inOrder } from '../../numbers/order.js'
import type { Plane } from '../../raster/raster.js'
import { WASM } from '../generated/planes-wasm.js'
import { FIRST_ADDRESS, lazily, reserve } from '../module.js'

/** The compiled kernels; all take addresses in bytes. */
interface Kernels {
  readonly memory: WebAssembly.Memory
  binomial(source: number, into: number, width: number, height: number, line: number): void
  difference(a: number, b: number, into: number, count: number): void
  halve(source: number, into: number, width: number, height: number): void
  subtractBoxMean(data: number, width: number, height: number, radius: number, across: number, sums: number): void
  radialStatistics(source: number, width: number, height: number, border: number, inner: number, outer: number, directions: number, sign: number, mean: number, variance: number): void
  evenMaxima(mean: number, variance: number, width: number, height: number, border: number, least: number, evenness: number, into: number): number
  ridgeStrength(source: number, into: number, width: number, height: number): void
  extrema(source: number, width: number, height: number, border: number, deviations: number, blockColumns: number, blockRows: number, side: number, least: number, into: number): number
  middlesOfRidges(smooth: number, strength: number, width: number, height: number, deviations: number, blockColumns: number, blockRows: number, side: number, goOn: number, start: number, sideRatio: number, answers: number, across: number, offsets: number, used: number, seeds: number, seedAnswers: number): number
  followNextRidge(answers: number, across: number, used: number, width: number, height: number, seeds: number, left: number, shortest: number, path: number, room: number): number
  blockMedians(source: number, width: number, height: number, side: number, into: number, values: number): void
}

const compiled = lazily<Kernels>(WASM)

/** Columns and rows are kept in halves of a number. */
const LONGEST_SIDE = 32767

/** A plane in the kernels' memory; good until the next workshop is opened. */
export interface KernelPlane {
  readonly address: number
  readonly data: Float32Array
}

/** Where lines run in a plane, a value a pixel; good until the next workshop is opened. */
export interface RidgeMiddles {
  /** Answer in deviations, positive for bright lines, 0 where no line runs. */
  readonly answers: Float32Array
  /** Where a line runs, number of the step of the direction across: right, right and down, down, left and down. */
  readonly across: Uint8Array
  /** Where a line runs, how far its middle lies from the pixel's, across, in 1/64 px. */
  readonly offset: Int8Array
  /** 1 where a ridge was followed. */
  readonly used: Uint8Array
  /** Pixels where a line may begin, weakest first. */
  readonly seeds: Int32Array
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
   * Places where a mean is larger than at all eight neighbours, at least `least` and at least `evenness` deviations, further
   * than `border` from the edge.
   *
   * @param least  Above 0.
   * @param room   A plane whose content is lost.
   * @returns      Indices of pixels, row by row.
   */
  evenMaxima(mean: KernelPlane, variance: KernelPlane, border: number, least: number, evenness: number, room: KernelPlane): Int32Array {
    const found = this.kernels.evenMaxima(mean.address, variance.address, this.width, this.height, border, least, evenness, room.address)
    return new Int32Array(this.kernels.memory.buffer, room.address, found).slice()
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
   * Places where a plane is larger in size, with its sign, than at all eight neighbours, further than `border` from the edge.
   *
   * @param deviations  Of blocks of `side` pixels, row by row; what is over at the right and below belongs to the last block.
   * @param least       Sizes below so many of these are passed over.
   * @param room        A plane whose content is lost.
   * @returns           Indices of pixels, row by row.
   */
  extrema(plane: KernelPlane, border: number, deviations: Plane, side: number, least: number, room: KernelPlane): Int32Array {
    const { memory } = this.kernels
    new Float32Array(memory.buffer, this.scratch, deviations.data.length).set(deviations.data)
    const found = this.kernels.extrema(plane.address, this.width, this.height, border, this.scratch, deviations.width, deviations.height, side, least, room.address)
    return new Int32Array(memory.buffer, room.address, found).slice()
  }

  /**
   * Where lines run: of the pixels that look like one, those that do so more than both neighbours across.
   *
   * @param smooth      What `strength` was made from, by `ridgeStrength`.
   * @param deviations  Of the strengths, of blocks of `side` pixels, row by row; what is over at the right and below belongs to
   *                    the last block.
   * @param least       In these deviations, what a pixel on a line answers at least, and one where a line may begin; and how
   *                    much stronger than itself a line of the other tone, two or three pixels across, makes it that line's side.
   * @param room        First of four planes behind both: their content is lost.
   * @throws {RangeError} when the plane is too wide or high for places that are kept in halves of a number.
   */
  middlesOfRidges(smooth: KernelPlane, strength: KernelPlane, deviations: Plane, side: number, least: { readonly goOn: number; readonly start: number; readonly side: number }, room: number): RidgeMiddles {
    const { width, height, kernels: { memory } } = this
    const count = width * height
    const answers = this.plane(room)
    const across = this.plane(room + 1).address
    const offsets = across + count
    const used = offsets + count
    const seeds = this.plane(room + 2).address
    const seedAnswers = this.plane(room + 3).address
    if (width > LONGEST_SIDE || height > LONGEST_SIDE) throw new RangeError(`A plane of ${width} x ${height} is too large for lines to be followed`)
    new Float32Array(memory.buffer, this.scratch, deviations.data.length).set(deviations.data)
    const found = this.kernels.middlesOfRidges(smooth.address, strength.address, width, height, this.scratch, deviations.width, deviations.height, side, least.goOn, least.start, least.side, answers.address, across, offsets, used, seeds, seedAnswers)
    const places = new Int32Array(memory.buffer, seeds, found)
    const unsorted = places.slice()
    const order = inOrder(new Float32Array(memory.buffer, seedAnswers, found))
    for (let n = 0; n < found; n++) places[n] = unsorted[order[n]!]!
    return {
      answers: answers.data,
      across: new Uint8Array(memory.buffer, across, count),
      offset: new Int8Array(memory.buffer, offsets, count),
      used: new Uint8Array(memory.buffer, used, count),
      seeds: places,
    }
  }

  /**
   * Follow the ridge on which the strongest seed lies that is left, both ways as long as its answers have the sign of this
   * one's; short gaps are bridged straight on. What was followed, with its neighbours across, is not followed again.
   *
   * @param left      Only so many of the seeds, the weakest, are left.
   * @param shortest  Ridges of fewer pixels are passed over.
   * @param path      A plane whose content is lost; `room` likewise.
   * @returns         Pixels from end to end, good until the next ridge is followed, and how many seeds are left; null when there is none.
   */
  followNextRidge({ answers, across, used, seeds }: RidgeMiddles, left: number, shortest: number, path: KernelPlane, room: KernelPlane): { pixels: Int32Array; left: number } | null {
    const length = this.kernels.followNextRidge(answers.byteOffset, across.byteOffset, used.byteOffset, this.width, this.height, seeds.byteOffset, left, shortest, path.address, room.address)
    if (length === 0) return null
    const { buffer } = this.kernels.memory
    return { pixels: new Int32Array(buffer, path.address, length), left: new Int32Array(buffer, room.address, 1)[0]! }
  }

  /**
   * Upper median of the sizes of the values in each whole block, less up to a thousandth of it, from every other row of the
   * block; what is over at the right and below belongs to no block.
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

/** Half the size, mean of two by two; a last odd row or column is dropped. */
export function halvePlane(plane: Plane): Plane {
  const { memory, halve } = compiled()
  const [width, height] = [plane.width >> 1, plane.height >> 1]
  const into = FIRST_ADDRESS + ((plane.data.byteLength + 15) & ~15)
  reserve(memory, into + 4 * width * height)
  new Float32Array(memory.buffer, FIRST_ADDRESS, plane.data.length).set(plane.data)
  halve(FIRST_ADDRESS, into, plane.width, plane.height)
  return { width, height, data: new Float32Array(memory.buffer, into, width * height).slice() }
}
