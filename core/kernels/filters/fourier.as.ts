// Fourier transform of a square of complex numbers, in AssemblyScript, two numbers at a time; compiled by
// scripts/generate.ts. Addresses are in bytes. core/kernels/filters/fourier.ts calls it, and so do the waves.

// @ts-nocheck: the compiler of this file is AssemblyScript's.

/**
 * Discrete Fourier transform of a square of doubles, in place, rows first.
 *
 * @param spareReal  Room for such a plane, as `spareImaginary`.
 * @param turns      Cosines, then sines of a whole turn in `side` steps, as doubles.
 * @param reversed   In which order a transform takes its numbers, as integers.
 */
export function transformSquare(side: i32, real: usize, imaginary: usize, spareReal: usize, spareImaginary: usize, turns: usize, reversed: usize): void {
  transpose(side, real, spareReal)
  transpose(side, imaginary, spareImaginary)
  transformColumns(side, spareReal, spareImaginary, turns, reversed)
  transpose(side, spareReal, real)
  transpose(side, spareImaginary, imaginary)
  transformColumns(side, real, imaginary, turns, reversed)
}

function transpose(side: i32, from: usize, to: usize): void {
  const row = <usize>side << 3
  for (let y = 0; y < side; y++) for (let x = 0; x < side; x++) f64.store(to + <usize>x * row + (<usize>y << 3), f64.load(from + <usize>y * row + (<usize>x << 3)))
}

function transformColumns(side: i32, real: usize, imaginary: usize, turns: usize, reversed: usize): void {
  const row = <usize>side << 3
  for (let y = 0; y < side; y++) {
    const other = load<i32>(reversed + (<usize>y << 2))
    if (other <= y) continue
    swapRows(real + <usize>y * row, real + <usize>other * row, row)
    swapRows(imaginary + <usize>y * row, imaginary + <usize>other * row, row)
  }
  for (let half = 1; half < side; half *= 2) {
    const turn = side / (2 * half)
    for (let k = 0; k < half; k++) {
      const c = v128.load64_splat(turns + (<usize>(k * turn) << 3))
      const s = v128.load64_splat(turns + (<usize>(side + k * turn) << 3))
      for (let y = k; y < side; y += 2 * half) {
        const above = <usize>y * row
        const below = above + <usize>half * row
        for (let x: usize = 0; x < row; x += 16) {
          const ar = v128.load(real + above + x)
          const ai = v128.load(imaginary + above + x)
          const br = v128.load(real + below + x)
          const bi = v128.load(imaginary + below + x)
          const turnedReal = f64x2.add(f64x2.mul(br, c), f64x2.mul(bi, s))
          const turnedImaginary = f64x2.sub(f64x2.mul(bi, c), f64x2.mul(br, s))
          v128.store(real + below + x, f64x2.sub(ar, turnedReal))
          v128.store(imaginary + below + x, f64x2.sub(ai, turnedImaginary))
          v128.store(real + above + x, f64x2.add(ar, turnedReal))
          v128.store(imaginary + above + x, f64x2.add(ai, turnedImaginary))
        }
      }
    }
  }
}

function swapRows(a: usize, b: usize, bytes: usize): void {
  for (let x: usize = 0; x < bytes; x += 16) {
    const one = v128.load(a + x)
    v128.store(a + x, v128.load(b + x))
    v128.store(b + x, one)
  }
}

export function fadeIn(values: usize, side: i32, fade: usize, into: usize): void {
  const count = side * side
  let sum: f64 = 0
  for (let i = 0; i < count; i++) sum += <f64>f32.load(values + (<usize>i << 2))
  const mean = f64x2.splat(sum / <f64>count)
  for (let y = 0; y < side; y++) {
    const down = v128.load64_splat(fade + (<usize>y << 3))
    for (let x = 0; x < side; x += 2) {
      const i = <usize>(y * side + x)
      const value = f64x2.promote_low_f32x4(v128.load64_zero(values + (i << 2)))
      v128.store(into + (i << 3), f64x2.mul(f64x2.mul(v128.load(fade + (<usize>x << 3)), down), f64x2.sub(value, mean)))
    }
  }
}

export function standOut(energies: usize, places: usize, ends: usize, groups: i32, times: f64, into: usize): void {
  let from = 0
  for (let group = 0; group < groups; group++) {
    const end = load<i32>(ends + (<usize>group << 2))
    let most: f32 = 0
    for (let n = from; n < end; n++) most = max(most, f32.load(energies + (<usize>load<i32>(places + (<usize>n << 2)) << 2)))
    const least = <f64>most / times
    let near = 0
    for (let n = from; n < end; n++) near += i32(<f64>f32.load(energies + (<usize>load<i32>(places + (<usize>n << 2)) << 2)) > least)
    store<u8>(into + <usize>group, u8(2 * near <= end - from))
    from = end
  }
}

export function energiesOfPart(side: i32, real: usize, imaginary: usize, part: f64, into: usize): void {
  const last = side - 1
  for (let row = 0; row < side; row++) {
    const mirroredRow = ((side - row) & last) * side
    for (let column = 0; column < side; column++) {
      const i = <usize>(row * side + column)
      const mirrored = <usize>(mirroredRow + ((side - column) & last)) << 3
      const r = f64.load(real + (i << 3)) + part * f64.load(real + mirrored)
      const m = f64.load(imaginary + (i << 3)) - part * f64.load(imaginary + mirrored)
      f32.store(into + (i << 2), <f32>(0.25 * (r * r + m * m)))
    }
  }
}
