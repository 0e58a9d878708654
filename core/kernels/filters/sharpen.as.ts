// Unsharp masking of brightness (core/finish/sharpen.ts), in AssemblyScript; compiled by scripts/generate.ts. Addresses are in
// bytes. core/kernels/filters/sharpen.ts is the only caller.

// @ts-nocheck: the compiler of this file is AssemblyScript's.

import { filter } from '../smoothing/gaussian.as'

/** In the order in which core/kernels/filters/sharpen.ts writes it. */
@unmanaged
class Sharpening {
  red: f64
  green: f64
  blue: f64
  /** Share of the difference that is added; differences up to `least` are left; `beyond` is how far the neighbours' range may be left. */
  add: f64
  least: f64
  beyond: f64
  /** Encoded pixels, channels interleaved, changed in place. */
  pixels: usize
  width: i32
  height: i32
  channels: i32
  taps: usize
  radius: i32
  /** Room for a plane each, and for a line of the filter. */
  brightness: usize
  blurred: usize
  across: usize
  line: usize
}

export function sharpen(how: Sharpening): void {
  const width = how.width
  const height = how.height
  weigh(how)
  filter(how.brightness, how.blurred, width, height, how.taps, how.radius, how.across, how.line)
  for (let y = 0; y < height; y++) {
    const row = how.brightness + (<usize>(y * width) << 2)
    const above = how.brightness + (<usize>(max(0, y - 1) * width) << 2)
    const below = how.brightness + (<usize>(min(height - 1, y + 1) * width) << 2)
    const blurred = how.blurred + (<usize>(y * width) << 2)
    let x = 0
    if (width > 0) sharpenOne(how, x++, y, above, row, below, blurred)
    for (; x + 5 <= width; x += 4) sharpenFour(how, x, y, above, row, below, blurred)
    for (; x < width; x++) sharpenOne(how, x, y, above, row, below, blurred)
  }
}

function sharpenOne(how: Sharpening, x: i32, y: i32, above: usize, row: usize, below: usize, blurred: usize): void {
  const at = <usize>x << 2
  const here = <f64>f32.load(row + at)
  const difference = here - <f64>f32.load(blurred + at)
  // Soft: what is a little above the threshold is raised a little.
  const strong = difference > how.least ? difference - how.least : difference < -how.least ? difference + how.least : 0
  if (strong == 0) return
  const left = <usize>max(0, x - 1) << 2
  const right = <usize>min(how.width - 1, x + 1) << 2
  const low = min(min(lowest(above, left, at, right), lowest(row, left, at, right)), lowest(below, left, at, right))
  const high = max(max(highest(above, left, at, right), highest(row, left, at, right)), highest(below, left, at, right))
  const change = max(<f64>low - how.beyond, min(<f64>high + how.beyond, here + how.add * strong)) - here
  for (let c = 0; c < how.channels; c++) {
    const pixel = how.pixels + (<usize>((y * how.width + x) * how.channels + c) << 2)
    f32.store(pixel, <f32>max<f64>(0, min<f64>(1, <f64>f32.load(pixel) + change)))
  }
}

/** The same of four pixels that have neighbours on both sides, to the last bit. */
@inline function sharpenFour(how: Sharpening, x: i32, y: i32, above: usize, row: usize, below: usize, blurred: usize): void {
  const at = <usize>x << 2
  const here = v128.load(row + at)
  const blur = v128.load(blurred + at)
  const least = f64x2.splat(how.least)
  const firstStrong = strongOf(f64x2.promote_low_f32x4(here), f64x2.promote_low_f32x4(blur), least)
  const secondStrong = strongOf(f64x2.promote_low_f32x4(upper(here)), f64x2.promote_low_f32x4(upper(blur)), least)
  if (!v128.any_true(v128.or(f64x2.ne(firstStrong, f64x2.splat(0)), f64x2.ne(secondStrong, f64x2.splat(0))))) return
  const low = f32x4.pmin(f32x4.pmin(lowestOfFour(above + at), lowestOfFour(row + at)), lowestOfFour(below + at))
  const high = f32x4.pmax(f32x4.pmax(highestOfFour(above + at), highestOfFour(row + at)), highestOfFour(below + at))
  const first = changeOf(how, f64x2.promote_low_f32x4(here), firstStrong, f64x2.promote_low_f32x4(low), f64x2.promote_low_f32x4(high))
  const second = changeOf(how, f64x2.promote_low_f32x4(upper(here)), secondStrong, f64x2.promote_low_f32x4(upper(low)), f64x2.promote_low_f32x4(upper(high)))
  const pixel = how.pixels + (<usize>((y * how.width + x) * how.channels) << 2)
  if (how.channels == 1) {
    add(pixel, first, second)
    return
  }
  // Twelve samples: red, green, blue of one pixel after the other.
  const a0 = v128.shuffle<f64>(first, first, 0, 0)
  const a1 = v128.shuffle<f64>(first, first, 1, 1)
  const b0 = v128.shuffle<f64>(second, second, 0, 0)
  const b1 = v128.shuffle<f64>(second, second, 1, 1)
  add(pixel, a0, first)
  add(pixel + 16, a1, b0)
  add(pixel + 32, second, b1)
}

@inline function upper(four: v128): v128 {
  return v128.shuffle<f32>(four, four, 2, 3, 2, 3)
}

@inline function strongOf(here: v128, blur: v128, least: v128): v128 {
  const difference = f64x2.sub(here, blur)
  const raised = v128.and(f64x2.sub(difference, least), f64x2.gt(difference, least))
  const lowered = v128.and(f64x2.add(difference, least), f64x2.lt(difference, f64x2.neg(least)))
  return v128.or(raised, lowered)
}

@inline function changeOf(how: Sharpening, here: v128, strong: v128, low: v128, high: v128): v128 {
  const beyond = f64x2.splat(how.beyond)
  const wanted = f64x2.add(here, f64x2.mul(f64x2.splat(how.add), strong))
  return f64x2.sub(f64x2.pmax(f64x2.sub(low, beyond), f64x2.pmin(f64x2.add(high, beyond), wanted)), here)
}

/** Add to four samples, two numbers each, and keep them between 0 and 1. */
@inline function add(samples: usize, first: v128, second: v128): void {
  const four = v128.load(samples)
  const a = inside(f64x2.add(f64x2.promote_low_f32x4(four), first))
  const b = inside(f64x2.add(f64x2.promote_low_f32x4(upper(four)), second))
  v128.store(samples, v128.shuffle<f32>(f32x4.demote_f64x2_zero(a), f32x4.demote_f64x2_zero(b), 0, 1, 4, 5))
}

@inline function inside(two: v128): v128 {
  return f64x2.pmax(f64x2.splat(0), f64x2.pmin(f64x2.splat(1), two))
}

@inline function lowestOfFour(at: usize): v128 {
  return f32x4.pmin(f32x4.pmin(v128.load(at - 4), v128.load(at)), v128.load(at + 4))
}

@inline function highestOfFour(at: usize): v128 {
  return f32x4.pmax(f32x4.pmax(v128.load(at - 4), v128.load(at)), v128.load(at + 4))
}

@inline function lowest(row: usize, left: usize, middle: usize, right: usize): f32 {
  return min(min(f32.load(row + left), f32.load(row + middle)), f32.load(row + right))
}

@inline function highest(row: usize, left: usize, middle: usize, right: usize): f32 {
  return max(max(f32.load(row + left), f32.load(row + middle)), f32.load(row + right))
}

/** Brightness of every pixel. */
function weigh(how: Sharpening): void {
  const count = how.width * how.height
  if (how.channels == 1) {
    memory.copy(how.brightness, how.pixels, <usize>count << 2)
    return
  }
  let at = how.pixels
  for (let i = 0; i < count; i++, at += 12) {
    f32.store(how.brightness + (<usize>i << 2), <f32>(how.red * <f64>f32.load(at) + how.green * <f64>f32.load(at, 4) + how.blue * <f64>f32.load(at, 8)))
  }
}
