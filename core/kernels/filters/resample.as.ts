// Lanczos resampling (core/render/resample.ts), in AssemblyScript; compiled by scripts/generate.ts. Addresses are in bytes.
// core/kernels/filters/resample.ts is the only caller.

// @ts-nocheck: the compiler of this file is AssemblyScript's.

/** In the order in which core/kernels/filters/resample.ts writes it. */
@unmanaged
class Resampling {
  /** Pixels of the source on one of the result, at least 1, where `stretches` is 0. */
  stretch: f64
  /** A block of the source, channels interleaved, where it begins in the picture, and the size of that. */
  source: usize
  blockWidth: i32
  blockHeight: i32
  channels: i32
  left: i32
  top: i32
  pictureWidth: i32
  pictureHeight: i32
  /** The result. */
  into: usize
  width: i32
  height: i32
  /** Where its pixels come from: a pair for each; or `xs` one for each column and `ys` one for each row. */
  xs: usize
  ys: usize
  stretches: usize
  /** The kernel from 0 to `lobes`, `steps` values a lobe and one more. */
  table: usize
  steps: i32
  lobes: i32
  /** Room for the taps of a place along each axis, `room` of them; or of all columns. */
  acrossWeights: usize
  acrossOffsets: usize
  downWeights: usize
  downOffsets: usize
  room: i32
  /** Of columns: how many taps, their sum. */
  counts: usize
  totals: usize
  /** Room for `lines` rows of the source taken along, which they are, and for one more. */
  rows: usize
  held: usize
  lines: i32
  sums: usize
}

/** Sum of the weights that `taps` set last. */
let total: f64 = 0

/**
 * Weights of the pixels along one axis that a place reads, and where these lie in the block.
 *
 * @param place  On the axis of the source, pixel centres at .5; beyond its ends its last pixel goes on.
 * @param step   Bytes from one pixel to the next.
 * @returns How many; their sum is in `total`.
 */
function taps(how: Resampling, place: f64, stretch: f64, size: i32, origin: i32, extent: i32, step: i32, weights: usize, offsets: usize): i32 {
  const middle = place - 0.5
  total = 0
  if (stretch == 1) return tapsOfOne(how, middle, size, origin, extent, step, weights, offsets)
  const reach = <f64>how.lobes * stretch
  const first = <i32>ceil<f64>(middle - reach)
  const last = <i32>floor<f64>(middle + reach)
  const end = <f64>(how.lobes * how.steps)
  const perPixel = <f64>how.steps / stretch
  let count = 0
  for (let i = first; i <= last; i++) {
    const at = abs<f64>(<f64>i - middle) * perPixel
    if (at >= end) continue
    const weight = weightAt(how, at)
    if (weight == 0) continue
    put(weights, offsets, count++, weight, pixelAt(i, size, origin, extent) * step)
  }
  return count
}

/** The same where nothing is stretched: on each side of the place all distances have the same fraction. */
function tapsOfOne(how: Resampling, middle: f64, size: i32, origin: i32, extent: i32, step: i32, weights: usize, offsets: usize): i32 {
  const below = floor<f64>(middle)
  const before = (middle - below) * <f64>how.steps
  const after = <f64>how.steps - before
  const here = <i32>below
  let count = 0
  for (let k = how.lobes - 1; k >= 0; k--) {
    const weight = weightAt(how, before + <f64>(k * how.steps))
    if (weight != 0) put(weights, offsets, count++, weight, pixelAt(here - k, size, origin, extent) * step)
  }
  for (let k = 0; k < how.lobes; k++) {
    const weight = weightAt(how, after + <f64>(k * how.steps))
    if (weight != 0) put(weights, offsets, count++, weight, pixelAt(here + 1 + k, size, origin, extent) * step)
  }
  return count
}

@inline function put(weights: usize, offsets: usize, n: i32, weight: f32, offset: i32): void {
  f32.store(weights + (<usize>n << 2), weight)
  i32.store(offsets + (<usize>n << 2), offset)
  total += <f64>weight
}

@inline function pixelAt(i: i32, size: i32, origin: i32, extent: i32): i32 {
  return max(0, min(extent - 1, max(0, min(size - 1, i)) - origin))
}

/** The kernel so many steps from its middle. */
@inline function weightAt(how: Resampling, at: f64): f32 {
  const entry = <i32>at
  const value = f64.load(how.table + (<usize>entry << 3))
  return <f32>(value + (f64.load(how.table + (<usize>entry << 3), 8) - value) * (at - <f64>entry))
}

@inline function clamped(value: f64): f32 {
  return <f32>max<f64>(0, min<f64>(1, value))
}

/** Pixel by pixel, each from a place of its own. */
export function places(how: Resampling): void {
  const count = how.width * how.height
  const channels = how.channels
  const rowBytes = how.blockWidth * channels * 4
  for (let i = 0; i < count; i++) {
    const x = f64.load(how.xs + (<usize>i << 4))
    const y = f64.load(how.xs + (<usize>i << 4), 8)
    const to = how.into + (<usize>(i * channels) << 2)
    if (!(x >= 0 && y >= 0 && x <= <f64>how.pictureWidth && y <= <f64>how.pictureHeight)) {
      for (let c = 0; c < channels; c++) f32.store(to + (<usize>c << 2), 1)
      continue
    }
    const stretch = how.stretches == 0 ? how.stretch : f64.load(how.stretches + (<usize>i << 3))
    const across = taps(how, x, stretch, how.pictureWidth, how.left, how.blockWidth, channels * 4, how.acrossWeights, how.acrossOffsets)
    const acrossTotal = total
    const down = taps(how, y, stretch, how.pictureHeight, how.top, how.blockHeight, rowBytes, how.downWeights, how.downOffsets)
    const whole = acrossTotal * total
    if (channels == 3) placeInColour(how, across, down, whole, to)
    else for (let c = 0; c < channels; c++) placeInGrey(how, across, down, whole, how.source + (<usize>c << 2), to + (<usize>c << 2))
  }
}

@inline function placeInColour(how: Resampling, across: i32, down: i32, whole: f64, to: usize): void {
  let sums = f32x4.splat(0)
  for (let row = 0; row < down; row++) {
    const line = how.source + <usize>i32.load(how.downOffsets + (<usize>row << 2))
    sums = f32x4.add(sums, f32x4.mul(v128.load32_splat(how.downWeights + (<usize>row << 2)), colourAlong(line, how.acrossWeights, how.acrossOffsets, across)))
  }
  f32.store(to, clamped(<f64>f32x4.extract_lane(sums, 0) / whole))
  f32.store(to, clamped(<f64>f32x4.extract_lane(sums, 1) / whole), 4)
  f32.store(to, clamped(<f64>f32x4.extract_lane(sums, 2) / whole), 8)
}

/** Red, green and blue of a row through taps; the fourth number is of the next pixel and means nothing. */
@inline function colourAlong(line: usize, weights: usize, offsets: usize, count: i32): v128 {
  let sums = f32x4.splat(0)
  for (let k = 0; k < count; k++) {
    sums = f32x4.add(sums, f32x4.mul(v128.load32_splat(weights + (<usize>k << 2)), v128.load(line + <usize>i32.load(offsets + (<usize>k << 2)))))
  }
  return sums
}

@inline function greyAlong(line: usize, weights: usize, offsets: usize, count: i32): f32 {
  let sum: f32 = 0
  for (let k = 0; k < count; k++) sum += f32.load(weights + (<usize>k << 2)) * f32.load(line + <usize>i32.load(offsets + (<usize>k << 2)))
  return sum
}

@inline function placeInGrey(how: Resampling, across: i32, down: i32, whole: f64, source: usize, to: usize): void {
  let sum: f32 = 0
  for (let row = 0; row < down; row++) {
    sum += f32.load(how.downWeights + (<usize>row << 2)) * greyAlong(source + <usize>i32.load(how.downOffsets + (<usize>row << 2)), how.acrossWeights, how.acrossOffsets, across)
  }
  f32.store(to, clamped(<f64>sum / whole))
}

/** Columns of the result from columns of the source, rows from rows: along each row of the source once, then down. */
export function axes(how: Resampling): void {
  const channels = how.channels
  const samples = how.width * channels
  const rowBytes = how.blockWidth * channels * 4
  for (let x = 0; x < how.width; x++) {
    const first = <usize>(x * how.room)
    const count = taps(how, f64.load(how.xs + (<usize>x << 3)), how.stretch, how.pictureWidth, how.left, how.blockWidth, channels * 4, how.acrossWeights + (first << 2), how.acrossOffsets + (first << 2))
    i32.store(how.counts + (<usize>x << 2), count)
    f64.store(how.totals + (<usize>x << 3), total)
  }
  for (let k = 0; k < how.lines; k++) i32.store(how.held + (<usize>k << 2), -1)
  for (let y = 0; y < how.height; y++) {
    const place = f64.load(how.ys + (<usize>y << 3))
    const to = how.into + (<usize>(y * samples) << 2)
    if (!(place >= 0 && place <= <f64>how.pictureHeight)) {
      for (let i = 0; i < samples; i++) f32.store(to + (<usize>i << 2), 1)
      continue
    }
    const down = taps(how, place, how.stretch, how.pictureHeight, how.top, how.blockHeight, rowBytes, how.downWeights, how.downOffsets)
    const downTotal = total
    memory.fill(how.sums, 0, <usize>samples << 2)
    for (let row = 0; row < down; row++) {
      const line = alongRow(how, i32.load(how.downOffsets + (<usize>row << 2)), rowBytes)
      addWeighted(how.sums, line, f32.load(how.downWeights + (<usize>row << 2)), samples)
    }
    for (let x = 0; x < how.width; x++) {
      const across = f64.load(how.xs + (<usize>x << 3))
      const isInside = across >= 0 && across <= <f64>how.pictureWidth
      const whole = f64.load(how.totals + (<usize>x << 3)) * downTotal
      for (let i = x * channels; i < (x + 1) * channels; i++) f32.store(to + (<usize>i << 2), isInside ? clamped(<f64>f32.load(how.sums + (<usize>i << 2)) / whole) : 1)
    }
  }
}

/** A row of the source through the taps of all columns, made when it is not held. Rows that are read together never share a place. */
function alongRow(how: Resampling, offset: i32, rowBytes: i32): usize {
  const line = offset / rowBytes
  const place = line % how.lines
  const row = how.rows + (<usize>(place * (how.width * how.channels + 1)) << 2)
  if (i32.load(how.held + (<usize>place << 2)) == line) return row
  i32.store(how.held + (<usize>place << 2), line)
  const from = how.source + <usize>offset
  for (let x = 0; x < how.width; x++) {
    const first = <usize>(x * how.room) << 2
    const count = i32.load(how.counts + (<usize>x << 2))
    const to = row + (<usize>(x * how.channels) << 2)
    // The fourth number is written over by the next pixel.
    if (how.channels == 3) v128.store(to, colourAlong(from, how.acrossWeights + first, how.acrossOffsets + first, count))
    else for (let c = 0; c < how.channels; c++) f32.store(to + (<usize>c << 2), greyAlong(from + (<usize>c << 2), how.acrossWeights + first, how.acrossOffsets + first, count))
  }
  return row
}

function addWeighted(sums: usize, values: usize, weight: f32, count: i32): void {
  const weights = f32x4.splat(weight)
  let i = 0
  for (; i + 4 <= count; i += 4) {
    const at = <usize>i << 2
    v128.store(sums + at, f32x4.add(v128.load(sums + at), f32x4.mul(weights, v128.load(values + at))))
  }
  for (; i < count; i++) {
    const at = <usize>i << 2
    f32.store(sums + at, f32.load(sums + at) + weight * f32.load(values + at))
  }
}
