// Means over squares and what is made of them (core/kernels/smoothing/box.ts is the only caller), in AssemblyScript; compiled by
// scripts/generate.ts. Addresses are in bytes.

// @ts-nocheck: the compiler of this file is AssemblyScript's.

/**
 * Values are summed as whole multiples of this, so that sums are exact and a pixel does not depend on where its tile
 * begins: 2^-28, so that squares of 512 x 512 pixels of values up to 100 stay below 2^53.
 */
const PER_QUANTUM: f64 = 268435456
const QUANTUM: f64 = 1 / PER_QUANTUM

/** A plane of floats, and room for three rows of doubles. */
export function boxMean(source: usize, into: usize, width: i32, height: i32, radius: i32, room: usize): void {
  const columns = room
  const row = columns + (<usize>(width + 1) << 3)
  const shares = row + (<usize>(width + 1) << 3)
  memory.fill(columns, 0, <usize>(width + 1) << 3)
  for (let x = 0; x < width; x++) f64.store(shares + (<usize>x << 3), QUANTUM / <f64>(min(width - 1, x + radius) - max(0, x - radius) + 1))
  for (let y = 0; y < min(radius, height); y++) addRow(columns, source + (<usize>(y * width) << 2), width, 1)
  for (let y = 0; y < height; y++) {
    if (y + radius < height) addRow(columns, source + (<usize>((y + radius) * width) << 2), width, 1)
    if (y - radius > 0) addRow(columns, source + (<usize>((y - radius - 1) * width) << 2), width, -1)
    slide(columns, row, width, radius)
    const rows = <f64>(min(height - 1, y + radius) - max(0, y - radius) + 1)
    const to = into + (<usize>(y * width) << 2)
    let x = 0
    for (; x + 2 <= width; x += 2) {
      const at = <usize>x << 3
      const two = f64x2.div(f64x2.mul(v128.load(row + at), v128.load(shares + at)), f64x2.splat(rows))
      v128.store64_lane(to + (<usize>x << 2), f32x4.demote_f64x2_zero(two), 0)
    }
    for (; x < width; x++) f32.store(to + (<usize>x << 2), <f32>((f64.load(row + (<usize>x << 3)) * f64.load(shares + (<usize>x << 3))) / rows))
  }
}

/** Add a row in quanta to the sums of columns so many times: once, or -1 to take it out again. */
function addRow(columns: usize, source: usize, width: i32, times: f64): void {
  let x = 0
  for (; x + 2 <= width; x += 2) {
    const at = columns + (<usize>x << 3)
    const two = f64x2.promote_low_f32x4(v128.load64_zero(source + (<usize>x << 2)))
    const quanta = f64x2.floor(f64x2.add(f64x2.mul(two, f64x2.splat(PER_QUANTUM)), f64x2.splat(0.5)))
    v128.store(at, f64x2.add(v128.load(at), f64x2.mul(f64x2.splat(times), quanta)))
  }
  for (; x < width; x++) {
    const at = columns + (<usize>x << 3)
    f64.store(at, f64.load(at) + times * floor<f64>(<f64>f32.load(source + (<usize>x << 2)) * PER_QUANTUM + 0.5))
  }
}

/** Sums of columns within the radius of each column. */
function slide(columns: usize, into: usize, width: i32, radius: i32): void {
  let sum: f64 = 0
  for (let x = 0; x < min(radius, width); x++) sum += f64.load(columns + (<usize>x << 3))
  for (let x = 0; x < width; x++) {
    if (x + radius < width) sum += f64.load(columns + (<usize>(x + radius) << 3))
    if (x - radius > 0) sum -= f64.load(columns + (<usize>(x - radius - 1) << 3))
    f64.store(into + (<usize>x << 3), sum)
  }
}

/** In the order in which core/kernels/smoothing/box.ts writes it. */
@unmanaged
class Guided {
  /** Of the guide below which it is flat. */
  variance: f64
  width: i32
  height: i32
  radius: i32
  /** The guide, its means and those of its square, a plane each. */
  guide: usize
  guideMean: usize
  guideSquare: usize
  /** What is filtered, and what becomes of it. */
  plane: usize
  /** Room for a plane each, and for rows as `boxMean` wants it. */
  product: usize
  slope: usize
  offset: usize
  room: usize
}

/** What is the same for all planes with one guide. */
export function takeGuide(how: Guided): void {
  multiply(how.guide, how.guide, how.product, how.width * how.height)
  boxMean(how.guide, how.guideMean, how.width, how.height, how.radius, how.room)
  boxMean(how.product, how.guideSquare, how.width, how.height, how.radius, how.room)
}

/** He, Sun and Tang 2013, "Guided image filtering", eq. 5, 6 and 8. The result is in `plane`. */
export function guided(how: Guided): void {
  const width = how.width
  const height = how.height
  const count = width * height
  multiply(how.guide, how.plane, how.product, count)
  boxMean(how.product, how.slope, width, height, how.radius, how.room)
  boxMean(how.plane, how.offset, width, height, how.radius, how.room)
  for (let i = 0; i < count; i++) {
    const at = <usize>i << 2
    const g = <f64>f32.load(how.guideMean + at)
    const p = <f64>f32.load(how.offset + at)
    const spread = max<f64>(0, <f64>f32.load(how.guideSquare + at) - g * g)
    const slope = <f32>((<f64>f32.load(how.slope + at) - g * p) / (spread + how.variance))
    f32.store(how.slope + at, slope)
    f32.store(how.offset + at, <f32>(p - <f64>slope * g))
  }
  boxMean(how.slope, how.product, width, height, how.radius, how.room)
  boxMean(how.offset, how.slope, width, height, how.radius, how.room)
  for (let i = 0; i < count; i++) {
    const at = <usize>i << 2
    f32.store(how.plane + at, <f32>(<f64>f32.load(how.product + at) * <f64>f32.load(how.guide + at) + <f64>f32.load(how.slope + at)))
  }
}

function multiply(a: usize, b: usize, into: usize, count: i32): void {
  for (let i = 0; i < count; i++) {
    const at = <usize>i << 2
    f32.store(into + at, <f32>(<f64>f32.load(a + at) * <f64>f32.load(b + at)))
  }
}
