import { PI, cos, sin } from '../../numbers/exact-math.js'
import type { Plane } from '../../raster/raster.js'
import { WASM } from '../generated/fourier-wasm.js'
import { Layout, lazily, reserve } from '../module.js'

/** The compiled kernel; takes addresses in bytes. */
interface Kernels {
  readonly memory: WebAssembly.Memory
  transformSquare(side: number, real: number, imaginary: number, spareReal: number, spareImaginary: number, turns: number, reversed: number): void
  fadeIn(values: number, side: number, fade: number, into: number): void
  standOut(energies: number, places: number, ends: number, groups: number, times: number, into: number): void
  energiesOfPart(side: number, real: number, imaginary: number, part: number, into: number): void
}

const compiled = lazily<Kernels>(WASM)

interface Table { readonly cosines: Float64Array; readonly sines: Float64Array; readonly reversed: Int32Array }

const tables = new Map<number, Table>()

/** Cosines and sines of a whole turn in `side` steps, and the order in which a transform takes its numbers. */
export function turnTable(side: number): Table {
  let table = tables.get(side)
  if (!table) {
    const reversed = new Int32Array(side)
    for (let i = 1; i < side; i++) reversed[i] = (reversed[i >> 1]! >> 1) | (i & 1 ? side >> 1 : 0)
    const angles = Float64Array.from({ length: side }, (_value, k) => (2 * PI * k) / side)
    table = { cosines: angles.map(cos), sines: angles.map(sin), reversed }
    tables.set(side, table)
  }
  return table
}

/**
 * A square of complex numbers in the kernel's memory; good until the next is opened, since there is one memory a thread.
 */
export class FourierSquare {
  /** side x side numbers, row by row. */
  readonly real: Float64Array
  readonly imaginary: Float64Array
  private readonly kernels = compiled()
  private readonly layout = new Layout()
  private readonly at: Record<'real' | 'imaginary' | 'spareReal' | 'spareImaginary' | 'turns' | 'reversed' | 'values' | 'fade' | 'energies' | 'places' | 'ends' | 'standing', number>

  /**
   * @param side    A power of two, at least 2.
   * @param groups  Places in it, row by row, whose energies are held against one another.
   * @throws {RangeError} when the side is no power of two.
   */
  constructor(private readonly side: number, private readonly groups: readonly Int32Array[] = []) {
    if (side < 2 || (side & (side - 1)) !== 0) throw new RangeError(`A side of ${side} is no power of two`)
    const square = () => this.layout.claim(8 * side * side)
    this.at = { real: square(), imaginary: square(), spareReal: square(), spareImaginary: square(), turns: this.layout.claim(16 * side), reversed: this.layout.claim(4 * side), values: this.layout.claim(4 * side * side), fade: this.layout.claim(8 * side), energies: this.layout.claim(4 * side * side), places: this.layout.claim(4 * side * side), ends: this.layout.claim(4 * groups.length), standing: this.layout.claim(groups.length) }
    const { memory } = this.kernels
    reserve(memory, this.layout.end)
    this.real = new Float64Array(memory.buffer, this.at.real, side * side)
    this.imaginary = new Float64Array(memory.buffer, this.at.imaginary, side * side)
    const { cosines, sines, reversed } = turnTable(side)
    const turns = new Float64Array(memory.buffer, this.at.turns, 2 * side)
    turns.set(cosines)
    turns.set(sines, side)
    new Int32Array(memory.buffer, this.at.reversed, side).set(reversed)
    let end = 0
    groups.forEach((group, k) => {
      new Int32Array(memory.buffer, this.at.places + 4 * end, group.length).set(group)
      end += group.length
      new Int32Array(memory.buffer, this.at.ends, groups.length)[k] = end
    })
  }

  /**
   * Discrete Fourier transform, in place: sum of value x exp(-2 pi i (u x + v y) / side), not scaled.
   *
   * Cooley and Tukey 1965, "An algorithm for the machine calculation of complex Fourier series" (radix 2).
   */
  transform(): void {
    const { at } = this
    this.kernels.transformSquare(this.side, at.real, at.imaginary, at.spareReal, at.spareImaginary, at.turns, at.reversed)
  }

  /**
   * Take in a square of a plane, less its mean and faded to its edges, as one of the two parts.
   *
   * @param left  First column of the square; it lies whole within the plane.
   * @param top   Its first row.
   * @param fade  What is left at each place of a row, and of a column alike.
   */
  fadeIn(part: 'real' | 'imaginary', { width, data }: Plane, left: number, top: number, fade: Float64Array): void {
    const { side, at, kernels: { memory } } = this
    const values = new Float32Array(memory.buffer, at.values, side * side)
    for (let y = 0, from = top * width + left; y < side; y++, from += width) values.set(data.subarray(from, from + side), y * side)
    new Float64Array(memory.buffer, at.fade, side).set(fade)
    this.kernels.fadeIn(at.values, side, at.fade, at[part])
  }

  /**
   * Energies of one part after two real squares were transformed as the real and the imaginary part of one: the spectrum
   * of what is real is its own mirror image, so sums and differences with the mirror image tell both apart.
   *
   * @returns side x side numbers, good until this is called again.
   */
  energiesOf(part: 'real' | 'imaginary'): Float32Array {
    const { side, at } = this
    this.kernels.energiesOfPart(side, at.real, at.imaginary, part === 'real' ? 1 : -1, at.energies)
    return new Float32Array(this.kernels.memory.buffer, at.energies, side * side)
  }

  /**
   * Of which groups one of the energies that were told last may be so many times their upper median: less than half of them
   * reach the greatest over that.
   *
   * @returns 1 or 0 for each, good until this is called again.
   */
  standOut(times: number): Uint8Array {
    const { at, groups, kernels } = this
    kernels.standOut(at.energies, at.places, at.ends, groups.length, times, at.standing)
    return new Uint8Array(kernels.memory.buffer, at.standing, groups.length)
  }
}
