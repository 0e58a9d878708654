import type { Plane } from '../../raster/raster.js'
import { WASM } from '../generated/paths-wasm.js'
import { Layout, lazily, reserve } from '../module.js'

/** The compiled kernels; all take addresses in bytes. */
interface Kernels {
  readonly memory: WebAssembly.Memory
  normals(path: number, count: number, reach: number, into: number): void
  profile(plane: number, width: number, height: number, path: number, normals: number, count: number, reach: number, into: number): void
  ask(plane: number, width: number, height: number, path: number, normals: number, count: number, half: number, away: number, values: number, sums: number): void
  countTopped(plane: number, width: number, height: number, path: number, normals: number, count: number, first: number, sign: number): number
}

const compiled = lazily<Kernels>(WASM)

/** What a line shows: its middle less both of its sides. */
export interface LineAnswer {
  /** At every point; good until the next question. */
  readonly values: Float32Array
  readonly mean: number
  /** Mean of both sides. */
  readonly sides: number
  /** Mean difference of the two sides. */
  readonly unevenness: number
  /** Correlation along the path of both sides with each other. */
  readonly likeness: number
  /** Correlation along the path of the middle with the mean of its sides. */
  readonly through: number
}

/** Points before and after from which the direction of a path is taken. */
const REACH = 4
const SUMS = 12
/** Places on either side of a point that are asked whether they stand out as much. */
const TOPPED_PLACES = 8

/** Reads a plane along paths; good until the next reader is opened, since there is one memory a thread. */
export class PathReader {
  private readonly kernels = compiled()
  private readonly planeAt: number
  private readonly free: number
  private count = 0
  private at = { path: 0, normals: 0, values: 0, sums: 0, profile: 0 }

  constructor(private readonly plane: Plane) {
    const layout = new Layout()
    // The last pair of pixels is read over the end.
    this.planeAt = layout.claim(plane.data.byteLength + 8)
    this.free = layout.end
    reserve(this.kernels.memory, layout.end)
    new Float32Array(this.kernels.memory.buffer, this.planeAt, plane.data.length).set(plane.data)
  }

  /**
   * The path that is asked about from now on.
   *
   * @param points  x and y in turn, of at least one point, pixel centres at .5.
   * @param scale   The points are divided by it: pixels of theirs in one of the plane's.
   */
  follow(points: Float64Array, scale: number): void {
    const { kernels: { memory } } = this
    const count = points.length / 2
    const layout = new Layout(this.free)
    this.count = count
    this.at = { path: layout.claim(points.byteLength), normals: layout.claim(points.byteLength), values: layout.claim(4 * count), sums: layout.claim(8 * SUMS), profile: layout.claim(8 * 128) }
    reserve(memory, layout.end)
    const path = new Float64Array(memory.buffer, this.at.path, points.length)
    for (let k = 0; k < points.length; k++) path[k] = points[k]! / scale
    this.kernels.normals(this.at.path, count, REACH, this.at.normals)
  }

  /** Unit vectors across the path, x and y in turn; good until the next path is followed. */
  get normals(): Float64Array {
    return new Float64Array(this.kernels.memory.buffer, this.at.normals, 2 * this.count)
  }

  /**
   * Mean over the path of what lies across it, in steps of half a pixel.
   *
   * @param reach  Steps to either side, 63 at most.
   */
  profile(reach: number): Float64Array {
    const { at } = this
    this.kernels.profile(this.planeAt, this.plane.width, this.plane.height, at.path, at.normals, this.count, reach, at.profile)
    return new Float64Array(this.kernels.memory.buffer, at.profile, 2 * reach + 1)
  }

  /**
   * The middle of a line less both of its sides, at every point.
   *
   * @param half  Of its width in pixels of the plane; the sides are asked a pixel and two beyond it.
   * @param away  So many pixels aside the line is thought.
   */
  ask(half: number, away: number): LineAnswer {
    const { at, count: n } = this
    this.kernels.ask(this.planeAt, this.plane.width, this.plane.height, at.path, at.normals, n, half, away, at.values, at.sums)
    const sums = new Float64Array(this.kernels.memory.buffer, at.sums, SUMS)
    return {
      values: new Float32Array(this.kernels.memory.buffer, at.values, n),
      mean: sums[0]! / n,
      sides: sums[8]! / n,
      unevenness: sums[1]! / n,
      likeness: correlation(n, sums[2]!, sums[3]!, sums[4]!, sums[5]!, sums[6]!),
      through: correlation(n, sums[7]!, sums[8]!, sums[9]!, sums[10]!, sums[11]!),
    }
  }

  /**
   * Share of the places beside the path that stand out as much as it does.
   *
   * @param first  Pixels from it to the nearest; there are eight on either side, a pixel and a half apart.
   * @param sign   1 where it is bright, -1 where it is dark.
   */
  toppedShare(first: number, sign: -1 | 1): number {
    const { at, count } = this
    return this.kernels.countTopped(this.planeAt, this.plane.width, this.plane.height, at.path, at.normals, count, first, sign) / (2 * TOPPED_PLACES * Math.ceil(count / 2))
  }
}

/** From the sums of two lists, of their squares and of their products; 0 where one does not vary. */
function correlation(n: number, sumA: number, sumB: number, squaresA: number, squaresB: number, products: number): number {
  const spread = (squaresA - (sumA * sumA) / n) * (squaresB - (sumB * sumB) / n)
  return (products - (sumA * sumB) / n) / Math.sqrt(Math.max(1e-12, spread))
}
