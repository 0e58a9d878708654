import { turnTable } from '../filters/fourier.js'
import { WASM } from '../generated/tone-waves-wasm.js'
import { Layout, lazily, reserve, Struct } from '../module.js'

/** The compiled kernels; all take addresses in bytes. */
interface Kernels {
  readonly memory: WebAssembly.Memory
  roomBytes(most: number): number
  continueWindow(window: number, left: number, top: number, count: number): number
}

/** As the kernel declares it. */
const WINDOW = new Struct(['secondHand', 'share', 'least'], ['picture', 'role', 'width', 'height', 'channels', 'says', 'prior', 'turns', 'room', 'most', 'places'])

const compiled = lazily<Kernels>(WASM)

/** Side of the window, in pixels. */
export const TONE_WINDOW = 32
/** Waves are looked for up to so many turns within the window: grain is laid on afterwards, and of what else a gap holds finer ones say nothing that can be measured (bench/mending/known-damage.ts). */
export const TONE_FINEST = 9
/** How likelihoods are laid out: column after column, one row more than there are frequencies. */
const COLUMNS = TONE_FINEST + 1
const ROWS = 2 * TONE_FINEST + 2

/** A picture with gaps. */
export interface PartlyKnown {
  readonly width: number
  readonly height: number
  /** Shares of the largest value, one plane a channel, four at most. */
  readonly channels: readonly Float32Array[]
  /** By pixel, 0 where it is known, 1 or 2 where not. */
  readonly role: Uint8Array
}

/** How a window looks at a picture. */
export interface ToneWindow {
  /** How much each of its pixels has to say, row by row. */
  readonly says: Float32Array
  /** What of that is left to pixels that were filled. */
  readonly secondHand: number
  /** How likely a wave of so many turns across and down is, for `u` from 0 and `v` from -TONE_FINEST to TONE_FINEST. */
  readonly prior: (u: number, v: number) => number
  /** Waves at most; one frequency may be chosen more than once. */
  readonly most: number
  /** Of a wave's amplitude that is taken at once, 0..1: waves seen through weights are not at right angles. */
  readonly share: number
  /** Stops below this share of the first wave's energy. */
  readonly least: number
}

/**
 * A picture in the kernel's memory that is continued into its gaps through a window that is moved about; good until the
 * next is opened, since there is one memory a thread.
 */
export class ToneTable {
  private readonly kernels = compiled()
  private readonly places: Int32Array
  private readonly at: Record<'picture' | 'role' | 'says' | 'prior' | 'turns' | 'room' | 'places' | 'struct', number>

  /** @param window  Its form is the same wherever it is moved. */
  constructor(private readonly picture: PartlyKnown, window: ToneWindow) {
    const { width, height, channels, role } = picture
    const { says, prior, most, secondHand, share, least } = window
    const pixels = width * height
    const layout = new Layout()
    this.at = {
      picture: layout.claim(4 * channels.length * pixels),
      role: layout.claim(pixels),
      says: layout.claim(4 * says.length),
      prior: layout.claim(4 * ROWS * COLUMNS),
      turns: layout.claim(4 * 2 * TONE_WINDOW),
      room: layout.claim(this.kernels.roomBytes(most)),
      places: layout.claim(4 * says.length),
      struct: layout.claim(WINDOW.bytes),
    }
    const { memory } = this.kernels
    reserve(memory, layout.end)
    this.places = new Int32Array(memory.buffer, this.at.places, says.length)
    channels.forEach((plane, c) => this.plane(c).set(plane))
    new Uint8Array(memory.buffer, this.at.role, pixels).set(role)
    new Float32Array(memory.buffer, this.at.says, says.length).set(says)
    const likely = new Float32Array(memory.buffer, this.at.prior, ROWS * COLUMNS)
    for (let i = 0; i < likely.length; i++) likely[i] = i % ROWS === ROWS - 1 ? 0 : prior(Math.floor(i / ROWS), (i % ROWS) - TONE_FINEST)
    // A plane that fills up a pair stays 0.
    new Uint8Array(memory.buffer, this.at.room, this.kernels.roomBytes(most)).fill(0)
    const { cosines, sines } = turnTable(TONE_WINDOW)
    const turns = new Float32Array(memory.buffer, this.at.turns, 2 * TONE_WINDOW)
    turns.set(cosines)
    turns.set(sines, TONE_WINDOW)
    WINDOW.write(memory.buffer, this.at.struct, { ...this.at, secondHand, share, least, width, height, channels: channels.length, most })
  }

  /** Values of a channel, shares of the largest: good until another table is opened. */
  plane(c: number): Float32Array {
    const pixels = this.picture.width * this.picture.height
    return new Float32Array(this.kernels.memory.buffer, this.at.picture + 4 * c * pixels, pixels)
  }

  /**
   * Continue what is seen through the window by a sparse sum of waves, chosen greedily by the tone of all channels
   * together so that it comes near to what is known, and let it be seen at second hand from then on.
   *
   * @param left    Column of the picture at the window's left edge; with `top` it may lie outside.
   * @param pixels  Indices of the pixels within the window that get values in `plane`.
   * @returns Whether anything was seen; else nothing is changed.
   */
  continueInto(left: number, top: number, pixels: readonly number[]): boolean {
    for (let k = 0; k < pixels.length; k++) this.places[k] = pixels[k]!
    return this.kernels.continueWindow(this.at.struct, left, top, pixels.length) === 1
  }
}
