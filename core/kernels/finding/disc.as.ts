// Sums over a window in which a soft disc on a tilted ground is fitted (core/find/fit-disc.ts), in AssemblyScript, two
// numbers at a time; compiled by scripts/generate.ts. Addresses are in bytes. core/kernels/finding/disc.ts is the only caller.

// @ts-nocheck: the compiler of this file is AssemblyScript's.

/** Of a state: centre, radius, edge width, amplitude, and the ground with its slopes, as doubles. */
@inline function part(state: usize, n: i32): f64 {
  return f64.load(state + (<usize>n << 3))
}

/**
 * Sum of Geman and McClure's loss of the residuals: far outliers count alike.
 *
 * @param window  size x size floats.
 * @param scale   1 over the square of the residual at which half of the most is lost.
 */
export function robustCost(window: usize, size: i32, state: usize, scale: f64): f64 {
  const cx = part(state, 0), cy = part(state, 1), r = part(state, 2), w = part(state, 3)
  const a = part(state, 4), b = part(state, 5), bx = part(state, 6), by = part(state, 7)
  const one = f64x2.splat(1)
  const half = f64x2.splat(0.5)
  let sum: f64 = 0
  for (let y = 0; y < size; y++) {
    const dy = <f64>y + 0.5 - cy
    const row = window + (<usize>(y * size) << 2)
    for (let x = 0; x < size; x += 2) {
      // Of an odd row's last pair the second is not counted.
      const dx = f64x2(<f64>x + 0.5 - cx, <f64>(x + 1) + 0.5 - cx)
      const u = f64x2.div(f64x2.sub(f64x2.sqrt(f64x2.add(f64x2.mul(dx, dx), f64x2.splat(dy * dy))), f64x2.splat(r)), f64x2.splat(w))
      const profile = f64x2.sub(half, f64x2.div(f64x2.mul(half, u), f64x2.sqrt(f64x2.add(one, f64x2.mul(u, u)))))
      const model = f64x2.add(f64x2.add(f64x2.add(f64x2.mul(f64x2.splat(a), profile), f64x2.splat(b)), f64x2.mul(f64x2.splat(bx), dx)), f64x2.splat(by * dy))
      const residual = f64x2.sub(f64x2.promote_low_f32x4(v128.load64_zero(row + (<usize>x << 2))), model)
      const z = f64x2.mul(f64x2.mul(residual, residual), f64x2.splat(scale))
      const loss = f64x2.div(z, f64x2.add(one, z))
      sum += f64x2.extract_lane(loss, 0)
      if (x + 1 < size) sum += f64x2.extract_lane(loss, 1)
    }
  }
  return sum
}

/** Numbers kept of a pixel: its derivatives by all parameters, its weight and its residual, as doubles. */
const PIXEL: usize = 80

/**
 * Normal equations of one step: the weighted products of all derivatives, and their products with the residual.
 *
 * @param scale   1 over the residual that halves a weight.
 * @param room    For what is kept of the pixels of a row, and one more.
 * @param normal  Room for 8 x 8 doubles: of each row as many pairs as reach the diagonal are written.
 * @param right   Room for 8 doubles.
 */
export function normalEquations(window: usize, size: i32, state: usize, scale: f64, room: usize, normal: usize, right: usize): void {
  memory.fill(normal, 0, 512)
  memory.fill(right, 0, 64)
  const end = room + <usize>size * PIXEL
  for (let y = 0; y < size; y++) {
    deriveRow(window + (<usize>(y * size) << 2), size, <f64>y + 0.5 - part(state, 1), state, scale, room)
    // In three groups of rows, so that no group has more sums than a processor has registers.
    addUpper(room, end, normal, right)
    addMiddle(room, end, normal, right)
    addLower(room, end, normal, right)
  }
}

/** Derivatives, weights and residuals of a row, two pixels at a time. */
function deriveRow(row: usize, size: i32, dy: f64, state: usize, scale: f64, room: usize): void {
  const cx = part(state, 0), w = f64x2.splat(part(state, 3)), a = part(state, 4)
  const bx = f64x2.splat(part(state, 6)), by = part(state, 7)
  const one = f64x2.splat(1)
  const half = f64x2.splat(0.5)
  for (let x = 0; x < size; x += 2) {
    const dx = f64x2(<f64>x + 0.5 - cx, <f64>(x + 1) + 0.5 - cx)
    const distance = f64x2.add(f64x2.sqrt(f64x2.add(f64x2.mul(dx, dx), f64x2.splat(dy * dy))), f64x2.splat(1e-6))
    const u = f64x2.div(f64x2.sub(distance, f64x2.splat(part(state, 2))), w)
    const q = f64x2.div(one, f64x2.sqrt(f64x2.add(one, f64x2.mul(u, u))))
    const profile = f64x2.sub(half, f64x2.mul(f64x2.mul(half, u), q))
    const model = f64x2.add(f64x2.add(f64x2.add(f64x2.mul(f64x2.splat(a), profile), f64x2.splat(part(state, 5))), f64x2.mul(bx, dx)), f64x2.splat(by * dy))
    const residual = f64x2.sub(f64x2.promote_low_f32x4(v128.load64_zero(row + (<usize>x << 2))), model)
    const z = f64x2.mul(residual, f64x2.splat(scale))
    const weight = f64x2.div(one, f64x2.add(one, f64x2.mul(z, z)))
    const outward = f64x2.neg(f64x2.div(f64x2.mul(f64x2.mul(f64x2.mul(f64x2.splat(-0.5 * a), q), q), q), w))
    const inward = f64x2.div(outward, distance)
    const g0 = f64x2.sub(f64x2.mul(inward, dx), bx)
    const g1 = f64x2.sub(f64x2.mul(inward, f64x2.splat(dy)), f64x2.splat(by))
    const g3 = f64x2.mul(outward, u)
    const at = room + <usize>x * PIXEL
    keep(at, g0, g1)
    keep(at + 16, outward, g3)
    keep(at + 32, profile, one)
    keep(at + 48, dx, f64x2.splat(dy))
    keep(at + 64, weight, residual)
  }
}

/** Numbers of two pixels, side by side for each. */
@inline function keep(at: usize, one: v128, other: v128): void {
  v128.store(at, v128.shuffle<f64>(one, other, 0, 2))
  v128.store(at + PIXEL, v128.shuffle<f64>(one, other, 1, 3))
}

/** One of the sums: so much more. */
@inline function add(sum: v128, a: v128, b: v128): v128 {
  return f64x2.add(sum, f64x2.mul(a, b))
}

function addUpper(room: usize, end: usize, normal: usize, right: usize): void {
  let n00 = v128.load(normal), n10 = v128.load(normal, 64), n20 = v128.load(normal, 128), n21 = v128.load(normal, 144)
  let n30 = v128.load(normal, 192), n31 = v128.load(normal, 208), r0 = v128.load(right), r1 = v128.load(right, 16)
  for (let at = room; at < end; at += PIXEL) {
    const g0 = v128.load(at), g1 = v128.load(at, 16)
    const weight = v128.load64_splat(at, 64), residual = v128.load64_splat(at, 72)
    const w0 = f64x2.mul(weight, g0), w1 = f64x2.mul(weight, g1)
    r0 = add(r0, w0, residual)
    r1 = add(r1, w1, residual)
    n00 = add(n00, first(w0), g0)
    n10 = add(n10, second(w0), g0)
    n20 = add(n20, first(w1), g0)
    n21 = add(n21, first(w1), g1)
    n30 = add(n30, second(w1), g0)
    n31 = add(n31, second(w1), g1)
  }
  v128.store(normal, n00)
  v128.store(normal, n10, 64)
  v128.store(normal, n20, 128)
  v128.store(normal, n21, 144)
  v128.store(normal, n30, 192)
  v128.store(normal, n31, 208)
  v128.store(right, r0)
  v128.store(right, r1, 16)
}

function addMiddle(room: usize, end: usize, normal: usize, right: usize): void {
  let n40 = v128.load(normal, 256), n41 = v128.load(normal, 272), n42 = v128.load(normal, 288)
  let n50 = v128.load(normal, 320), n51 = v128.load(normal, 336), n52 = v128.load(normal, 352), r2 = v128.load(right, 32)
  for (let at = room; at < end; at += PIXEL) {
    const g0 = v128.load(at), g1 = v128.load(at, 16), g2 = v128.load(at, 32)
    const w2 = f64x2.mul(v128.load64_splat(at, 64), g2)
    r2 = add(r2, w2, v128.load64_splat(at, 72))
    n40 = add(n40, first(w2), g0)
    n41 = add(n41, first(w2), g1)
    n42 = add(n42, first(w2), g2)
    n50 = add(n50, second(w2), g0)
    n51 = add(n51, second(w2), g1)
    n52 = add(n52, second(w2), g2)
  }
  v128.store(normal, n40, 256)
  v128.store(normal, n41, 272)
  v128.store(normal, n42, 288)
  v128.store(normal, n50, 320)
  v128.store(normal, n51, 336)
  v128.store(normal, n52, 352)
  v128.store(right, r2, 32)
}

function addLower(room: usize, end: usize, normal: usize, right: usize): void {
  let n60 = v128.load(normal, 384), n61 = v128.load(normal, 400), n62 = v128.load(normal, 416), n63 = v128.load(normal, 432)
  let n70 = v128.load(normal, 448), n71 = v128.load(normal, 464), n72 = v128.load(normal, 480), n73 = v128.load(normal, 496)
  let r3 = v128.load(right, 48)
  for (let at = room; at < end; at += PIXEL) {
    const g0 = v128.load(at), g1 = v128.load(at, 16), g2 = v128.load(at, 32), g3 = v128.load(at, 48)
    const w3 = f64x2.mul(v128.load64_splat(at, 64), g3)
    r3 = add(r3, w3, v128.load64_splat(at, 72))
    n60 = add(n60, first(w3), g0)
    n61 = add(n61, first(w3), g1)
    n62 = add(n62, first(w3), g2)
    n63 = add(n63, first(w3), g3)
    n70 = add(n70, second(w3), g0)
    n71 = add(n71, second(w3), g1)
    n72 = add(n72, second(w3), g2)
    n73 = add(n73, second(w3), g3)
  }
  v128.store(normal, n60, 384)
  v128.store(normal, n61, 400)
  v128.store(normal, n62, 416)
  v128.store(normal, n63, 432)
  v128.store(normal, n70, 448)
  v128.store(normal, n71, 464)
  v128.store(normal, n72, 480)
  v128.store(normal, n73, 496)
  v128.store(right, r3, 48)
}

@inline function first(pair: v128): v128 {
  return v128.shuffle<f64>(pair, pair, 0, 0)
}

@inline function second(pair: v128): v128 {
  return v128.shuffle<f64>(pair, pair, 1, 1)
}
