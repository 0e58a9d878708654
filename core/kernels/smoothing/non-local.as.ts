// Non-local means (core/kernels/smoothing/non-local.ts is the only caller), in AssemblyScript; compiled by scripts/generate.ts.
// Addresses are in bytes.

// @ts-nocheck: the compiler of this file is AssemblyScript's.

/** In the order in which core/kernels/smoothing/non-local.ts writes it. */
@unmanaged
class NonLocal {
  /** A sum of squares over a patch and all channels times `scale`, less `bias`, is 1 where patches have nothing to do with each other. */
  scale: f64
  bias: f64
  /** Of the picture without its margin. */
  width: i32
  height: i32
  channels: i32
  /** How far around a pixel is looked, and how wide the margin is: one more. */
  search: i32
  /** Pixels of a row with its margins. */
  stride: i32
  /** Pixels of a plane with its margins. */
  count: i32
  /** Planes of the channels with their margins, behind one another; and those of what is summed. */
  source: usize
  sums: usize
  /** Sum of the weights of a pixel, and the greatest of them. */
  weights: usize
  greatest: usize
  /** Room for five rows. */
  room: usize
}

/**
 * Each pair of pixels is weighed once, and given to both. Of one shift a pixel gets what lies after it and what lies before it
 * in an order that does not depend on where the picture begins, so that tiles join without a seam.
 */
export function nonLocalMeans(how: NonLocal): void {
  const search = how.search
  for (let dy = 0; dy <= search; dy++) {
    for (let dx = dy === 0 ? 1 : -search; dx <= search; dx++) shift(how, dx, dy)
  }
}

function shift(how: NonLocal, dx: i32, dy: i32): void {
  const margin = how.search + 1
  const row = <usize>how.stride << 2
  const first = margin - max(0, dx)
  const last = margin + how.width + max(0, -dx)
  const columns = how.room + 3 * row
  const found = columns + row
  for (let y = margin - dy - 1; y <= margin - dy; y++) squares(how, y, dx, dy, first - 1, last + 1)
  for (let y = margin - dy; y < margin + how.height; y++) {
    squares(how, y + 1, dx, dy, first - 1, last + 1)
    const above = rowOf(how, y - 1)
    const here = rowOf(how, y)
    const below = rowOf(how, y + 1)
    const start = <usize>first << 2
    const bytes = <usize>(last - first) << 2
    for (let at = start - 4; at < start + bytes + 4; at += 16) v128.store(columns + at, f32x4.add(f32x4.add(v128.load(above + at), v128.load(here + at)), v128.load(below + at)))
    weigh(how, columns + start, found + start, bytes)
    const own = <usize>(y * how.stride + first) << 2
    const other = <usize>((y + dy) * how.stride + first + dx) << 2
    give(how, found + start, own, other, bytes)
    give(how, found + start, other, own, bytes)
  }
}

/** Where the squares of a row are kept: the last three are needed. */
@inline
function rowOf(how: NonLocal, y: i32): usize {
  return how.room + (<usize>(((y + 3) % 3) * how.stride) << 2)
}

/** Squares of the differences of a row to the same row shifted, summed over the channels. */
function squares(how: NonLocal, y: i32, dx: i32, dy: i32, first: i32, last: i32): void {
  const into = rowOf(how, y)
  const bytes = <usize>(last - first) << 2
  for (let c = 0; c < how.channels; c++) {
    const plane = how.source + (<usize>(c * how.count) << 2)
    const own = plane + (<usize>(y * how.stride + first) << 2)
    const other = plane + (<usize>((y + dy) * how.stride + first + dx) << 2)
    const sums = into + (<usize>first << 2)
    for (let at: usize = 0; at < bytes; at += 16) {
      const difference = f32x4.sub(v128.load(own + at), v128.load(other + at))
      const square = f32x4.mul(difference, difference)
      v128.store(sums + at, c === 0 ? square : f32x4.add(v128.load(sums + at), square))
    }
  }
}

/** (1 - u)^8 of what patches differ by, 0 from 1 on; of a row. */
function weigh(how: NonLocal, columns: usize, found: usize, bytes: usize): void {
  const scale = f32x4.splat(<f32>how.scale)
  const bias = f32x4.splat(<f32>how.bias)
  const none = f32x4.splat(0)
  const one = f32x4.splat(1)
  for (let at: usize = 0; at < bytes; at += 16) {
    const sum = f32x4.add(f32x4.add(v128.load(columns + at - 4), v128.load(columns + at)), v128.load(columns + at + 4))
    const apart = f32x4.pmax(none, f32x4.sub(f32x4.mul(sum, scale), bias))
    const left = f32x4.pmax(none, f32x4.sub(one, apart))
    const square = f32x4.mul(left, left)
    const fourth = f32x4.mul(square, square)
    v128.store(found + at, f32x4.mul(fourth, fourth))
  }
}

/** Add a row of pixels to another by their weights. */
function give(how: NonLocal, found: usize, to: usize, from: usize, bytes: usize): void {
  const weights = how.weights + to
  const greatest = how.greatest + to
  for (let at: usize = 0; at < bytes; at += 16) {
    const weight = v128.load(found + at)
    v128.store(weights + at, f32x4.add(v128.load(weights + at), weight))
    v128.store(greatest + at, f32x4.pmax(v128.load(greatest + at), weight))
  }
  for (let c = 0; c < how.channels; c++) {
    const plane = <usize>(c * how.count) << 2
    const sums = how.sums + plane + to
    const source = how.source + plane + from
    for (let at: usize = 0; at < bytes; at += 16) v128.store(sums + at, f32x4.add(v128.load(sums + at), f32x4.mul(v128.load(found + at), v128.load(source + at))))
  }
}
