// Kernels of statistical filling (core/mend/fill-bridge.ts), in AssemblyScript, four numbers at a time; compiled by
// scripts/generate.ts. Addresses are in bytes. core/kernels/filling/kriging.ts is the only caller and says what each does.

// @ts-nocheck: the compiler of this file is AssemblyScript's.

function sumOf(v: v128): f32 {
  return f32x4.extract_lane(v, 0) + f32x4.extract_lane(v, 1) + (f32x4.extract_lane(v, 2) + f32x4.extract_lane(v, 3))
}

/** Rows of values and of known (1 or 0), both with room for `lag` zeros on either side of a row. */
export function lagProducts(values: usize, known: usize, width: i32, height: i32, stride: i32, lag: i32, sums: usize, pairs: usize): void {
  const lags = 2 * lag + 1
  for (let ly = 0; ly <= lag; ly++) {
    for (let lx = -lag; lx <= lag; lx++) {
      let sum = f32x4.splat(0)
      let count = f32x4.splat(0)
      for (let y = 0; y + ly < height; y++) {
        const row = <usize>(y * stride + lag) << 2
        const other = <usize>((y + ly) * stride + lag + lx) << 2
        for (let x: usize = 0; x < <usize>width << 2; x += 16) {
          sum = f32x4.add(sum, f32x4.mul(v128.load(values + row + x), v128.load(values + other + x)))
          count = f32x4.add(count, f32x4.mul(v128.load(known + row + x), v128.load(known + other + x)))
        }
      }
      const at = <usize>(ly * lags + lx + lag) << 2
      f32.store(sums + at, sumOf(sum))
      f32.store(pairs + at, sumOf(count))
    }
  }
}

/** Lower triangle of the covariance of places; rows are `stride` numbers apart. */
export function fillMatrix(matrix: usize, n: i32, stride: i32, xs: usize, ys: usize, covariance: usize, lag: i32, diagonal: f32): void {
  const lags = 2 * lag + 1
  for (let i = 0; i < n; i++) {
    const x = load<i32>(xs + (<usize>i << 2)) + lag
    const y = load<i32>(ys + (<usize>i << 2)) + lag
    const row = matrix + (<usize>(i * stride) << 2)
    for (let j = 0; j < i; j++) {
      const dx = x - load<i32>(xs + (<usize>j << 2))
      const dy = y - load<i32>(ys + (<usize>j << 2))
      const inside = dx >= 0 && dx < lags && dy >= 0 && dy < lags
      f32.store(row + (<usize>j << 2), inside ? f32.load(covariance + (<usize>(dy * lags + dx) << 2)) : 0)
    }
    f32.store(row + (<usize>i << 2), diagonal)
    // What is left of the last four numbers must not count.
    for (let j = i + 1; j < stride && j < i + 5; j++) f32.store(row + (<usize>j << 2), 0)
  }
}

export function factorise(matrix: usize, n: i32, stride: i32): bool {
  for (let i = 0; i < n; i++) {
    const row = matrix + (<usize>(i * stride) << 2)
    for (let j = 0; j <= i; j++) {
      const other = matrix + (<usize>(j * stride) << 2)
      let products = f32x4.splat(0)
      let k = 0
      for (; k + 4 <= j; k += 4) products = f32x4.add(products, f32x4.mul(v128.load(row + (<usize>k << 2)), v128.load(other + (<usize>k << 2))))
      let sum = f32.load(row + (<usize>j << 2)) - sumOf(products)
      for (; k < j; k++) sum -= f32.load(row + (<usize>k << 2)) * f32.load(other + (<usize>k << 2))
      if (j < i) f32.store(row + (<usize>j << 2), sum / f32.load(other + (<usize>j << 2)))
      else if (!(sum > 0.0001)) return false
      else f32.store(row + (<usize>i << 2), sqrt<f32>(sum))
    }
  }
  return true
}

export function solve(matrix: usize, n: i32, stride: i32, right: usize): void {
  for (let i = 0; i < n; i++) {
    const row = matrix + (<usize>(i * stride) << 2)
    let products = f32x4.splat(0)
    let k = 0
    for (; k + 4 <= i; k += 4) products = f32x4.add(products, f32x4.mul(v128.load(row + (<usize>k << 2)), v128.load(right + (<usize>k << 2))))
    let sum = f32.load(right + (<usize>i << 2)) - sumOf(products)
    for (; k < i; k++) sum -= f32.load(row + (<usize>k << 2)) * f32.load(right + (<usize>k << 2))
    f32.store(right + (<usize>i << 2), sum / f32.load(row + (<usize>i << 2)))
  }
  for (let i = n - 1; i >= 0; i--) {
    const row = matrix + (<usize>(i * stride) << 2)
    const value: f32 = f32.load(right + (<usize>i << 2)) / f32.load(row + (<usize>i << 2))
    f32.store(right + (<usize>i << 2), value)
    const share = f32x4.splat(value)
    let k = 0
    for (; k + 4 <= i; k += 4) v128.store(right + (<usize>k << 2), f32x4.sub(v128.load(right + (<usize>k << 2)), f32x4.mul(share, v128.load(row + (<usize>k << 2)))))
    for (; k < i; k++) f32.store(right + (<usize>k << 2), f32.load(right + (<usize>k << 2)) - value * f32.load(row + (<usize>k << 2)))
  }
}

/** Sums of covariance x weight at places asked, for `sets` sets of weights that lie `setStride` numbers apart. */
export function weigh(
  n: i32, xs: usize, ys: usize, covariance: usize, lag: i32, weights: usize, sets: i32, setStride: i32, asked: i32, askedXs: usize, askedYs: usize, into: usize, row: usize,
): void {
  const lags = 2 * lag + 1
  for (let a = 0; a < asked; a++) {
    const x = load<i32>(askedXs + (<usize>a << 2)) + lag
    const y = load<i32>(askedYs + (<usize>a << 2)) + lag
    for (let k = 0; k < n; k++) {
      const dx = x - load<i32>(xs + (<usize>k << 2))
      const dy = y - load<i32>(ys + (<usize>k << 2))
      const inside = dx >= 0 && dx < lags && dy >= 0 && dy < lags
      f32.store(row + (<usize>k << 2), inside ? f32.load(covariance + (<usize>(dy * lags + dx) << 2)) : 0)
    }
    for (let s = 0; s < sets; s++) {
      const set = weights + (<usize>(s * setStride) << 2)
      let products = f32x4.splat(0)
      let k = 0
      for (; k + 4 <= n; k += 4) products = f32x4.add(products, f32x4.mul(v128.load(row + (<usize>k << 2)), v128.load(set + (<usize>k << 2))))
      let sum = sumOf(products)
      for (; k < n; k++) sum += f32.load(row + (<usize>k << 2)) * f32.load(set + (<usize>k << 2))
      f32.store(into + (<usize>(s * asked + a) << 2), sum)
    }
  }
}
