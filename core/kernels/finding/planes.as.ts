// Kernels over planes of 32 bit floats in linear memory, in AssemblyScript, four pixels at a time; compiled by
// scripts/generate.ts. Addresses are in bytes. core/kernels/finding/planes.ts is the only caller and says what each does.

// @ts-nocheck: the compiler of this file is AssemblyScript's.

export { middlesOfRidges, followNextRidge } from './ridges.as'

function weigh(far: v128, near: v128, middle: v128): v128 {
  return f32x4.add(far, f32x4.add(f32x4.mul(f32x4.splat(4), near), f32x4.mul(f32x4.splat(6), middle)))
}

export function binomial(source: usize, into: usize, width: i32, height: i32, line: usize): void {
  const stride = <usize>width << 2
  const share = f32x4.splat(0.00390625)
  const inner = line + 16
  for (let y = 0; y < height; y++) {
    const z = source + <usize>max(0, y - 2) * stride
    const a = source + <usize>max(0, y - 1) * stride
    const b = source + <usize>y * stride
    const c = source + <usize>min(height - 1, y + 1) * stride
    const d = source + <usize>min(height - 1, y + 2) * stride
    let x: usize = 0
    for (; x + 16 <= stride; x += 16) {
      v128.store(inner + x, weigh(f32x4.add(v128.load(z + x), v128.load(d + x)), f32x4.add(v128.load(a + x), v128.load(c + x)), v128.load(b + x)))
    }
    for (; x < stride; x += 4) {
      f32.store(inner + x, f32.load(z + x) + f32.load(d + x) + (4 * (f32.load(a + x) + f32.load(c + x)) + 6 * f32.load(b + x)))
    }
    // Beyond the edge the edge pixel is repeated.
    f32.store(inner - 4, f32.load(inner))
    f32.store(inner - 8, f32.load(inner))
    f32.store(inner + stride, f32.load(inner + stride - 4))
    f32.store(inner + stride + 4, f32.load(inner + stride - 4))
    const to = into + <usize>y * stride
    for (x = 0; x + 16 <= stride; x += 16) {
      const at = inner + x
      v128.store(to + x, f32x4.mul(share, weigh(f32x4.add(v128.load(at - 8), v128.load(at + 8)), f32x4.add(v128.load(at - 4), v128.load(at + 4)), v128.load(at))))
    }
    for (; x < stride; x += 4) {
      const at = inner + x
      f32.store(to + x, <f32>0.00390625 * (f32.load(at - 8) + f32.load(at + 8) + (4 * (f32.load(at - 4) + f32.load(at + 4)) + 6 * f32.load(at))))
    }
  }
}

export function difference(a: usize, b: usize, into: usize, count: i32): void {
  const end = <usize>count << 2
  let i: usize = 0
  for (; i + 16 <= end; i += 16) v128.store(into + i, f32x4.sub(v128.load(a + i), v128.load(b + i)))
  for (; i < end; i += 4) f32.store(into + i, f32.load(a + i) - f32.load(b + i))
}

/** Four sums of two neighbours each. */
@inline function pairs(at: usize): v128 {
  const a = v128.load(at), b = v128.load(at + 16)
  return f32x4.add(v128.shuffle<f32>(a, b, 0, 2, 4, 6), v128.shuffle<f32>(a, b, 1, 3, 5, 7))
}

export function halve(source: usize, into: usize, width: i32, height: i32): void {
  const stride = <usize>width << 2
  const half = <usize>(width >> 1) << 2
  for (let y = 0; y < height >> 1; y++) {
    const upper = source + 2 * <usize>y * stride
    const lower = upper + stride
    const to = into + <usize>y * half
    let x: usize = 0
    for (; x + 16 <= half; x += 16) v128.store(to + x, f32x4.mul(f32x4.splat(0.25), f32x4.add(pairs(upper + 2 * x), pairs(lower + 2 * x))))
    for (; x < half; x += 4) f32.store(to + x, <f32>0.25 * (f32.load(upper + 2 * x) + f32.load(upper + 2 * x, 4) + (f32.load(lower + 2 * x) + f32.load(lower + 2 * x, 4))))
  }
}

/**
 * Means along four rows, of each pixel and so many before and after it.
 *
 * @param last  Of fewer rows than four the last, from 0: it is done again for those that are missing.
 */
function meansAlongRows(data: usize, across: usize, stride: usize, last: i32, width: i32, radius: i32, share: f64): void {
  const second = <usize>min(1, last) * stride, third = <usize>min(2, last) * stride, fourth = <usize>last * stride
  let a: f64 = 0, b: f64 = 0, c: f64 = 0, d: f64 = 0
  for (let x = -radius; x <= radius; x++) {
    const at = data + (<usize>max(0, min(width - 1, x)) << 2)
    a += <f64>f32.load(at)
    b += <f64>f32.load(at + second)
    c += <f64>f32.load(at + third)
    d += <f64>f32.load(at + fourth)
  }
  for (let x = 0; x < width; x++) {
    const to = across + (<usize>x << 2)
    f32.store(to, <f32>(a * share))
    f32.store(to + second, <f32>(b * share))
    f32.store(to + third, <f32>(c * share))
    f32.store(to + fourth, <f32>(d * share))
    const coming = data + (<usize>min(width - 1, x + radius + 1) << 2)
    const going = data + (<usize>max(0, x - radius) << 2)
    a += <f64>f32.load(coming) - <f64>f32.load(going)
    b += <f64>f32.load(coming + second) - <f64>f32.load(going + second)
    c += <f64>f32.load(coming + third) - <f64>f32.load(going + third)
    d += <f64>f32.load(coming + fourth) - <f64>f32.load(going + fourth)
  }
}

export function subtractBoxMean(data: usize, width: i32, height: i32, radius: i32, across: usize, sums: usize): void {
  const stride = <usize>width << 2
  const share: f64 = 1.0 / <f64>(2 * radius + 1)
  // Each sum waits for the one before it: of four rows at once, four go on side by side.
  for (let y = 0; y < height; y += 4) meansAlongRows(data + <usize>y * stride, across + <usize>y * stride, stride, min(3, height - 1 - y), width, radius, share)
  memory.fill(sums, 0, <usize>width << 3)
  for (let y = -radius; y <= radius; y++) {
    const row = across + <usize>max(0, min(height - 1, y)) * stride
    for (let x: usize = 0; x < <usize>width; x++) f64.store(sums + (x << 3), f64.load(sums + (x << 3)) + <f64>f32.load(row + (x << 2)))
  }
  const shares = f64x2.splat(share)
  for (let y = 0; y < height; y++) {
    const row = data + <usize>y * stride
    const enter = across + <usize>min(height - 1, y + radius + 1) * stride
    const leave = across + <usize>max(0, y - radius) * stride
    let x: usize = 0
    for (; x + 4 <= <usize>width; x += 4) {
      const low = v128.load(sums + (x << 3))
      const high = v128.load(sums + (x << 3) + 16)
      const lowMean = f32x4.demote_f64x2_zero(f64x2.mul(low, shares))
      const highMean = f32x4.demote_f64x2_zero(f64x2.mul(high, shares))
      const mean = v128.shuffle<f32>(lowMean, highMean, 0, 1, 4, 5)
      v128.store(row + (x << 2), f32x4.sub(v128.load(row + (x << 2)), mean))
      const coming = v128.load(enter + (x << 2))
      const going = v128.load(leave + (x << 2))
      v128.store(sums + (x << 3), f64x2.add(low, f64x2.sub(f64x2.promote_low_f32x4(coming), f64x2.promote_low_f32x4(going))))
      const comingHigh = v128.shuffle<f32>(coming, coming, 2, 3, 2, 3)
      const goingHigh = v128.shuffle<f32>(going, going, 2, 3, 2, 3)
      v128.store(sums + (x << 3) + 16, f64x2.add(high, f64x2.sub(f64x2.promote_low_f32x4(comingHigh), f64x2.promote_low_f32x4(goingHigh))))
    }
    for (; x < <usize>width; x++) {
      const sum = f64.load(sums + (x << 3))
      f32.store(row + (x << 2), f32.load(row + (x << 2)) - <f32>(sum * share))
      f64.store(sums + (x << 3), sum + (<f64>f32.load(enter + (x << 2)) - <f64>f32.load(leave + (x << 2))))
    }
  }
}

export function radialStatistics(
  source: usize, width: i32, height: i32, border: i32, inner: usize, outer: usize, directions: i32, sign: f32, mean: usize, variance: usize,
): void {
  const share = f32x4.splat(<f32>1 / <f32>directions)
  const signs = f32x4.splat(sign)
  for (let y = border; y < height - border; y++) {
    const first = y * width + border
    const end = (y + 1) * width - border
    // The last four of a row are done again from its end, so that no pixel is done by other arithmetic.
    for (let i = first; i < end; i += 4) {
      const at = min(i, end - 4)
      const place = source + (<usize>at << 2)
      let sum = f32x4.splat(0)
      let squares = f32x4.splat(0)
      for (let k = 0; k < directions; k++) {
        const d = f32x4.sub(
          v128.load(place + <usize>(<i32>load<i32>(inner + (<usize>k << 2)) << 2)),
          v128.load(place + <usize>(<i32>load<i32>(outer + (<usize>k << 2)) << 2)),
        )
        sum = f32x4.add(sum, d)
        squares = f32x4.add(squares, f32x4.mul(d, d))
      }
      const m = f32x4.mul(sum, share)
      v128.store(mean + (<usize>at << 2), f32x4.mul(signs, m))
      v128.store(variance + (<usize>at << 2), f32x4.max(f32x4.splat(0), f32x4.sub(f32x4.mul(squares, share), f32x4.mul(m, m))))
    }
  }
}

/** Whether a pixel's value is larger than at all eight neighbours, times `sign`; of two alike the first counts. */
@inline function isLargest(place: usize, stride: usize, sign: f32): bool {
  const size = sign * f32.load(place)
  return !(
    sign * f32.load(place - 4) > size || sign * f32.load(place + 4) >= size || sign * f32.load(place - stride) > size || sign * f32.load(place + stride) >= size ||
    sign * f32.load(place - stride - 4) > size || sign * f32.load(place - stride + 4) > size || sign * f32.load(place + stride - 4) >= size || sign * f32.load(place + stride + 4) >= size
  )
}

export function evenMaxima(mean: usize, variance: usize, width: i32, height: i32, border: i32, least: f64, evenness: f64, into: usize): i32 {
  const stride = <usize>width << 2
  // Rounded down and up, so that none of four is passed over that would be taken.
  const bounds = f32x4.splat(<f32>(0.9999999 * least))
  const share = f32x4.splat(<f32>(0.999999 * evenness * evenness))
  let found = 0
  for (let y = border; y < height - border; y++) {
    const end = (y + 1) * width - border
    for (let i = y * width + border; i < end; i++) {
      while (i + 4 <= end) {
        const four = v128.load(mean + (<usize>i << 2))
        const even = f32x4.ge(f32x4.mul(four, four), f32x4.mul(share, v128.load(variance + (<usize>i << 2))))
        if (v128.any_true(v128.and(even, f32x4.ge(four, bounds)))) break
        i += 4
      }
      if (i >= end) break
      const own = <f64>f32.load(mean + (<usize>i << 2))
      if (own < least || own * own < evenness * evenness * <f64>f32.load(variance + (<usize>i << 2)) || !isLargest(mean + (<usize>i << 2), stride, 1)) continue
      store<i32>(into + (<usize>found << 2), i)
      found++
    }
  }
  return found
}

// The same in both tones: what is curved across, less what is curved along as well.
export function ridgeStrength(source: usize, into: usize, width: i32, height: i32): void {
  const stride = <usize>width << 2
  // Two rows above and below, and with each row its two pixels left and right.
  memory.fill(into, 0, 2 * stride)
  memory.fill(into + <usize>(height - 2) * stride, 0, 2 * stride)
  const quarter = f32x4.splat(0.25)
  const half = f32x4.splat(0.5)
  const two = f32x4.splat(2)
  const none = f32x4.splat(0)
  for (let y = 2; y < height - 2; y++) {
    const first = y * width + 2
    const end = (y + 1) * width - 2
    f64.store(into + <usize>y * stride, 0)
    f64.store(into + <usize>y * stride + stride - 8, 0)
    // The last four of a row are done again from its end, so that no pixel is done by other arithmetic.
    for (let i = first; i < end; i += 4) {
      const at = <usize>min(i, end - 4) << 2
      const place = source + at
      const middle = f32x4.mul(two, v128.load(place))
      const xx = f32x4.sub(f32x4.add(v128.load(place - 4), v128.load(place + 4)), middle)
      const yy = f32x4.sub(f32x4.add(v128.load(place - stride), v128.load(place + stride)), middle)
      const xy = f32x4.mul(quarter, f32x4.sub(
        f32x4.add(v128.load(place - stride - 4), v128.load(place + stride + 4)),
        f32x4.add(v128.load(place - stride + 4), v128.load(place + stride - 4)),
      ))
      const mean = f32x4.mul(half, f32x4.add(xx, yy))
      const apart = f32x4.mul(half, f32x4.sub(xx, yy))
      const root = f32x4.sqrt(f32x4.add(f32x4.mul(apart, apart), f32x4.mul(xy, xy)))
      const least = f32x4.mul(two, f32x4.min(f32x4.abs(mean), root))
      v128.store(into + at, v128.bitselect(f32x4.neg(least), least, f32x4.gt(mean, none)))
    }
  }
}

/** The last bits of a float that are not asked for: 1/1024 of it. */
const LEAST_BIT: i32 = 1 << 13

// The k-th smallest of `count` floats, none below 0, less up to 1/1024 of it, those up to the next multiple of four taken as
// infinite: such floats are in the order of their bits as integers, so it is found bit by bit, from what is counted below
// each next bound.
function kthSmallest(values: usize, count: i32, k: i32): f32 {
  const end = values + (<usize>((count + 3) & ~3) << 2)
  for (let at = values + (<usize>count << 2); at < end; at += 4) f32.store(at, Infinity)
  let found = 0
  for (let bit = 1 << 30; bit >= LEAST_BIT; bit >>= 1) {
    const bound = i32x4.splat(found | bit)
    let below = i32x4.splat(0)
    for (let at = values; at < end; at += 16) below = i32x4.add(below, i32x4.lt_s(v128.load(at), bound))
    const sum = i32x4.extract_lane(below, 0) + i32x4.extract_lane(below, 1) + i32x4.extract_lane(below, 2) + i32x4.extract_lane(below, 3)
    if (-sum <= k) found |= bit
  }
  return f32.reinterpret_i32(found)
}

export function blockMedians(source: usize, width: i32, height: i32, side: i32, into: usize, values: usize): void {
  const columns = max(1, width / side)
  const rows = max(1, height / side)
  for (let row = 0; row < rows; row++) {
    for (let column = 0; column < columns; column++) {
      let n = 0
      for (let y = row * side; y < (row + 1) * side && y < height; y += 2) {
        const first = column * side
        const count = min(width, first + side) - first
        const from = source + (<usize>(y * width + first) << 2)
        const to = values + (<usize>n << 2)
        let x = 0
        for (; x + 4 <= count; x += 4) v128.store(to + (<usize>x << 2), f32x4.abs(v128.load(from + (<usize>x << 2))))
        for (; x < count; x++) f32.store(to + (<usize>x << 2), abs(f32.load(from + (<usize>x << 2))))
        n += count
      }
      f32.store(into + (<usize>(row * columns + column) << 2), kthSmallest(values, n, n >> 1))
    }
  }
}

export function extrema(source: usize, width: i32, height: i32, border: i32, deviations: usize, blockColumns: i32, blockRows: i32, side: i32, least: f32, into: usize): i32 {
  const stride = <usize>width << 2
  let found = 0
  for (let y = border; y < height - border; y++) {
    const row = min(blockRows - 1, y / side) * blockColumns
    for (let column = 0; column < blockColumns; column++) {
      const bound = least * f32.load(deviations + (<usize>(row + column) << 2))
      const bounds = f32x4.splat(bound)
      const end = y * width + (column == blockColumns - 1 ? width - border : min(width - border, (column + 1) * side))
      for (let i = y * width + max(border, column * side); i < end; i++) {
        // Four that all stay below are passed over at once.
        while (i + 4 <= end && !v128.any_true(f32x4.ge(f32x4.abs(v128.load(source + (<usize>i << 2))), bounds))) i += 4
        if (i >= end) break
        const place = source + (<usize>i << 2)
        const own = f32.load(place)
        const size = abs(own)
        if (size < bound) continue
        if (!isLargest(place, stride, own < 0 ? -1 : 1)) continue
        store<i32>(into + (<usize>found << 2), i)
        found++
      }
    }
  }
  return found
}
