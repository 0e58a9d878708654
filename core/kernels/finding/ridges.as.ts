// Where lines run in a plane of 32 bit floats and how they are followed, in AssemblyScript; compiled with planes.as.ts.
// Addresses are in bytes. core/kernels/finding/planes.ts is the only caller and says what each does.

// @ts-nocheck: the compiler of this file is AssemblyScript's.

/** Whether what answers at a pixel is the side of a stronger line of the other tone, two or three pixels across from it. */
function isSideOfAnother(place: usize, step: usize, least: f64, sign: f64): bool {
  return sign * <f64>f32.load(place - 2 * step) > least || sign * <f64>f32.load(place + 2 * step) > least ||
    sign * <f64>f32.load(place - 3 * step) > least || sign * <f64>f32.load(place + 3 * step) > least
}

/** All bits of a float but its sign are kept where `sign` has none, and turned where it has one. */
@inline function signed(value: v128, sign: v128): v128 {
  return v128.xor(value, sign)
}

/** Of four pixels, lanes where a line runs through: which stand out at least so much, and more than both neighbours across. */
@inline function fourMiddles(smooth: usize, strength: usize, stride: usize, bounds: v128, across: usize): i32 {
  const own = v128.load(strength)
  const size = f32x4.abs(own)
  const strong = f32x4.ge(size, bounds)
  if (!v128.any_true(strong)) return 0
  // Second derivatives by central differences. Across lies the direction in which a plane curves most: of twice its angle the cosine
  // goes by half the difference of both, the sine by the mixed one.
  const middle = f32x4.mul(f32x4.splat(2), v128.load(smooth))
  const xx = f32x4.sub(f32x4.add(v128.load(smooth - 4), v128.load(smooth + 4)), middle)
  const yy = f32x4.sub(f32x4.add(v128.load(smooth - stride), v128.load(smooth + stride)), middle)
  const minus = f32x4.splat(-0.0)
  const bright = v128.and(minus, f32x4.le(f32x4.add(xx, yy), f32x4.splat(0)))
  const cosine = signed(f32x4.mul(f32x4.splat(0.5), f32x4.sub(xx, yy)), bright)
  const sine = signed(f32x4.mul(f32x4.splat(0.25), f32x4.sub(
    f32x4.add(v128.load(smooth - stride - 4), v128.load(smooth + stride + 4)),
    f32x4.add(v128.load(smooth - stride + 4), v128.load(smooth + stride - 4)),
  )), bright)
  // The nearest of four neighbours: to the right or below, or to the right or the left and below.
  const plain = f32x4.gt(f32x4.abs(cosine), f32x4.abs(sine))
  const right = f32x4.gt(cosine, f32x4.splat(0))
  const rightBelow = f32x4.gt(sine, f32x4.splat(0))
  const sign = v128.and(own, minus)
  const before = signed(v128.bitselect(
    v128.bitselect(v128.load(strength - 4), v128.load(strength - stride), right),
    v128.bitselect(v128.load(strength - stride - 4), v128.load(strength - stride + 4), rightBelow), plain), sign)
  const after = signed(v128.bitselect(
    v128.bitselect(v128.load(strength + 4), v128.load(strength + stride), right),
    v128.bitselect(v128.load(strength + stride + 4), v128.load(strength + stride - 4), rightBelow), plain), sign)
  const lanes = i32x4.bitmask(v128.and(v128.and(strong, f32x4.le(before, size)), f32x4.lt(after, size)))
  if (lanes != 0) {
    const directions = v128.bitselect(
      v128.bitselect(i32x4.splat(0), i32x4.splat(2), right),
      v128.bitselect(i32x4.splat(1), i32x4.splat(3), rightBelow), plain)
    // One byte each.
    v128.store32_lane(across, i8x16.shuffle(directions, directions, 0, 4, 8, 12, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0), 0)
  }
  return lanes
}

export function middlesOfRidges(
  smooth: usize, strength: usize, width: i32, height: i32, deviations: usize, blockColumns: i32, blockRows: i32, side: i32,
  goOn: f32, start: f32, sideRatio: f64, answers: usize, across: usize, offsets: usize, used: usize, seeds: usize, seedAnswers: usize,
): i32 {
  const count = width * height
  const stride = <usize>width << 2
  memory.fill(answers, 0, <usize>count << 2)
  memory.fill(used, 0, <usize>count)
  let found = 0
  for (let y = 3; y < height - 3; y++) {
    const row = min(blockRows - 1, y / side) * blockColumns
    for (let column = 0; column < blockColumns; column++) {
      const deviation = f32.load(deviations + (<usize>(row + column) << 2))
      const bounds = f32x4.splat(goOn * deviation)
      const end = y * width + (column == blockColumns - 1 ? width - 3 : min(width - 3, (column + 1) * side))
      for (let i = y * width + max(3, column * side); i < end; i += 4) {
        // The last four are looked at again from the end; those that were are not taken twice.
        const at = min(i, end - 4)
        let lanes = fourMiddles(smooth + (<usize>at << 2), strength + (<usize>at << 2), stride, bounds, across + <usize>at) & (15 << (i - at))
        for (; lanes != 0; lanes &= lanes - 1) {
          const pixel = at + ctz(lanes)
          const place = strength + (<usize>pixel << 2)
          const direction = <i32>load<u8>(across + <usize>pixel)
          const step = direction == 0 ? <usize>4 : direction == 1 ? stride + 4 : direction == 2 ? stride : stride - 4
          const own = f32.load(place)
          const sign: f64 = own > 0 ? 1 : -1
          const size = abs(<f64>own)
          if (isSideOfAnother(place, step, sideRatio * size, -sign)) continue
          const answer = own / deviation
          f32.store(answers + (<usize>pixel << 2), answer)
          const before = sign * <f64>f32.load(place - step)
          const after = sign * <f64>f32.load(place + step)
          store<i8>(offsets + <usize>pixel, <i8>Math.round((32 * (before - after)) / min(-1e-12, before + after - 2 * size)))
          if (abs(answer) < start) continue
          store<i32>(seeds + (<usize>found << 2), pixel)
          f32.store(seedAnswers + (<usize>found << 2), abs(answer))
          found++
        }
      }
    }
  }
  return found
}

/** Steps to the eight neighbours, round about: two bits for each. */
@inline function stepX(direction: i32): i32 {
  return ((0b1001000000011010 >> (2 * direction)) & 3) - 1
}
@inline function stepY(direction: i32): i32 {
  return ((0b0000000110101001 >> (2 * direction)) & 3) - 1
}

/** A pixel of a path: column and row in the halves of a number. */
@inline function placeOf(x: i32, y: i32): i32 {
  return (y << 16) | x
}
@inline function columnOf(place: i32): i32 {
  return place & 0xffff
}
@inline function rowOf(place: i32): i32 {
  return place >> 16
}

/** Widest gap that is bridged, in pixels, and of how many points the direction is taken when a path is followed over one. */
const GAP: i32 = 7
const MEMORY: i32 = 9
/** How much more what lies straight on counts than what lies to either side. */
const STRAIGHT_ON: f32 = 1.15

/** The direction of a neighbour that a step comes nearest to: a diagonal one where that lies further along it. */
function nearestDirection(dx: i32, dy: i32, otherwise: i32): i32 {
  if (dx == 0 && dy == 0) return otherwise
  const right = abs(dx)
  const down = abs(dy)
  if (<f64>(right + down) * 0.7071067811865475 > <f64>max(right, down)) return dx > 0 ? (dy > 0 ? 1 : 7) : dy > 0 ? 3 : 5
  return right > down ? (dx > 0 ? 0 : 4) : dy > 0 ? 2 : 6
}

@inline function pixelOf(path: usize, k: i32): i32 {
  return load<i32>(path + (<usize>k << 2))
}

/** The next pixel of a ridge beyond a gap, straight on as the path went; -1 for none. */
function overGap(answers: usize, used: usize, width: i32, height: i32, path: usize, length: i32, here: i32, seed: i32, direction: i32, sign: f32): i32 {
  const furthest = min(GAP, length)
  if (furthest < 2) return -1
  const back = length >= MEMORY ? pixelOf(path, length - MEMORY) : seed
  const x = columnOf(here)
  const y = rowOf(here)
  let dx = <f64>(x - columnOf(back))
  let dy = <f64>(y - rowOf(back))
  const size = sqrt(dx * dx + dy * dy)
  if (size < 4) {
    dx = <f64>stepX(direction)
    dy = <f64>stepY(direction)
  } else {
    dx /= size
    dy /= size
  }
  for (let t = 2; t <= furthest; t++) {
    // Straight on first, then to either side.
    for (let k = 0; k < 3; k++) {
      const aside: f64 = k == 2 ? -1 : <f64>k
      const px = <i32>Math.floor(<f64>x + <f64>t * dx - aside * dy + 0.5)
      const py = <i32>Math.floor(<f64>y + <f64>t * dy + aside * dx + 0.5)
      if (px < 2 || py < 2 || px >= width - 2 || py >= height - 2) continue
      const i = <usize>(py * width + px)
      if (!load<u8>(used + i) && f32.load(answers + (i << 2)) * sign > 0) return placeOf(px, py)
    }
  }
  return -1
}

/** Places of a ridge from a seed on, in one direction; gaps are bridged along the way it went. */
function followOneWay(answers: usize, used: usize, width: i32, height: i32, seed: i32, heading: i32, sign: f32, path: usize): i32 {
  let length = 0
  let here = seed
  let direction = heading
  while (true) {
    const x = columnOf(here)
    const y = rowOf(here)
    let best = -1
    let bestValue: f32 = 0
    for (let turn = -1; turn <= 1; turn++) {
      const to = (direction + turn) & 7
      // Where a line runs there are three pixels more on every side.
      const nx = x + stepX(to)
      const ny = y + stepY(to)
      const i = <usize>(ny * width + nx)
      if (load<u8>(used + i)) continue
      const value = sign * f32.load(answers + (i << 2)) * (turn == 0 ? STRAIGHT_ON : 1)
      if (value > bestValue) {
        bestValue = value
        best = placeOf(nx, ny)
      }
    }
    if (best < 0) best = overGap(answers, used, width, height, path, length, here, seed, direction, sign)
    if (best < 0) break
    const bx = columnOf(best)
    const by = rowOf(best)
    const dx = bx - x
    const dy = by - y
    // Its neighbours across belong to the same line.
    const at = used + <usize>(by * width + bx)
    for (let k = 0; k < 8; k++) if (stepX(k) * dx + stepY(k) * dy <= 0) store<u8>(at + <usize>(stepY(k) * width + stepX(k)), 1)
    store<u8>(at, 1)
    store<i32>(path + (<usize>length << 2), best)
    length++
    const back = length < 4 ? seed : pixelOf(path, length - 4)
    direction = nearestDirection(bx - columnOf(back), by - rowOf(back), direction)
    here = best
  }
  return length
}

/** Follow a ridge both ways from a pixel where a line runs, and write its pixels from end to end. @returns How many. */
function followBothWays(answers: usize, across: usize, used: usize, width: i32, height: i32, seed: i32, path: usize, room: usize): i32 {
  const sign: f32 = f32.load(answers + (<usize>seed << 2)) > 0 ? 1 : -1
  const heading = (<i32>load<u8>(across + <usize>seed) + 2) & 7
  const place = placeOf(seed % width, seed / width)
  store<u8>(used + <usize>seed, 1)
  const forward = followOneWay(answers, used, width, height, place, heading, sign, room)
  const backward = followOneWay(answers, used, width, height, place, (heading + 4) & 7, sign, path)
  for (let from = 0, to = backward - 1; from < to; from++, to--) {
    const other = pixelOf(path, from)
    store<i32>(path + (<usize>from << 2), pixelOf(path, to))
    store<i32>(path + (<usize>to << 2), other)
  }
  store<i32>(path + (<usize>backward << 2), place)
  memory.copy(path + (<usize>(backward + 1) << 2), room, <usize>forward << 2)
  const length = backward + 1 + forward
  for (let k = 0; k < length; k++) {
    const at = path + (<usize>k << 2)
    const here = load<i32>(at)
    store<i32>(at, rowOf(here) * width + columnOf(here))
  }
  return length
}

export function followNextRidge(answers: usize, across: usize, used: usize, width: i32, height: i32, seeds: usize, left: i32, shortest: i32, path: usize, room: usize): i32 {
  for (let k = left - 1; k >= 0; k--) {
    const seed = load<i32>(seeds + (<usize>k << 2))
    if (load<u8>(used + <usize>seed)) continue
    const length = followBothWays(answers, across, used, width, height, seed, path, room)
    if (length < shortest) continue
    store<i32>(room, k)
    return length
  }
  return 0
}
