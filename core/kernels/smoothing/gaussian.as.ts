// A separable filter (core/raster/blur.ts), in AssemblyScript, in double precision, two pixels at a time; compiled by
// scripts/generate.ts. Addresses are in bytes. core/kernels/smoothing/gaussian.ts is the only caller.

// @ts-nocheck: the compiler of this file is AssemblyScript's.

/**
 * Filter a plane across and down; beyond the edge the edge pixel is repeated. The taps of a pixel are added up one after
 * another from the first, as plain code would, so that the sum is the same to the last bit.
 *
 * @param source   width x height floats; `into` likewise, and may not be the same.
 * @param taps     2 radius + 1 doubles.
 * @param across   Room for one plane.
 * @param line     Room for width + 2 radius doubles.
 */
export function filter(source: usize, into: usize, width: i32, height: i32, taps: usize, radius: i32, across: usize, line: usize): void {
  for (let y = 0; y < height; y++) filterRow(source + (<usize>(y * width) << 2), across + (<usize>(y * width) << 2), width, taps, radius, line)
  for (let y = 0; y < height; y++) filterDown(across, into + (<usize>(y * width) << 2), y, width, height, taps, radius)
}

function filterRow(row: usize, into: usize, width: i32, taps: usize, radius: i32, line: usize): void {
  const padded = width + 2 * radius
  for (let i = 0; i < padded; i++) f64.store(line + (<usize>i << 3), <f64>f32.load(row + (<usize>max(0, min(width - 1, i - radius)) << 2)))
  const end = <usize>(2 * radius + 1) << 3
  let x = 0
  for (; x + 8 <= width; x += 8) {
    let a = f64x2.splat(0)
    let b = f64x2.splat(0)
    let c = f64x2.splat(0)
    let d = f64x2.splat(0)
    const first = line + (<usize>x << 3)
    for (let k: usize = 0; k < end; k += 8) {
      const tap = v128.load64_splat(taps + k)
      a = f64x2.add(a, f64x2.mul(tap, v128.load(first + k)))
      b = f64x2.add(b, f64x2.mul(tap, v128.load(first + k, 16)))
      c = f64x2.add(c, f64x2.mul(tap, v128.load(first + k, 32)))
      d = f64x2.add(d, f64x2.mul(tap, v128.load(first + k, 48)))
    }
    storeEight(into + (<usize>x << 2), a, b, c, d)
  }
  for (; x < width; x++) {
    let sum: f64 = 0
    for (let k: usize = 0; k < end; k += 8) sum += f64.load(taps + k) * f64.load(line + (<usize>x << 3) + k)
    f32.store(into + (<usize>x << 2), <f32>sum)
  }
}

function filterDown(plane: usize, into: usize, y: i32, width: i32, height: i32, taps: usize, radius: i32): void {
  const stride = <usize>width << 2
  let x = 0
  for (; x + 8 <= width; x += 8) {
    let a = f64x2.splat(0)
    let b = f64x2.splat(0)
    let c = f64x2.splat(0)
    let d = f64x2.splat(0)
    for (let k = -radius; k <= radius; k++) {
      const tap = v128.load64_splat(taps + (<usize>(k + radius) << 3))
      const place = plane + <usize>max(0, min(height - 1, y + k)) * stride + (<usize>x << 2)
      const low = v128.load(place)
      const high = v128.load(place, 16)
      a = f64x2.add(a, f64x2.mul(tap, f64x2.promote_low_f32x4(low)))
      b = f64x2.add(b, f64x2.mul(tap, f64x2.promote_low_f32x4(v128.shuffle<f32>(low, low, 2, 3, 2, 3))))
      c = f64x2.add(c, f64x2.mul(tap, f64x2.promote_low_f32x4(high)))
      d = f64x2.add(d, f64x2.mul(tap, f64x2.promote_low_f32x4(v128.shuffle<f32>(high, high, 2, 3, 2, 3))))
    }
    storeEight(into + (<usize>x << 2), a, b, c, d)
  }
  for (; x < width; x++) {
    let sum: f64 = 0
    for (let k = -radius; k <= radius; k++) sum += f64.load(taps + (<usize>(k + radius) << 3)) * <f64>f32.load(plane + <usize>max(0, min(height - 1, y + k)) * stride + (<usize>x << 2))
    f32.store(into + (<usize>x << 2), <f32>sum)
  }
}

@inline function storeEight(into: usize, a: v128, b: v128, c: v128, d: v128): void {
  v128.store(into, v128.shuffle<f32>(f32x4.demote_f64x2_zero(a), f32x4.demote_f64x2_zero(b), 0, 1, 4, 5))
  v128.store(into, v128.shuffle<f32>(f32x4.demote_f64x2_zero(c), f32x4.demote_f64x2_zero(d), 0, 1, 4, 5), 16)
}
