import { turnTable } from './fourier.js'
import { WASM } from './generated/waves-wasm.js'
import { Layout, lazily, reserve } from './module.js'

/** The compiled kernels; all take addresses in bytes. */
interface Kernels {
  readonly memory: WebAssembly.Memory
  look(picture: number, seen: number, width: number, height: number, channels: number, side: number, says: number, second: number, left: number, top: number, planes: number, means: number): number
  continueWindow(side: number, stride: number, band: number, channels: number, planes: number, spare: number, turns: number, reversed: number, spectrum: number, left: number, prior: number, most: number, share: number, least: number, waves: number, places: number, count: number, into: number): void
}

const compiled = lazily<Kernels>(WASM)

/** A picture with gaps. */
export interface GappyPicture {
  readonly width: number
  readonly height: number
  /** Shares of the largest value, one plane a channel, four at most. */
  readonly channels: readonly Float32Array[]
  /** By pixel, whether it is known. */
  readonly known: Uint8Array
}

/** How a window looks at a picture. */
export interface WaveWindow {
  /** A power of two, at least 8. */
  readonly side: number
  /** How much each of its pixels has to say, row by row. */
  readonly says: Float64Array
  /** What of that is left to pixels that were filled. */
  readonly secondHand: number
  /** How likely each frequency is, row by row for columns 0 to side / 2. What is never chosen costs no time. */
  readonly prior: Float32Array
  /** Waves at most; one frequency may be chosen more than once. */
  readonly most: number
  /** Of a wave's amplitude that is taken at once, 0..1: waves seen through weights are not at right angles. */
  readonly share: number
  /** Stops below this share of the first wave's energy. */
  readonly least: number
}

/**
 * A picture in the kernels' memory that is continued into its gaps through a window that is moved about; good until the
 * next is opened, since there is one memory a thread.
 */
export class WaveTable {
  private readonly kernels = compiled()
  private readonly at: Record<'picture' | 'seen' | 'says' | 'means' | 'planes' | 'spare' | 'turns' | 'reversed' | 'spectrum' | 'left' | 'prior' | 'waves' | 'places' | 'into', number>
  private readonly stride: number
  private readonly band: number

  /**
   * @param picture  Taken in; changed by `continueInto`.
   * @param window   Its form is the same wherever it is moved.
   */
  constructor(private readonly picture: GappyPicture, private readonly window: WaveWindow) {
    const { width, height, channels, known } = picture
    const { side, says, prior, most } = window
    const half = side / 2 + 1
    const { columns, band } = extentOf(prior, side)
    this.band = band
    this.stride = Math.ceil(columns / 4) * 4
    const pixels = width * height
    const square = side * side
    const layout = new Layout()
    this.at = {
      picture: layout.claim(4 * channels.length * pixels),
      seen: layout.claim(pixels),
      says: layout.claim(8 * square),
      means: layout.claim(8 * channels.length),
      planes: layout.claim(8 * 2 * ((channels.length + 2) >> 1) * square),
      spare: layout.claim(8 * 2 * square),
      turns: layout.claim(8 * 2 * side),
      reversed: layout.claim(4 * side),
      spectrum: layout.claim(4 * 8 * square),
      left: layout.claim(4 * 2 * channels.length * side * this.stride),
      prior: layout.claim(4 * side * this.stride),
      waves: layout.claim(4 * (2 + 2 * channels.length) * most + 64),
      places: layout.claim(4 * square),
      into: layout.claim(8 * channels.length * square),
    }
    const { memory } = this.kernels
    reserve(memory, layout.end)
    const { buffer } = memory
    channels.forEach((plane, c) => this.plane(c).set(plane))
    this.seen.set(known)
    new Float64Array(buffer, this.at.says, square).set(says)
    const { cosines, sines, reversed } = turnTable(side)
    const turns = new Float64Array(buffer, this.at.turns, 2 * side)
    turns.set(cosines)
    turns.set(sines, side)
    new Int32Array(buffer, this.at.reversed, side).set(reversed)
    const likely = new Float32Array(buffer, this.at.prior, side * this.stride)
    likely.fill(0)
    for (let y = 0; y < side; y++) likely.set(prior.subarray(y * half, y * half + Math.min(half, this.stride)), y * this.stride)
  }

  private plane(c: number): Float32Array {
    const pixels = this.picture.width * this.picture.height
    return new Float32Array(this.kernels.memory.buffer, this.at.picture + 4 * c * pixels, pixels)
  }

  private get seen(): Uint8Array {
    return new Uint8Array(this.kernels.memory.buffer, this.at.seen, this.picture.known.length)
  }

  /**
   * Continue what is seen through the window by a sparse sum of waves, chosen greedily so that it comes near to what is
   * known, and let it be seen at second hand from then on.
   *
   * @param left    Column of the picture at the window's left edge; with `top` it may lie outside.
   * @param pixels  Indices of the pixels within the window that get values.
   * @returns Whether anything was seen; else nothing is changed.
   */
  continueInto(left: number, top: number, pixels: readonly number[] | Int32Array): boolean {
    const { at, window: { side, secondHand, most, share, least }, picture: { width, height, channels } } = this
    const n = channels.length
    if (!this.kernels.look(at.picture, at.seen, width, height, n, side, at.says, secondHand, left, top, at.planes, at.means)) return false
    const { buffer } = this.kernels.memory
    const places = new Int32Array(buffer, at.places, pixels.length)
    for (let k = 0; k < pixels.length; k++) {
      const x = pixels[k]! % width
      places[k] = ((pixels[k]! - x) / width - top) * side + x - left
    }
    this.kernels.continueWindow(side, this.stride, this.band, n, at.planes, at.spare, at.turns, at.reversed, at.spectrum, at.left, at.prior, most, share, least, at.waves, at.places, pixels.length, at.into)
    const means = new Float64Array(buffer, at.means, n)
    const halves = new Float64Array(buffer, at.into, n * pixels.length)
    for (let c = 0; c < n; c++) {
      const plane = this.plane(c)
      const values = channels[c]!
      for (let k = 0; k < pixels.length; k++) values[pixels[k]!] = plane[pixels[k]!] = Math.max(0, Math.min(1, means[c]! + 2 * halves[k * n + c]!))
    }
    const { seen } = this
    for (let k = 0; k < pixels.length; k++) seen[pixels[k]!] = 2
    return true
  }
}

/** In how many columns, and up to which row from the first, waves have a likelihood above 0. */
function extentOf(prior: Float32Array, side: number): { columns: number; band: number } {
  const half = side / 2 + 1
  let columns = 1
  let band = 0
  for (let y = 0; y < side; y++) {
    for (let x = 0; x < half; x++) {
      if (prior[y * half + x] === 0) continue
      columns = Math.max(columns, x + 1)
      band = Math.max(band, Math.min(y, side - y))
    }
  }
  return { columns, band }
}
