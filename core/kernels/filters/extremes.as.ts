// Running extremes (core/kernels/filters/extremes.ts is the only caller), in AssemblyScript; compiled by scripts/generate.ts.
// Addresses are in bytes.

// @ts-nocheck: the compiler of this file is AssemblyScript's.

/**
 * Least value of a square around each pixel of a plane of floats, times the sign: with -1 the greatest, since the greatest is
 * what the least of the negatives is negated. The result stands where the plane stood.
 *
 * @param across  Room for a plane.
 * @param room    Room for 2 radius + 3 rows of the width, and for a row that is longer by 2 radius and a vector.
 */
export function squareExtreme(plane: usize, across: usize, width: i32, height: i32, radius: i32, sign: f32, room: usize): void {
  const row = <usize>width << 2
  const window = 2 * radius + 1
  leastAcross(plane, across, width, height, radius, sign, room + <usize>(window + 2) * row)
  leastDown(across, plane, width, height, radius, sign, room)
}

/** The least values along all rows, times the sign; room for a row that is longer by 2 radius and a vector. */
export function leastAcross(plane: usize, across: usize, width: i32, height: i32, radius: i32, sign: f32, room: usize): void {
  const row = <usize>width << 2
  for (let y = 0; y < height; y++) leastAlong(plane + <usize>y * row, across + <usize>y * row, width, radius, sign, room)
}

/** The lesser of a plane and one that is shifted down by some rows, below 0 up. */
export function leastOfShifted(into: usize, plane: usize, width: i32, height: i32, shift: i32): void {
  const row = <usize>width << 2
  for (let y = max(0, -shift); y < min(height, height - shift); y++) {
    const to = into + <usize>y * row
    leastOfTwo(to, to, plane + <usize>(y + shift) * row, width)
  }
}

/** Along a row: least values of 1, 2, 4 and more pixels, each of two of the one before; two that overlap make the window. */
function leastAlong(source: usize, into: usize, width: i32, radius: i32, sign: f32, line: usize): void {
  const padded = width + 2 * radius + 4
  for (let i = 0; i < radius; i++) f32.store(line + (<usize>i << 2), Infinity)
  for (let i = 0; i < width; i++) f32.store(line + (<usize>(i + radius) << 2), sign * f32.load(source + (<usize>i << 2)))
  for (let i = width + radius; i < padded; i++) f32.store(line + (<usize>i << 2), Infinity)
  const window = 2 * radius + 1
  let span = 1
  for (; 2 * span <= window; span *= 2) leastOfTwo(line, line, line + (<usize>span << 2), padded - span)
  leastOfTwo(into, line, line + (<usize>(window - span) << 2), width)
}

/** Down the columns, row by row: van Herk 1992, the end of one run of rows and the beginning of the next. */
function leastDown(source: usize, into: usize, width: i32, height: i32, radius: i32, sign: f32, room: usize): void {
  const row = <usize>width << 2
  const window = 2 * radius + 1
  const ahead = room + <usize>window * row
  const nothing = ahead + row
  for (let i = 0; i < width; i++) f32.store(nothing + (<usize>i << 2), Infinity)
  for (let first = 0; first < height; first += window) {
    // Rows are counted from the one that lies the radius above the plane.
    for (let j = window - 1; j >= 0; j--) {
      const y = first + j - radius
      const from = y >= 0 && y < height ? source + <usize>y * row : nothing
      leastOfTwo(room + <usize>j * row, from, j === window - 1 ? nothing : room + <usize>(j + 1) * row, width)
    }
    memory.copy(ahead, nothing, row)
    for (let j = 0; j < window && first + j < height; j++) {
      const y = first + j + radius
      if (j > 0 && y < height) leastOfTwo(ahead, ahead, source + <usize>y * row, width)
      signedLeast(into + <usize>(first + j) * row, room + <usize>j * row, ahead, width, sign)
    }
  }
}

/** The lesser of two, value by value; what is written may lie where the first is read. */
function leastOfTwo(into: usize, a: usize, b: usize, count: i32): void {
  let i = 0
  for (; i + 4 <= count; i += 4) {
    const at = <usize>i << 2
    v128.store(into + at, f32x4.pmin(v128.load(a + at), v128.load(b + at)))
  }
  for (; i < count; i++) {
    const at = <usize>i << 2
    const one = f32.load(a + at)
    const other = f32.load(b + at)
    f32.store(into + at, other < one ? other : one)
  }
}

function signedLeast(into: usize, a: usize, b: usize, count: i32, sign: f32): void {
  const signs = f32x4.splat(sign)
  let i = 0
  for (; i + 4 <= count; i += 4) {
    const at = <usize>i << 2
    v128.store(into + at, f32x4.mul(signs, f32x4.pmin(v128.load(a + at), v128.load(b + at))))
  }
  for (; i < count; i++) {
    const at = <usize>i << 2
    f32.store(into + at, sign * min<f32>(f32.load(a + at), f32.load(b + at)))
  }
}
