import { PI, cos, sin } from './exact-math.js'

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
 * Discrete Fourier transform of a square, in place: sum of value x exp(-2 pi i (u x + v y) / side), not scaled.
 *
 * @param real       side x side numbers, row by row.
 * @param imaginary  As many.
 * @param side       A power of two, at least 2.
 * @throws {RangeError} when the side is no power of two.
 *
 * Cooley and Tukey 1965, "An algorithm for the machine calculation of complex Fourier series" (radix 2).
 */
export function transformSquare(real: Float64Array, imaginary: Float64Array, side: number): void {
  if (side < 2 || (side & (side - 1)) !== 0) throw new RangeError(`A side of ${side} is no power of two`)
  const table = turnTable(side)
  transformColumns(real, imaginary, side, table)
  for (let y = 0; y < side; y++) transformLine(real, imaginary, side, y * side, table)
}

function transformLine(real: Float64Array, imaginary: Float64Array, side: number, start: number, { cosines, sines, reversed }: Table): void {
  for (let i = 0; i < side; i++) if (reversed[i]! > i) exchange(real, imaginary, start + i, start + reversed[i]!)
  for (let half = 1; half < side; half *= 2) {
    const turn = side / (2 * half)
    for (let k = 0; k < half; k++) {
      const c = cosines[k * turn]!
      const s = sines[k * turn]!
      for (let i = start + k; i < start + side; i += 2 * half) butterfly(real, imaginary, i, i + half, c, s)
    }
  }
}

/** All columns at once, a row of butterflies after the other: numbers that lie side by side are done in turn. */
function transformColumns(real: Float64Array, imaginary: Float64Array, side: number, { cosines, sines, reversed }: Table): void {
  for (let i = 0; i < side; i++) {
    if (reversed[i]! <= i) continue
    for (let x = 0; x < side; x++) exchange(real, imaginary, i * side + x, reversed[i]! * side + x)
  }
  for (let half = 1; half < side; half *= 2) {
    const turn = side / (2 * half)
    for (let k = 0; k < half; k++) {
      const c = cosines[k * turn]!
      const s = sines[k * turn]!
      for (let i = k; i < side; i += 2 * half) {
        const upper = i * side
        const lower = (i + half) * side
        for (let x = 0; x < side; x++) butterfly(real, imaginary, upper + x, lower + x, c, s)
      }
    }
  }
}

function exchange(real: Float64Array, imaginary: Float64Array, a: number, b: number): void {
  const r = real[a]!
  const m = imaginary[a]!
  real[a] = real[b]!
  imaginary[a] = imaginary[b]!
  real[b] = r
  imaginary[b] = m
}

/** Two numbers into their sum and their difference, the second turned first. */
function butterfly(real: Float64Array, imaginary: Float64Array, a: number, b: number, c: number, s: number): void {
  const x = real[b]!
  const y = imaginary[b]!
  const r = x * c + y * s
  const m = y * c - x * s
  real[b] = real[a]! - r
  imaginary[b] = imaginary[a]! - m
  real[a]! += r
  imaginary[a]! += m
}
