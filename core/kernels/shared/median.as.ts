// The median of floats, in AssemblyScript; other kernels are compiled with it.

// @ts-nocheck: the compiler of this file is AssemblyScript's.

/**
 * The value of which half are smaller; of an even count the upper of the two middle ones. Found bit by bit, from what is
 * counted below each next bound, as integers of the same order.
 *
 * @param values   Room for three more.
 * @param ordered  Room for as many.
 */
export function upperMedian(values: usize, count: i32, ordered: usize): f32 {
  const room = <usize>((count + 3) & ~3) << 2
  for (let at = <usize>count << 2; at < room; at += 4) f32.store(values + at, Infinity)
  for (let at: usize = 0; at < room; at += 16) v128.store(ordered + at, inOrder(v128.load(values + at)))
  const most = count >> 1
  let found: i32 = i32.MIN_VALUE
  for (let bit: i32 = i32.MIN_VALUE; bit != 0; bit = <i32>(<u32>bit >> 1)) {
    const bound = found ^ bit
    const four = i32x4.splat(bound)
    let below = i32x4.splat(0)
    for (let at = ordered; at < ordered + room; at += 16) below = i32x4.add(below, i32x4.lt_s(v128.load(at), four))
    const smaller = -(i32x4.extract_lane(below, 0) + i32x4.extract_lane(below, 1) + i32x4.extract_lane(below, 2) + i32x4.extract_lane(below, 3))
    if (smaller <= most) found = bound
  }
  return reinterpret<f32>(found < 0 ? found ^ 0x7fffffff : found)
}

/** Integers that are in the order of four floats: the bits of floats are, but for the sign. */
@inline function inOrder(floats: v128): v128 {
  return v128.xor(floats, v128.and(i32x4.shr_s(floats, 31), i32x4.splat(0x7fffffff)))
}
