// Elementary functions that give the same bits as core/raster/exact-math.ts, in AssemblyScript; other kernels are compiled
// with it.

// @ts-nocheck: the compiler of this file is AssemblyScript's.

const LN2: f64 = 0.6931471805599453
const SQRT_HALF: f64 = 0.7071067811865476

/** Natural logarithm of a normal number above 0. */
export function ln(x: f64): f64 {
  const bits = reinterpret<u64>(x)
  let exponent = <i32>((bits >> 52) & 0x7ff) - 1022
  let mantissa = reinterpret<f64>((bits & 0x000fffffffffffff) | 0x3fe0000000000000)
  if (mantissa < SQRT_HALF) {
    mantissa *= 2
    exponent -= 1
  }
  const s = (mantissa - 1) / (mantissa + 1)
  const z = s * s
  const series: f64 =
    1 + z * (1.0 / 3 + z * (1.0 / 5 + z * (1.0 / 7 + z * (1.0 / 9 + z * (1.0 / 11 + z * (1.0 / 13 + z * (1.0 / 15 + z * (1.0 / 17 + z * (1.0 / 19 + z / 21)))))))))
  return <f64>exponent * LN2 + 2 * s * series
}
