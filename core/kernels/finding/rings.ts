import type { Plane } from '../../raster/raster.js'
import { WASM } from '../generated/rings-wasm.js'
import { kernelsFrom, Layout, reserve, Struct } from '../module.js'

/** The compiled kernels; all take addresses in bytes. */
interface Kernels {
  readonly memory: WebAssembly.Memory
  lookAt(look: number, plane: number, width: number, height: number, x: number, y: number, r: number, amplitude: number): void
  differenceAround(plane: number, width: number, height: number, x: number, y: number, distance: number, turns: number): number
  scoreOf(features: number, count: number, weights: number, units: number, sums: number, constant: number, leak: number): number
}

const compiled = kernelsFrom<Kernels>(WASM)

const look = new Struct([], ['shares', 'rings', 'turns', 'ground', 'first', 'last', 'seen', 'room', 'told'])

/** Directions in which a disc is looked at from its middle. */
const DIRECTIONS = 16

/** How a disc is looked at on rings. */
export interface RingPlan {
  /** How far out each ring lies: radii of the disc, and pixels more. */
  readonly rings: readonly (readonly [number, number])[]
  /** Unit vectors of the directions, sixteen, round in order. */
  readonly turns: readonly (readonly [number, number])[]
  /** The middle value of this ring and the next is the ground. */
  readonly ground: number
  /** First and last ring of what leads outward. */
  readonly spoke: readonly [number, number]
  /** How many numbers that are known of a disc otherwise come before what is told of its rings. */
  readonly ahead: number
}

/** Weights of units, of each unit one for every number and last that of its answer. */
export interface Units {
  readonly units: readonly (readonly number[])[]
  readonly constant: number
  /** What a unit gives on of what lies below 0. */
  readonly leak: number
}

/** So many planes stay in the kernels' memory: those of a tile and its halves. */
const PLANES = 12

/** Looks at discs on rings, again and again in the same few planes, which must not be changed. Each has a memory of its own. */
export class RingLook {
  private readonly kernels = compiled.fresh()
  private readonly at: Record<'look' | 'shares' | 'turns' | 'seen' | 'room' | 'features' | 'weights' | 'sums', number>
  private readonly behind: number
  private layout: Layout
  private readonly planes = new Map<Plane, number>()
  private known = new Float64Array()
  /** What is known of the disc that was looked at last: what is set ahead, then what its rings tell. */
  features = new Float64Array()

  /** @param judge  Weighs the features. */
  constructor(private readonly plan: RingPlan, private readonly judge: Units) {
    const { rings, turns, ahead } = plan
    const layout = new Layout()
    const count = ahead + 4 * rings.length + 2
    this.at = {
      look: layout.claim(look.bytes),
      shares: layout.claim(8 * 2 * rings.length),
      turns: layout.claim(8 * 2 * DIRECTIONS),
      seen: layout.claim(4 * rings.length * DIRECTIONS),
      room: layout.claim(4 * (4 * DIRECTIONS + 6)),
      features: layout.claim(8 * count),
      weights: layout.claim(8 * (count + 1) * judge.units.length),
      sums: layout.claim(8 * judge.units.length),
    }
    this.behind = layout.end
    this.layout = layout
    this.reserve()
    const { at } = this
    look.write(this.kernels.memory.buffer, at.look, { shares: at.shares, rings: rings.length, turns: at.turns, ground: plan.ground, first: plan.spoke[0], last: plan.spoke[1], seen: at.seen, room: at.room, told: at.features + 8 * ahead })
    const put = (address: number, values: readonly number[]) => new Float64Array(this.kernels.memory.buffer, address, values.length).set(values)
    put(at.shares, rings.flat())
    put(at.turns, [...turns.map(([x]) => x), ...turns.map(([, y]) => y)])
    put(at.weights, Array.from({ length: count + 1 }, (_value, i) => judge.units.map((unit) => unit[i]!)).flat())
  }

  /** Make sure of all that was claimed; what is seen of the memory ends when it grows. */
  private reserve(): void {
    const { memory } = this.kernels
    reserve(memory, this.layout.end)
    if (this.features.buffer === memory.buffer) return
    this.features = new Float64Array(memory.buffer, this.at.features, this.plan.ahead + 4 * this.plan.rings.length + 2)
    this.known = this.features.subarray(0, this.plan.ahead)
  }

  private addressOf(plane: Plane): number {
    const known = this.planes.get(plane)
    if (known !== undefined) return known
    if (this.planes.size === PLANES) {
      this.planes.clear()
      this.layout = new Layout(this.behind)
    }
    const address = this.layout.claim(plane.data.byteLength)
    this.reserve()
    new Float32Array(this.kernels.memory.buffer, address, plane.data.length).set(plane.data)
    this.planes.set(plane, address)
    return address
  }

  /** Of the pixel at a place to the mean of eight so many pixels around. */
  differenceAround(plane: Plane, x: number, y: number, distance: number): number {
    return this.kernels.differenceAround(this.addressOf(plane), plane.width, plane.height, x, y, distance, this.at.turns)
  }

  /**
   * Look at a disc.
   *
   * @param plane      At least two rows of two pixels.
   * @param x          Of the middle, in pixels; so are y and r.
   * @param amplitude  Not 0.
   * @param ahead      As many numbers as were planned.
   * @returns  These, and what its rings tell; good until the next is looked at.
   */
  disc(plane: Plane, x: number, y: number, r: number, amplitude: number, ahead: readonly number[]): Float64Array {
    const address = this.addressOf(plane)
    const { at } = this
    this.known.set(ahead)
    this.kernels.lookAt(at.look, address, plane.width, plane.height, x, y, r, amplitude)
    return this.features
  }

  /** What the judge says of the disc that was looked at last. */
  score(): number {
    const { at, judge } = this
    return this.kernels.scoreOf(at.features, this.features.length, at.weights, judge.units.length, at.sums, judge.constant, judge.leak)
  }
}
