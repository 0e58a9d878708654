// What a plane of 32 bit floats shows along a path and across it, in AssemblyScript; compiled by scripts/generate.ts.
// Addresses are in bytes; a path is pairs of doubles. core/kernels/finding/paths.ts is the only caller and says what each does.

// @ts-nocheck: the compiler of this file is AssemblyScript's.

@inline function numberAt(list: usize, k: i32): f64 {
  return f64.load(list + (<usize>k << 3))
}

/** Value between the four pixels around a place, pixel centres at .5; beyond the edge the edge is repeated. */
@inline function sampleAt(plane: usize, width: i32, height: i32, x: f64, y: f64): f64 {
  const px = max(0, min(<f64>width - 1.001, x - 0.5))
  const py = max(0, min(<f64>height - 1.001, y - 0.5))
  const left = <i32>px
  const top = <i32>py
  const u = px - <f64>left
  const v = py - <f64>top
  const at = plane + (<usize>(top * width + left) << 2)
  const upper = f64x2.promote_low_f32x4(v128.load64_zero(at))
  const lower = f64x2.promote_low_f32x4(v128.load64_zero(at + (<usize>width << 2)))
  const down = f64x2.add(f64x2.mul(f64x2.splat(1 - v), upper), f64x2.mul(f64x2.splat(v), lower))
  return (1 - u) * f64x2.extract_lane(down, 0) + u * f64x2.extract_lane(down, 1)
}

/** @param reach  Points before and after from which the direction is taken. */
export function normals(path: usize, count: i32, reach: i32, into: usize): void {
  for (let k = 0; k < count; k++) {
    const a = path + (<usize>max(0, k - reach) << 4)
    const b = path + (<usize>min(count - 1, k + reach) << 4)
    const dx = f64.load(b) - f64.load(a)
    const dy = f64.load(b + 8) - f64.load(a + 8)
    const length = max(1e-9, sqrt(dx * dx + dy * dy))
    f64.store(into + (<usize>k << 4), -dy / length)
    f64.store(into + (<usize>k << 4) + 8, dx / length)
  }
}

export function profile(plane: usize, width: i32, height: i32, path: usize, normals: usize, count: i32, reach: i32, into: usize): void {
  const wide = 2 * reach + 1
  memory.fill(into, 0, <usize>wide << 3)
  for (let k = 0; k < count; k++) {
    const x = numberAt(path, 2 * k), y = numberAt(path, 2 * k + 1)
    const nx = numberAt(normals, 2 * k), ny = numberAt(normals, 2 * k + 1)
    for (let j = 0; j < wide; j++) {
      const away = 0.5 * <f64>(j - reach)
      const at = into + (<usize>j << 3)
      f64.store(at, f64.load(at) + sampleAt(plane, width, height, x + away * nx, y + away * ny))
    }
  }
  for (let j = 0; j < wide; j++) f64.store(into + (<usize>j << 3), numberAt(into, j) / <f64>count)
}

/** Sums in the order in which core/kernels/finding/paths.ts reads them. */
export function ask(plane: usize, width: i32, height: i32, path: usize, normals: usize, count: i32, half: f64, away: f64, values: usize, sums: usize): void {
  const inner = 0.4 * half
  const near = half + 1
  const far = half + 2
  let total: f64 = 0, uneven: f64 = 0
  let left1: f64 = 0, right1: f64 = 0, left2: f64 = 0, right2: f64 = 0, both: f64 = 0
  let middle1: f64 = 0, middle2: f64 = 0, sides1: f64 = 0, sides2: f64 = 0, through: f64 = 0
  for (let k = 0; k < count; k++) {
    const nx = numberAt(normals, 2 * k), ny = numberAt(normals, 2 * k + 1)
    const x = numberAt(path, 2 * k) + away * nx, y = numberAt(path, 2 * k + 1) + away * ny
    let middle = sampleAt(plane, width, height, x, y)
    if (half >= 1) middle = (middle + sampleAt(plane, width, height, x - inner * nx, y - inner * ny) + sampleAt(plane, width, height, x + inner * nx, y + inner * ny)) / 3
    const left = (sampleAt(plane, width, height, x + near * nx, y + near * ny) + sampleAt(plane, width, height, x + far * nx, y + far * ny)) / 2
    const right = (sampleAt(plane, width, height, x - near * nx, y - near * ny) + sampleAt(plane, width, height, x - far * nx, y - far * ny)) / 2
    const sides = (left + right) / 2
    const value = middle - sides
    f32.store(values + (<usize>k << 2), <f32>value)
    total += value
    uneven += abs(left - right)
    left1 += left
    right1 += right
    left2 += left * left
    right2 += right * right
    both += left * right
    middle1 += middle
    middle2 += middle * middle
    sides1 += sides
    sides2 += sides * sides
    through += middle * sides
  }
  f64.store(sums, total)
  f64.store(sums, uneven, 8)
  f64.store(sums, left1, 16)
  f64.store(sums, right1, 24)
  f64.store(sums, left2, 32)
  f64.store(sums, right2, 40)
  f64.store(sums, both, 48)
  f64.store(sums, middle1, 56)
  f64.store(sums, sides1, 64)
  f64.store(sums, middle2, 72)
  f64.store(sums, sides2, 80)
  f64.store(sums, through, 88)
}

/** Every other point is asked, at eight places of either side. */
export function countTopped(plane: usize, width: i32, height: i32, path: usize, normals: usize, count: i32, first: f64, sign: f64): i32 {
  let over = 0
  for (let k = 0; k < count; k += 2) {
    const x = numberAt(path, 2 * k), y = numberAt(path, 2 * k + 1)
    const nx = numberAt(normals, 2 * k), ny = numberAt(normals, 2 * k + 1)
    const middle = sign * sampleAt(plane, width, height, x, y)
    for (let j = 0; j < 8; j++) {
      const d = first + 1.5 * <f64>j
      if (sign * sampleAt(plane, width, height, x + d * nx, y + d * ny) > middle) over++
      if (sign * sampleAt(plane, width, height, x - d * nx, y - d * ny) > middle) over++
    }
  }
  return over
}
