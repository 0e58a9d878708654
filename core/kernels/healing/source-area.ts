import type { IntegerRaster } from '../../raster/raster.js'
import { WASM } from '../generated/source-area-wasm.js'
import { kernelsFrom, Layout, reserve } from '../module.js'

/** The compiled kernels; all take addresses in bytes. */
interface Kernels {
  readonly memory: WebAssembly.Memory
  splitChannels(samples: number, wide: number, channels: number, count: number, into: number): void
  stepsBetween(plane: number, width: number, height: number, into: number): void
  meansOfCells(plane: number, width: number, columns: number, rows: number, side: number, into: number): void
  structureOfCells(tone: number, columns: number, rows: number, into: number): void
  reachesMarked(marks: number, places: number, count: number, shift: number): number
  sumOfFloats(values: number, places: number, count: number, shift: number): number
  sumOfDoubles(values: number, places: number, count: number, shift: number): number
  matchOfPlaces(tones: number, cells: number, channels: number, places: number, count: number, shift: number, noise: number, differences: number): number
  differencesOf(plane: number, own: number, places: number, count: number, start: number, into: number): number
  sumAboutOf(values: number, count: number, middle: number, limit: number): number
}

const compiled = kernelsFrom<Kernels>(WASM)
/** A memory never shrinks: round a scratch from edge to edge so many pixels are read that it would stay far too large. */
const LARGE = 2 ** 22

/** Indices in the kernels' memory. */
export interface PlaceList {
  readonly address: number
  readonly count: number
}

/** An area in square cells, in the kernels' memory; what is over at the right and below belongs to none. */
export interface CellGrid {
  readonly columns: number
  readonly rows: number
  /** Address of the mean tones, plane after plane. */
  readonly tones: number
  /** Of how much the pixels of a cell differ from their next, in the channel that says most of light. */
  readonly texture: number
  /** Of how much each cell differs from the next, as doubles. */
  readonly structure: number
}

/** Witnesses of what lies round a mend, in the kernels' memory. */
export interface Witnesses {
  /** Where each lies in the area when the source lies at its corner. */
  readonly places: PlaceList
  /** Addresses of what each shows, by channel. */
  readonly own: readonly number[]
  /** Room for differences from it. */
  readonly differences: number
}

/**
 * An area in the kernels' memory, where places to take pixels from are compared with what lies round a mend; good until
 * another area is put there.
 */
export class SourceArea {
  readonly width: number
  readonly height: number
  readonly channels: number
  private readonly kernels: Kernels
  private readonly layout = new Layout()
  private readonly planes: number

  constructor({ width, height, channels, data }: IntegerRaster) {
    this.kernels = width * height > LARGE ? compiled.fresh() : compiled.shared()
    this.width = width
    this.height = height
    this.channels = channels
    const samples = this.claim(data.byteLength)
    this.planes = this.claim(4 * channels * width * height)
    if (data instanceof Uint16Array) new Uint16Array(this.kernels.memory.buffer, samples, data.length).set(data)
    else new Uint8Array(this.kernels.memory.buffer, samples, data.length).set(data)
    this.kernels.splitChannels(samples, data instanceof Uint16Array ? 1 : 0, channels, width * height, this.planes)
  }

  /** The channel that says most of light. */
  get light(): number {
    return this.channels > 1 ? 1 : 0
  }

  private claim(bytes: number): number {
    const address = this.layout.claim(bytes)
    reserve(this.kernels.memory, this.layout.end)
    return address
  }

  private planeOf(channel: number): number {
    return this.planes + 4 * channel * this.width * this.height
  }

  /** Put indices into the memory. */
  list(places: Int32Array): PlaceList {
    const address = this.claim(places.byteLength)
    new Int32Array(this.kernels.memory.buffer, address, places.length).set(places)
    return { address, count: places.length }
  }

  /** Put a mark for every cell into the memory: 0 or 1. @returns Their address. */
  marks(marks: Uint8Array): number {
    const address = this.claim(marks.length)
    new Uint8Array(this.kernels.memory.buffer, address, marks.length).set(marks)
    return address
  }

  /** Means of tone and of fine detail over cells. @param side  Of a cell, in pixels. */
  cells(side: number): CellGrid {
    const { kernels, width, height } = this
    const columns = Math.floor(width / side)
    const rows = Math.floor(height / side)
    const steps = this.claim(4 * width * height)
    kernels.stepsBetween(this.planeOf(this.light), width, height, steps)
    let [tones, texture] = [this.planes, steps]
    if (side > 1) {
      tones = this.claim(4 * this.channels * columns * rows)
      texture = this.claim(4 * columns * rows)
      for (let c = 0; c < this.channels; c++) kernels.meansOfCells(this.planeOf(c), width, columns, rows, side, tones + 4 * c * columns * rows)
      kernels.meansOfCells(steps, width, columns, rows, side, texture)
    }
    const structure = this.claim(8 * columns * rows)
    kernels.structureOfCells(tones + 4 * this.light * columns * rows, columns, rows, structure)
    return { columns, rows, tones, texture, structure }
  }

  /** Mean tones of cells in the channel that says most of light; to be read before anything else is put into the memory. */
  lightOf({ columns, rows, tones }: CellGrid): Float32Array {
    return new Float32Array(this.kernels.memory.buffer, tones + 4 * this.light * columns * rows, columns * rows)
  }

  /** Whether any of the places, moved so many on, lies on one that is marked. */
  reachesMarked(marks: number, { address, count }: PlaceList, shift: number): boolean {
    return this.kernels.reachesMarked(marks, address, count, shift) !== 0
  }

  /** Mean texture of cells that lie so many places further on; 0 of none. */
  meanTexture({ texture }: CellGrid, { address, count }: PlaceList, shift = 0): number {
    return this.kernels.sumOfFloats(texture, address, count, shift) / Math.max(1, count)
  }

  /** The same of the differences between neighbouring cells. */
  meanStructure({ structure }: CellGrid, { address, count }: PlaceList, shift = 0): number {
    return this.kernels.sumOfDoubles(structure, address, count, shift) / Math.max(1, count)
  }

  /**
   * What is left of the differences between cells and those so many places further on after the best match of tone, in
   * deviations of the noise: mean over the channels. What is beyond six counts a quarter.
   *
   * @param room  From `roomFor` the places.
   */
  match({ columns, rows, tones }: CellGrid, { address, count }: PlaceList, shift: number, noise: number, room: number): number {
    return this.kernels.matchOfPlaces(tones, columns * rows, this.channels, address, count, shift, noise, room)
  }

  /** Room to compare so many places in. */
  roomFor({ count }: PlaceList): number {
    return this.claim(2 * 4 * (count + 3))
  }

  /**
   * Put witnesses into the memory.
   *
   * @param to   Where each lies in the area when the source lies at its corner.
   * @param own  What each shows round the mend, by channel.
   */
  witnesses(to: Int32Array, own: readonly Float32Array[]): Witnesses {
    const places = this.list(to)
    const shown = own.map((values) => {
      const address = this.claim(values.byteLength)
      new Float32Array(this.kernels.memory.buffer, address, values.length).set(values)
      return address
    })
    return { places, own: shown, differences: this.roomFor(places) }
  }

  /** Compare the witnesses with a source whose corner lies at `start`. @returns The sum of the differences, which are kept. */
  compare({ places, own, differences }: Witnesses, channel: number, start: number): number {
    return this.kernels.differencesOf(this.planeOf(channel), own[channel]!, places.address, places.count, start, differences)
  }

  /** The differences that were kept last. */
  keptDifferences({ places, differences }: Witnesses): Float32Array {
    return new Float32Array(this.kernels.memory.buffer, differences, places.count)
  }

  /** Sum of how far the kept differences are from a number; given up as infinite beyond `limit`. */
  sumAbout({ places, differences }: Witnesses, middle: number, limit: number): number {
    return this.kernels.sumAboutOf(differences, places.count, middle, limit)
  }
}
