import { WASM } from '../generated/patches-wasm.js'
import { Layout, lazily, reserve, Struct } from '../module.js'

/** The compiled kernels; all take addresses in bytes. */
interface Kernels {
  readonly memory: WebAssembly.Memory
  search(gaps: number, forward: number): void
  vote(gaps: number): void
}

const compiled = lazily<Kernels>(WASM)

const taken = new Struct([], ['planes', 'channels', 'width', 'height', 'places', 'count', 'index', 'offered', 'source', 'cost', 'says', 'means', 'chances'])

/** Half the side of a patch. */
export const HALF_PATCH = 3

/** A picture with gaps, and for every place in them the middle of the patch it takes. */
export interface PatchGaps {
  readonly width: number
  readonly height: number
  /** One plane a channel, four at most. */
  readonly channels: readonly Float32Array[]
  /** Places to fill, row by row. */
  readonly places: Int32Array
  /** Index into places by pixel, -1 elsewhere. */
  readonly index: Int32Array
  /** Middles of the patches that places take, and how unlike each is: mean square difference. */
  readonly source: Int32Array
  readonly cost: Float32Array
  /** 1 where a pixel is the middle of a patch that is known whole. */
  readonly offered: Uint8Array
}

/**
 * Search and vote over one picture in the kernels' memory; good until the next is opened, since there is one memory a
 * thread.
 */
export class PatchTable {
  private readonly kernels = compiled()
  private readonly at: Record<'gaps' | 'planes' | 'places' | 'index' | 'offered' | 'source' | 'cost' | 'says' | 'means' | 'chances', number>
  /** Steps of the search at random for one place. */
  private readonly steps: number

  /** @param gaps  Taken in; changed by `release`. */
  constructor(private readonly gaps: PatchGaps) {
    const { width, height, channels, places, index, offered, source, cost } = gaps
    this.steps = 32 - Math.clz32(Math.max(width, height))
    const layout = new Layout()
    this.at = {
      gaps: layout.claim(taken.bytes),
      planes: layout.claim(4 * channels.length * width * height),
      places: layout.claim(places.byteLength),
      index: layout.claim(index.byteLength),
      offered: layout.claim(offered.byteLength),
      source: layout.claim(source.byteLength),
      cost: layout.claim(cost.byteLength),
      says: layout.claim(8 * places.length),
      means: layout.claim(4 * channels.length * places.length),
      chances: layout.claim(4 * this.chances),
    }
    const { memory } = this.kernels
    reserve(memory, layout.end)
    taken.write(memory.buffer, this.at.gaps, { ...this.at, channels: channels.length, width, height, count: places.length })
    const planes = new Float32Array(memory.buffer, this.at.planes, channels.length * width * height)
    channels.forEach((plane, c) => planes.set(plane, c * width * height))
    new Int32Array(memory.buffer, this.at.places, places.length).set(places)
    new Int32Array(memory.buffer, this.at.index, index.length).set(index)
    new Uint8Array(memory.buffer, this.at.offered, offered.length).set(offered)
    this.source.set(source)
    this.cost.set(cost)
  }

  /** Random numbers that one round of the search asks for. */
  get chances(): number {
    return 2 * this.steps * this.gaps.places.length
  }

  private get source(): Int32Array {
    return new Int32Array(this.kernels.memory.buffer, this.at.source, this.gaps.source.length)
  }

  private get cost(): Float32Array {
    return new Float32Array(this.kernels.memory.buffer, this.at.cost, this.gaps.cost.length)
  }

  /**
   * One round of the search: each place tries what its neighbours found, moved along, then places at random, ever nearer.
   *
   * @param next     The next random whole number of 32 bits.
   * @param forward  Whether places are taken row by row, or backwards.
   */
  search(next: () => number, forward: boolean): void {
    const { at } = this
    const chances = new Uint32Array(this.kernels.memory.buffer, at.chances, this.chances)
    for (let i = 0; i < chances.length; i++) chances[i] = next()
    this.kernels.search(at.gaps, forward ? 1 : 0)
  }

  /** Every place takes the mean of what the patches over it say; patches that fit better say more. */
  vote(): void {
    const { places } = this.gaps
    const { at, cost } = this
    let usual = 1e-9
    for (let k = 0; k < cost.length; k++) usual += cost[k]! / cost.length
    const says = new Float64Array(this.kernels.memory.buffer, at.says, places.length)
    for (let k = 0; k < cost.length; k++) says[k] = 1 / (0.05 + (cost[k]! / usual) * (cost[k]! / usual))
    this.kernels.vote(at.gaps)
  }

  /** Bring what was found and filled back to what was taken in. */
  release(): void {
    const { width, height, channels, places, source, cost } = this.gaps
    source.set(this.source)
    cost.set(this.cost)
    const planes = new Float32Array(this.kernels.memory.buffer, this.at.planes, channels.length * width * height)
    channels.forEach((plane, c) => {
      for (const i of places) plane[i] = planes[c * width * height + i]!
    })
  }
}
