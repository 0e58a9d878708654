import { depthOf, maximumOf, type IntegerRaster } from '../../raster/raster.js'
import { WASM } from '../generated/samples-wasm.js'
import { FIRST_ADDRESS, forgottenWithKernels, Layout, lazily, reserve } from '../module.js'

/** The compiled kernels; all take addresses in bytes. */
interface Kernels {
  readonly memory: WebAssembly.Memory
  weighTable(samples: number, wide: number, channels: number, count: number, table: number, first: number, second: number, third: number, into: number): void
  sumChannels(samples: number, wide: number, channels: number, count: number, into: number): void
  sumCells(samples: number, wide: number, channels: number, width: number, left: number, top: number, across: number, down: number, side: number, line: number, into: number): void
  detailOfCells(sums: number, width: number, left: number, top: number, columns: number, rows: number, detail: number, tone: number): void
  grainOfBlocks(sums: number, width: number, left: number, top: number, columns: number, rows: number, side: number, values: number, middle: number, total: number): void
}

const compiled = lazily<Kernels>(WASM)

/** A table of a value for every sample lies in front of all else and stays there: most calls are for the curve of one picture. */
const LONGEST_TABLE = 65536
const TABLE_AT = FIRST_ADDRESS
let tableThere: Float32Array | null = null
forgottenWithKernels(() => (tableThere = null))

function layoutBehindTable(): Layout {
  const layout = new Layout()
  layout.claim(4 * LONGEST_TABLE)
  return layout
}

const isWide = (raster: IntegerRaster) => (raster.data instanceof Uint16Array ? 1 : 0)

function putSamples(memory: WebAssembly.Memory, at: number, { data }: IntegerRaster): void {
  if (data instanceof Uint16Array) new Uint16Array(memory.buffer, at, data.length).set(data)
  else new Uint8Array(memory.buffer, at, data.length).set(data)
}

/**
 * Value of a table at every sample, a weighted sum over the channels.
 *
 * @param raster  Of 1 or 3 channels.
 * @param table   A value for each sample there can be.
 * @param shares  Of each channel; of one the value is taken as it is.
 */
export function weighTable(raster: IntegerRaster, table: Float32Array, [first, second, third]: readonly [number, number, number]): Float32Array {
  const { memory, weighTable: run } = compiled()
  const count = raster.width * raster.height
  const layout = layoutBehindTable()
  const samples = layout.claim(raster.data.byteLength)
  const into = layout.claim(4 * count)
  reserve(memory, layout.end)
  if (tableThere !== table) {
    new Float32Array(memory.buffer, TABLE_AT, table.length).set(table)
    tableThere = table
  }
  putSamples(memory, samples, raster)
  run(samples, isWide(raster), raster.channels, count, TABLE_AT, first, second, third, into)
  return new Float32Array(memory.buffer, into, count).slice()
}

/** A part of a tile in squares, from its left edge and top on. */
interface Squares {
  readonly left: number
  readonly top: number
  readonly columns: number
  readonly rows: number
}

/** A tile's samples in the kernels' memory; good until another kernel of this module is called for other samples. */
export class SampleTable {
  readonly channels: number
  /** A sample at most. */
  readonly largest: number
  private readonly kernels = compiled()
  private readonly layout = layoutBehindTable()
  private readonly width: number
  private readonly wide: number
  private readonly samples: number
  private readonly sums: number

  constructor(raster: IntegerRaster) {
    const { width, height, channels } = raster
    this.width = width
    this.channels = channels
    this.largest = maximumOf(depthOf(raster))
    this.wide = isWide(raster)
    this.samples = this.layout.claim(raster.data.byteLength)
    // Kernels that take four numbers at a time read past the last.
    this.sums = this.layout.claim(4 * width * height + 32)
    reserve(this.kernels.memory, this.layout.end)
    putSamples(this.kernels.memory, this.samples, raster)
    this.kernels.sumChannels(this.samples, this.wide, channels, width * height, this.sums)
  }

  /** Room for so many whole numbers behind the tile. */
  private room(...counts: readonly number[]): number[] {
    const layout = new Layout()
    layout.end = this.layout.end
    const places = counts.map((count) => layout.claim(4 * count))
    reserve(this.kernels.memory, layout.end)
    return places
  }

  private numbers(at: number, count: number): Int32Array {
    return new Int32Array(this.kernels.memory.buffer, at, count)
  }

  /**
   * Sums of the samples of squares, fewer along the right edge and below; one plane a channel.
   *
   * @param across  Pixels, as `down`.
   * @param side    Of the squares, in pixels.
   */
  sumCells(left: number, top: number, across: number, down: number, side: number): Int32Array[] {
    const count = Math.ceil(across / side) * Math.ceil(down / side)
    const [line, into] = this.room(this.channels * across, this.channels * count) as [number, number]
    this.kernels.sumCells(this.samples, this.wide, this.channels, this.width, left, top, across, down, side, line, into)
    return Array.from({ length: this.channels }, (_value, c) => this.numbers(into + 4 * c * count, count).slice())
  }

  /**
   * Of cells of four by four pixels: the sizes of the second differences along rows, and the samples, summed over pixels
   * and channels. At the edge of the tile a pixel has the difference of the one beside it.
   */
  detailOfCells({ left, top, columns, rows }: Squares): { detail: Int32Array; tone: Int32Array } {
    const [detail, tone] = this.room(columns * rows, columns * rows) as [number, number]
    this.kernels.detailOfCells(this.sums, this.width, left, top, columns, rows, detail, tone)
    return { detail: this.numbers(detail, columns * rows), tone: this.numbers(tone, columns * rows) }
  }

  /** Of blocks: the upper median of the sizes of the second differences along rows within each, and the sum of its samples. */
  grainOfBlocks({ left, top, columns, rows }: Squares, side: number): { middle: Int32Array; total: Int32Array } {
    const [values, middle, total] = this.room(side * side + 4, columns * rows, columns * rows) as [number, number, number]
    this.kernels.grainOfBlocks(this.sums, this.width, left, top, columns, rows, side, values, middle, total)
    return { middle: this.numbers(middle, columns * rows), total: this.numbers(total, columns * rows) }
  }
}
