import { WASM } from '../generated/disc-wasm.js'
import { Layout, lazily, reserve } from '../module.js'

/** The compiled kernels; all take addresses in bytes. */
interface Kernels {
  readonly memory: WebAssembly.Memory
  robustCost(window: number, size: number, state: number, scale: number): number
  normalEquations(window: number, size: number, state: number, scale: number, room: number, normal: number, right: number): void
}

const compiled = lazily<Kernels>(WASM)

/** Numbers that say what a soft disc on a tilted ground is: centre x, y, radius, edge width, amplitude, ground, its slopes. */
export const DISC_PARAMETERS = 8

/** A window to which discs are fitted, in the kernels' memory; good until the next is opened, since there is one memory a thread. */
export class DiscWindow {
  private readonly kernels = compiled()
  private readonly layout = new Layout()
  private readonly at: Record<'window' | 'state' | 'room' | 'normal' | 'right', number>
  private readonly state: Float64Array
  private readonly normal: Float64Array
  private readonly right: Float64Array

  /**
   * @param data  size x size values, row by row.
   * @param size  Of a side, in pixels.
   */
  constructor(data: Float32Array, private readonly size: number) {
    this.at = {
      // The last pair of an odd row is read over its end.
      window: this.layout.claim(data.byteLength + 8),
      state: this.layout.claim(8 * DISC_PARAMETERS),
      room: this.layout.claim(8 * (DISC_PARAMETERS + 2) * (size + 1)),
      normal: this.layout.claim(8 * DISC_PARAMETERS * DISC_PARAMETERS),
      right: this.layout.claim(8 * DISC_PARAMETERS),
    }
    const { memory } = this.kernels
    reserve(memory, this.layout.end)
    new Float32Array(memory.buffer, this.at.window, data.length).set(data)
    this.state = new Float64Array(memory.buffer, this.at.state, DISC_PARAMETERS)
    this.normal = new Float64Array(memory.buffer, this.at.normal, DISC_PARAMETERS * DISC_PARAMETERS)
    this.right = new Float64Array(memory.buffer, this.at.right, DISC_PARAMETERS)
  }

  /** Sum of Geman and McClure's loss of what a disc leaves, of which a residual of three times `spread` has half of the most. */
  robustCost(state: Float64Array, spread: number): number {
    this.state.set(state)
    return this.kernels.robustCost(this.at.window, this.size, this.at.state, 1 / (9 * spread * spread))
  }

  /**
   * Normal equations of one step of Gauss and Newton's method, residuals of more than three times `spread` counting less than half.
   *
   * @param normal  8 x 8 numbers: the lower triangle is written, and one number beside the diagonal of every other row.
   * @param right   8 numbers, written.
   */
  normalEquations(state: Float64Array, spread: number, normal: Float64Array, right: Float64Array): void {
    const { at } = this
    this.state.set(state)
    this.kernels.normalEquations(at.window, this.size, at.state, 1 / (3 * spread), at.room, at.normal, at.right)
    normal.set(this.normal)
    right.set(this.right)
  }
}
