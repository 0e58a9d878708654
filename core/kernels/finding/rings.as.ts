// What lies on rings in and around a disc (core/find/rings.ts), and a first look by it (core/find/first-look.ts), in
// AssemblyScript, two places at a time; compiled by scripts/generate.ts. Addresses are in bytes. core/kernels/finding/rings.ts is
// the only caller.

// @ts-nocheck: the compiler of this file is AssemblyScript's.

import { ln } from '../shared/exact-math.as'
import { upperMedian } from '../shared/median.as'

/** Directions in which a disc is looked at from its middle. */
const COUNT = 16
/** Nothing is told of as larger than this, nor of a deviation as less or more than these. */
const MOST: f64 = 4
const LEAST_DEVIATION: f64 = 0.02
const MOST_DEVIATION: f64 = 4

/** How all discs of a search are looked at, in the order in which core/kernels/finding/rings.ts writes it. */
@unmanaged
class Look {
  /** How far out each ring lies, in radii, and as many pixels more: doubles. */
  shares: usize
  rings: i32
  /** Unit vectors of the directions, as doubles: first all across, then all down. */
  turns: usize
  /** Of this ring and the next the middle value is the ground. */
  ground: i32
  /** First and last ring of what leads outward. */
  first: i32
  last: i32
  /** Room for a float for each ring and direction. */
  seen: usize
  /** Room for the floats of two rings, twice, and six more. */
  room: usize
  /**
   * Doubles, written: of each ring mean, logarithm of the deviation, least and most; then the most of all directions that is
   * left all the way outward, and on average.
   */
  told: usize
}

/**
 * @param plane      Floats, at least two rows of two.
 * @param x          Of the middle, in pixels; so are y and r.
 * @param amplitude  Of the disc.
 */
export function lookAt(look: Look, plane: usize, width: i32, height: i32, x: f64, y: f64, r: f64, amplitude: f64): void {
  const shares = look.shares
  const rings = look.rings
  const turns = look.turns
  const seen = look.seen
  const room = look.room
  let told = look.told
  const nothing = f64x2.splat(0)
  const one = f64x2.splat(1)
  const right = f64x2.splat(<f64>width - 1.001)
  const below = f64x2.splat(<f64>height - 1.001)
  const row = <usize>width << 2
  for (let ring = 0; ring < rings; ring++) {
    const share = shares + (<usize>ring << 4)
    const distance = f64x2.splat(f64.load(share) * r + f64.load(share, 8))
    const line = seen + <usize>(ring * COUNT * 4)
    for (let k: usize = 0; k < <usize>COUNT; k += 2) {
      // Beyond the edge the edge pixel is repeated.
      const px = f64x2.pmin(right, f64x2.pmax(nothing, f64x2.add(f64x2.splat(x - 0.5), f64x2.mul(distance, v128.load(turns + (k << 3))))))
      const py = f64x2.pmin(below, f64x2.pmax(nothing, f64x2.add(f64x2.splat(y - 0.5), f64x2.mul(distance, v128.load(turns + (k << 3), 8 * COUNT)))))
      const columns = i32x4.trunc_sat_f64x2_s_zero(px)
      const rows = i32x4.trunc_sat_f64x2_s_zero(py)
      const u = f64x2.sub(px, f64x2.convert_low_i32x4_s(columns))
      const v = f64x2.sub(py, f64x2.convert_low_i32x4_s(rows))
      const places = i32x4.add(i32x4.mul(rows, i32x4.splat(width)), columns)
      const first = plane + (<usize>i32x4.extract_lane(places, 0) << 2)
      const second = plane + (<usize>i32x4.extract_lane(places, 1) << 2)
      const rest = f64x2.sub(one, u)
      const upper = between(v128.load64_zero(first), v128.load64_zero(second), rest, u)
      const lower = between(v128.load64_zero(first + row), v128.load64_zero(second + row), rest, u)
      const value = f64x2.add(f64x2.mul(upper, f64x2.sub(one, v)), f64x2.mul(lower, v))
      v128.store64_lane(line + (k << 2), f32x4.demote_f64x2_zero(value), 0)
    }
  }
  memory.copy(room, seen + <usize>(look.ground * COUNT * 4), 2 * COUNT * 4)
  const level = f64x2.splat(<f64>upperMedian(room, 2 * COUNT, room + 2 * COUNT * 4))
  const size = f64x2.splat(amplitude)
  for (let at = seen; at < seen + <usize>(rings * COUNT * 4); at += 8) v128.store64_lane(at, f32x4.demote_f64x2_zero(f64x2.div(f64x2.sub(f64x2.promote_low_f32x4(v128.load64_zero(at)), level), size)), 0)
  for (let ring = 0; ring < rings; ring++, told += 32) {
    let sum: f64 = 0
    let squares: f64 = 0
    let least: f64 = Infinity
    let most: f64 = -Infinity
    for (let k = 0; k < COUNT; k++) {
      const value = <f64>f32.load(seen + <usize>((ring * COUNT + k) * 4))
      sum += value
      squares += value * value
      if (value < least) least = value
      if (value > most) most = value
    }
    const mean = sum / COUNT
    const square = squares / COUNT - mean * mean
    const deviation = square > 0 ? sqrt(square) : 0
    f64.store(told, bounded(mean))
    f64.store(told, ln(deviation < LEAST_DEVIATION ? LEAST_DEVIATION : deviation > MOST_DEVIATION ? MOST_DEVIATION : deviation), 8)
    f64.store(told, bounded(least), 16)
    f64.store(told, bounded(most), 24)
  }
  let strictest: f64 = -Infinity
  let fullest: f64 = -Infinity
  for (let k = 0; k < COUNT; k++) {
    let least: f64 = Infinity
    let sum: f64 = 0
    for (let ring = look.first; ring <= look.last; ring++) {
      const value = <f64>f32.load(seen + <usize>((ring * COUNT + k) * 4))
      if (value < least) least = value
      sum += value
    }
    if (least > strictest) strictest = least
    if (sum > fullest) fullest = sum
  }
  f64.store(told, bounded(strictest))
  f64.store(told, bounded(fullest / <f64>(look.last - look.first + 1)), 8)
}

/** What lies between two neighbours, of two places at once; the first two floats of each are its neighbours. */
@inline function between(first: v128, second: v128, rest: v128, share: v128): v128 {
  const left = f64x2.promote_low_f32x4(v128.shuffle<f32>(first, second, 0, 4, 0, 4))
  const right = f64x2.promote_low_f32x4(v128.shuffle<f32>(first, second, 1, 5, 1, 5))
  return f64x2.add(f64x2.mul(left, rest), f64x2.mul(right, share))
}

@inline function bounded(value: f64): f64 {
  return value > MOST ? MOST : value < -MOST ? -MOST : value
}

/** Of the pixel at a place to the mean of every second of the directions, so far away. */
export function differenceAround(plane: usize, width: i32, height: i32, x: f64, y: f64, distance: f64, turns: usize): f64 {
  let around: f64 = 0
  for (let k: usize = 0; k < <usize>COUNT; k += 2) around += pixelAt(plane, width, height, x + distance * f64.load(turns + (k << 3)), y + distance * f64.load(turns + (k << 3), 8 * COUNT))
  return pixelAt(plane, width, height, x, y) - around / (COUNT / 2)
}

@inline function pixelAt(plane: usize, width: i32, height: i32, x: f64, y: f64): f64 {
  const column = max(0, min(width - 1, <i32>Math.floor(x)))
  const row = max(0, min(height - 1, <i32>Math.floor(y)))
  return <f64>f32.load(plane + (<usize>(row * width + column) << 2))
}

/**
 * Evidence weighed by a layer of units.
 *
 * @param features  Doubles.
 * @param count     How many.
 * @param weights   Of every feature one for each unit, as doubles, then of every unit that of its answer.
 * @param units     How many, a multiple of two.
 * @param sums      Room for a double for each unit.
 * @param leak      What a unit gives on of what lies below 0.
 */
export function scoreOf(features: usize, count: i32, weights: usize, units: i32, sums: usize, constant: f64, leak: f64): f64 {
  const line = <usize>units << 3
  for (let at = sums; at < sums + line; at += 16) {
    let sum = f64x2.splat(0)
    let weight = weights + (at - sums)
    for (let i = 0; i < count; i++, weight += line) sum = f64x2.add(sum, f64x2.mul(v128.load64_splat(features + (<usize>i << 3)), v128.load(weight)))
    v128.store(at, sum)
  }
  const answers = weights + <usize>count * line
  let score = constant
  for (let unit: usize = 0; unit < line; unit += 8) {
    const sum = f64.load(sums + unit)
    const leaking = leak * sum
    score += f64.load(answers + unit) * (sum > leaking ? sum : leaking)
  }
  return score
}
