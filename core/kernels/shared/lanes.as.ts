// Single numbers of four, in AssemblyScript; other kernels are compiled with it.

// @ts-nocheck: the compiler of this file is AssemblyScript's.

/** @param lane  0 to 3. */
@inline
export function floatOf(four: v128, lane: i32): f32 {
  return lane == 0 ? f32x4.extract_lane(four, 0) : lane == 1 ? f32x4.extract_lane(four, 1) : lane == 2 ? f32x4.extract_lane(four, 2) : f32x4.extract_lane(four, 3)
}

@inline
export function integerOf(four: v128, lane: i32): i32 {
  return lane == 0 ? i32x4.extract_lane(four, 0) : lane == 1 ? i32x4.extract_lane(four, 1) : lane == 2 ? i32x4.extract_lane(four, 2) : i32x4.extract_lane(four, 3)
}
