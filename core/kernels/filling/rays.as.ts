// Tones that rays from the pixels of specks meet (core/correct/replace-specks.ts), in AssemblyScript; compiled by
// scripts/generate.ts. Addresses are in bytes. core/kernels/filling/rays.ts is the only caller and says what it does.

// @ts-nocheck: the compiler of this file is AssemblyScript's.

const DIRECTIONS = 8
const DIAGONAL: f64 = 1.4142135623730951
/** Clean pixels of a ray that are averaged, so that their noise is no streak. */
const AVERAGED = 4

/** In the order in which core/kernels/filling/rays.ts writes it. */
@unmanaged
class Rays {
  red: f64
  green: f64
  blue: f64
  /** A ray whose brightness is so far from the middle of all has half a say. */
  otherTone: f64
  /** Pixels as floats, channels interleaved, and 1 where one is masked, a byte each. */
  pixels: usize
  masked: usize
  width: i32
  height: i32
  channels: i32
  mostSteps: i32
  /** Room for 3 doubles a ray, then weights and brightness of each ray. */
  room: usize
}

/** Tones of the masked pixels of a row, three doubles each, one after the other; the first is below 0 where nothing is met. */
export function tonesOfRow(how: Rays, y: i32, left: i32, right: i32, into: usize): void {
  let to = into
  for (let x = left; x < right; x++) {
    if (load<u8>(how.masked + <usize>(y * how.width + x)) == 0) continue
    toneAt(how, x, y, to)
    to += 24
  }
}

function toneAt(how: Rays, x: i32, y: i32, into: usize): void {
  const weights = how.room + DIRECTIONS * 24
  const brights = weights + DIRECTIONS * 8
  lookAlong(how, x, y, 0, 1, 0)
  lookAlong(how, x, y, 1, -1, 0)
  lookAlong(how, x, y, 2, 0, 1)
  lookAlong(how, x, y, 3, 0, -1)
  lookAlong(how, x, y, 4, 1, 1)
  lookAlong(how, x, y, 5, -1, -1)
  lookAlong(how, x, y, 6, 1, -1)
  lookAlong(how, x, y, 7, -1, 1)
  const middle = weightedMiddle(brights, weights)
  let sum: f64 = 0
  for (let c = 0; c < 3; c++) f64.store(into + (<usize>c << 3), 0)
  for (let d = 0; d < DIRECTIONS; d++) {
    const weight = f64.load(weights + (<usize>d << 3))
    if (weight == 0) continue
    const off = (f64.load(brights + (<usize>d << 3)) - middle) / how.otherTone
    const say = weight / (1 + off * off * off * off)
    for (let c = 0; c < how.channels; c++) {
      const at = into + (<usize>c << 3)
      f64.store(at, f64.load(at) + say * f64.load(how.room + <usize>(24 * d + 8 * c)))
    }
    sum += say
  }
  for (let c = 0; c < how.channels; c++) {
    const at = into + (<usize>c << 3)
    f64.store(at, sum == 0 ? -1 : f64.load(at) / sum)
  }
}

/** The mean of the first clean pixels of a ray, its brightness, and its weight: the nearer, the more. */
function lookAlong(how: Rays, x: i32, y: i32, d: i32, dx: i32, dy: i32): void {
  const weight = how.room + <usize>(24 * DIRECTIONS + 8 * d)
  const bright = weight + 8 * DIRECTIONS
  const stride = dy * how.width + dx
  // Steps until the edge of the raster: no pixel of a ray is asked where it lies.
  const across = dx > 0 ? how.width - 1 - x : dx < 0 ? x : i32.MAX_VALUE
  const down = dy > 0 ? how.height - 1 - y : dy < 0 ? y : i32.MAX_VALUE
  const along = min(across, down)
  const channels = how.channels
  let steps = 1
  let at = y * how.width + x + stride
  while (steps < how.mostSteps && steps <= along && load<u8>(how.masked + <usize>at) != 0) {
    at += stride
    steps++
  }
  let red: f64 = 0
  let green: f64 = 0
  let blue: f64 = 0
  let met = 0
  while (met < AVERAGED && steps + met <= along && load<u8>(how.masked + <usize>at) == 0) {
    const pixel = how.pixels + (<usize>(at * channels) << 2)
    red += <f64>f32.load(pixel)
    if (channels == 3) {
      green += <f64>f32.load(pixel + 4)
      blue += <f64>f32.load(pixel + 8)
    }
    met++
    at += stride
  }
  if (met == 0) {
    f64.store(weight, 0)
    return
  }
  const distance = <f64>steps * (dx != 0 && dy != 0 ? DIAGONAL : 1)
  f64.store(weight, 1 / (distance * distance))
  const own = how.room + <usize>(24 * d)
  f64.store(own, red / met)
  f64.store(own + 8, green / met)
  f64.store(own + 16, blue / met)
  f64.store(bright, channels == 1 ? red / met : how.red * (red / met) + how.green * (green / met) + how.blue * (blue / met))
}

/** Weighted median: of all values the one with the least weighted distance to the others. */
function weightedMiddle(values: usize, weights: usize): f64 {
  let total: f64 = 0
  let best: f64 = 0
  let least: f64 = Infinity
  for (let i: usize = 0; i < <usize>DIRECTIONS; i++) total += f64.load(weights + (i << 3))
  for (let i: usize = 0; i < <usize>DIRECTIONS; i++) {
    if (f64.load(weights + (i << 3)) == 0) continue
    const value = f64.load(values + (i << 3))
    let cost: f64 = 0
    for (let k: usize = 0; k < <usize>DIRECTIONS; k++) cost += (f64.load(weights + (k << 3)) / total) * abs(f64.load(values + (k << 3)) - value)
    if (cost < least) {
      least = cost
      best = value
    }
  }
  return best
}
