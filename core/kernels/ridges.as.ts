// Where lines run in a plane of 32 bit floats and how they are followed, in AssemblyScript; compiled with planes.as.ts.
// Addresses are in bytes. core/kernels/planes.ts is the only caller and says what each does.

// @ts-nocheck: the compiler of this file is AssemblyScript's.

/** Number of the step (0 to 3) of the direction in which a plane curves most. */
function directionAcross(place: usize, stride: usize): i32 {
  // Second derivatives by central differences: half the trace, half the difference and the product, and the root that parts the eigenvalues.
  const middle = 2 * <f64>f32.load(place)
  const xx = <f64>f32.load(place - 4) + <f64>f32.load(place + 4) - middle
  const yy = <f64>f32.load(place - stride) + <f64>f32.load(place + stride) - middle
  const xy = 0.25 * (<f64>f32.load(place - stride - 4) + <f64>f32.load(place + stride + 4) - <f64>f32.load(place - stride + 4) - <f64>f32.load(place + stride - 4))
  const half = 0.5 * (xx - yy)
  const root = sqrt(half * half + xy * xy)
  const bright = xx + yy <= 0
  // Eigenvector across the line: (half + s root, xy) with the sign of the larger eigenvalue.
  const ex = bright ? half - root : half + root
  const ax = abs(ex)
  const ay = abs(xy)
  // At 22.5 degrees the two neighbours are equally near: tan 22.5 = 0.4142. Where ex vanishes the line lies along x or y.
  if (ax < 1e-12 && ay < 1e-12) return bright == half < 0 ? 0 : 2
  return ay < 0.4142 * ax ? 0 : ax < 0.4142 * ay ? 2 : ex * xy > 0 ? 1 : 3
}

/** Whether what answers at a pixel is the side of a stronger line of the other tone, two or three pixels across from it. */
function isSideOfAnother(place: usize, step: usize, least: f64, sign: f64): bool {
  return sign * <f64>f32.load(place - 2 * step) > least || sign * <f64>f32.load(place + 2 * step) > least ||
    sign * <f64>f32.load(place - 3 * step) > least || sign * <f64>f32.load(place + 3 * step) > least
}

export function middlesOfRidges(
  smooth: usize, strength: usize, width: i32, height: i32, deviations: usize, blockColumns: i32, blockRows: i32, side: i32,
  goOn: f64, start: f64, sideRatio: f64, answers: usize, across: usize, offsets: usize, used: usize, seeds: usize,
): i32 {
  const count = width * height
  const stride = <usize>width << 2
  memory.fill(answers, 0, <usize>count << 2)
  memory.fill(across, 0, <usize>count)
  memory.fill(offsets, 0, <usize>count)
  memory.fill(used, 0, <usize>count)
  let found = 0
  for (let y = 3; y < height - 3; y++) {
    const row = min(blockRows - 1, y / side) * blockColumns
    for (let column = 0; column < blockColumns; column++) {
      const deviation = <f64>f32.load(deviations + (<usize>(row + column) << 2))
      const least = goOn * deviation
      // Rounded down, so that none of the four is passed over that would answer.
      const bounds = f32x4.splat(<f32>(0.9999999 * least))
      const end = y * width + (column == blockColumns - 1 ? width - 3 : min(width - 3, (column + 1) * side))
      for (let i = y * width + max(3, column * side); i < end; i++) {
        // Four that all stay below are passed over at once.
        while (i + 4 <= end && !v128.any_true(f32x4.ge(f32x4.abs(v128.load(strength + (<usize>i << 2))), bounds))) i += 4
        if (i >= end) break
        const place = strength + (<usize>i << 2)
        const own = <f64>f32.load(place)
        const size = abs(own)
        if (size < least) continue
        const direction = directionAcross(smooth + (<usize>i << 2), stride)
        store<u8>(across + <usize>i, direction)
        const step = direction == 0 ? 4 : direction == 1 ? stride + 4 : direction == 2 ? stride : stride - 4
        const sign: f64 = own > 0 ? 1 : -1
        const before = sign * <f64>f32.load(place - step)
        const after = sign * <f64>f32.load(place + step)
        if (before > size || after >= size || isSideOfAnother(place, step, sideRatio * size, -sign)) continue
        const answer = <f32>(own / deviation)
        f32.store(answers + (<usize>i << 2), answer)
        store<i8>(offsets + <usize>i, <i8>Math.round((32 * (before - after)) / min(-1e-12, before + after - 2 * size)))
        if (abs(<f64>answer) < start) continue
        f64.store(seeds + (<usize>found << 3), Math.floor(1024 * abs(<f64>answer)) * <f64>count + <f64>i)
        found++
      }
    }
  }
  return found
}

/** Steps to the eight neighbours, round about. */
@inline function stepX(direction: i32): i32 {
  return direction == 2 || direction == 6 ? 0 : direction < 2 || direction == 7 ? 1 : -1
}
@inline function stepY(direction: i32): i32 {
  return direction == 0 || direction == 4 ? 0 : direction < 4 ? 1 : -1
}

/** Widest gap that is bridged, in pixels, and of how many points the direction is taken when a path is followed over one. */
const GAP: i32 = 7
const MEMORY: i32 = 9
/** How much more what lies straight on counts than what lies to either side. */
const STRAIGHT_ON: f64 = 1.15

/** A step is longer along a diagonal: 1 / sqrt 2. */
@inline function along(direction: i32, dx: i32, dy: i32): f64 {
  return <f64>(stepX(direction) * dx + stepY(direction) * dy) * ((direction & 1) == 1 ? 0.7071067811865475 : 1)
}

function nearestDirection(dx: i32, dy: i32, otherwise: i32): i32 {
  let best = otherwise
  let most: f64 = 0
  for (let k = 0; k < 8; k++) {
    const value = along(k, dx, dy)
    if (value > most) {
      most = value
      best = k
    }
  }
  return best
}

@inline function pixelOf(path: usize, k: i32): i32 {
  return load<i32>(path + (<usize>k << 2))
}

/** The next pixel of a ridge beyond a gap, straight on as the path went; -1 for none. */
function overGap(answers: usize, used: usize, width: i32, height: i32, path: usize, length: i32, seed: i32, direction: i32, sign: f64): i32 {
  const end = length > 0 ? pixelOf(path, length - 1) : seed
  const back = length >= MEMORY ? pixelOf(path, length - MEMORY) : seed
  const x = end % width
  const y = end / width
  let dx = <f64>(x - back % width)
  let dy = <f64>(y - back / width)
  const size = sqrt(dx * dx + dy * dy)
  if (size < 4) {
    dx = <f64>stepX(direction)
    dy = <f64>stepY(direction)
  } else {
    dx /= size
    dy /= size
  }
  const furthest = min(GAP, max(1, length))
  for (let t = 2; t <= furthest; t++) {
    // Straight on first, then to either side.
    for (let k = 0; k < 3; k++) {
      const aside: f64 = k == 2 ? -1 : <f64>k
      const px = <i32>Math.floor(<f64>x + <f64>t * dx - aside * dy + 0.5)
      const py = <i32>Math.floor(<f64>y + <f64>t * dy + aside * dx + 0.5)
      if (px < 2 || py < 2 || px >= width - 2 || py >= height - 2) continue
      const i = py * width + px
      if (!load<u8>(used + <usize>i) && <f64>f32.load(answers + (<usize>i << 2)) * sign > 0) return i
    }
  }
  return -1
}

/** Pixels of a ridge from a seed on, in one direction; gaps are bridged along the way it went. */
function followOneWay(answers: usize, used: usize, width: i32, height: i32, seed: i32, heading: i32, sign: f64, path: usize): i32 {
  const count = width * height
  let length = 0
  let here = seed
  let direction = heading
  while (true) {
    let best = -1
    let bestValue: f64 = 0
    for (let turn = -1; turn <= 1; turn++) {
      const to = (direction + turn) & 7
      const i = here + stepY(to) * width + stepX(to)
      if (i < 0 || i >= count || load<u8>(used + <usize>i)) continue
      const value = sign * <f64>f32.load(answers + (<usize>i << 2)) * (turn == 0 ? STRAIGHT_ON : 1)
      if (value > bestValue) {
        bestValue = value
        best = i
      }
    }
    if (best < 0) best = overGap(answers, used, width, height, path, length, seed, direction, sign)
    if (best < 0) break
    const x = best % width
    const y = best / width
    const dx = x - here % width
    const dy = y - here / width
    // Its neighbours across belong to the same line.
    for (let k = 0; k < 8; k++) {
      const px = x + stepX(k)
      const py = y + stepY(k)
      if (px >= 0 && py >= 0 && px < width && py < height && stepX(k) * dx + stepY(k) * dy <= 0) store<u8>(used + <usize>(py * width + px), 1)
    }
    store<u8>(used + <usize>best, 1)
    store<i32>(path + (<usize>length << 2), best)
    length++
    const back = length < 4 ? seed : pixelOf(path, length - 4)
    direction = nearestDirection(x - back % width, y - back / width, direction)
    here = best
  }
  return length
}

export function followRidge(answers: usize, across: usize, used: usize, width: i32, height: i32, seed: i32, path: usize, room: usize): i32 {
  if (load<u8>(used + <usize>seed)) return 0
  const sign: f64 = f32.load(answers + (<usize>seed << 2)) > 0 ? 1 : -1
  const heading = (<i32>load<u8>(across + <usize>seed) + 2) & 7
  store<u8>(used + <usize>seed, 1)
  const forward = followOneWay(answers, used, width, height, seed, heading, sign, room)
  const backward = followOneWay(answers, used, width, height, seed, (heading + 4) & 7, sign, path)
  for (let from = 0, to = backward - 1; from < to; from++, to--) {
    const other = pixelOf(path, from)
    store<i32>(path + (<usize>from << 2), pixelOf(path, to))
    store<i32>(path + (<usize>to << 2), other)
  }
  store<i32>(path + (<usize>backward << 2), seed)
  memory.copy(path + (<usize>(backward + 1) << 2), room, <usize>forward << 2)
  return backward + 1 + forward
}
