/**
 * Elementary functions that give the same bits on every platform.
 *
 * Engines differ in the last bits of log, exp, pow and the trigonometric functions, so kernels use these
 * instead: built only from + - * / and the square root, which IEEE 754 specifies exactly.
 */

const doubles = new Float64Array(1)
const words = new Uint32Array(doubles.buffer)
const LITTLE_ENDIAN = new Uint8Array(new Uint32Array([1]).buffer)[0] === 1
const HIGH = LITTLE_ENDIAN ? 1 : 0
const LOW = 1 - HIGH

export const LN2 = 0.6931471805599453
export const PI = 3.141592653589793
const SQRT_HALF = 0.7071067811865476

/**
 * Natural logarithm.
 *
 * @param x  A number above 0.
 * @returns ln x, within 2 units in the last place; -Infinity for 0, NaN below.
 *
 * Splits x = m 2^k with m in [1/sqrt 2, sqrt 2) and sums ln m = 2 artanh((m - 1) / (m + 1)).
 */
export function ln(x: number): number {
  if (!(x > 0)) return x === 0 ? -Infinity : NaN
  if (x === Infinity) return Infinity
  let exponent = 0
  if (x < 2.2250738585072014e-308) {
    x *= 18014398509481984 // 2^54 lifts subnormal numbers into the normal range
    exponent = -54
  }
  doubles[0] = x
  exponent += ((words[HIGH]! >>> 20) & 0x7ff) - 1022
  words[HIGH] = (words[HIGH]! & 0x800fffff) | 0x3fe00000
  let mantissa = doubles[0]
  if (mantissa < SQRT_HALF) {
    mantissa *= 2
    exponent -= 1
  }
  const s = (mantissa - 1) / (mantissa + 1)
  const z = s * s
  const series =
    1 + z * (1 / 3 + z * (1 / 5 + z * (1 / 7 + z * (1 / 9 + z * (1 / 11 + z * (1 / 13 + z * (1 / 15 + z * (1 / 17 + z * (1 / 19 + z / 21)))))))))
  return exponent * LN2 + 2 * s * series
}

/**
 * Exponential function.
 *
 * @param x  Any number.
 * @returns e^x, within 2 units in the last place; 0 or Infinity beyond the range of doubles.
 */
export function exp(x: number): number {
  if (x !== x) return NaN
  if (x > 709.78) return Infinity
  if (x < -708.39) return 0
  const k = Math.floor(x / LN2 + 0.5)
  // LN2 in two parts, so that x - k ln 2 loses nothing to cancellation.
  const r = x - k * 0.693147180369123816490 - k * 1.90821492927058770002e-10
  const sum =
    1 + r * (1 + r * (1 / 2 + r * (1 / 6 + r * (1 / 24 + r * (1 / 120 + r * (1 / 720 + r * (1 / 5040 + r * (1 / 40320 + r * (1 / 362880 + r * (1 / 3628800 + r * (1 / 39916800 + r * (1 / 479001600 + r / 6227020800))))))))))))
  // Two factors: 2^k alone would overflow at k = 1024 although the product does not.
  const half = Math.floor(k / 2)
  return sum * powerOfTwo(half) * powerOfTwo(k - half)
}

function powerOfTwo(k: number): number {
  words[HIGH] = (k + 1023) << 20
  words[LOW] = 0
  return doubles[0]!
}

/** x^y for x >= 0. */
export function pow(x: number, y: number): number {
  if (y === 0) return 1
  if (x === 0) return y > 0 ? 0 : Infinity
  return exp(y * ln(x))
}

/** Cube root for x >= 0, by Newton's iteration on the value of exp(ln x / 3). */
export function cubeRoot(x: number): number {
  if (x === 0) return 0
  const y = exp(ln(x) / 3)
  return y - (y * y * y - x) / (3 * y * y)
}

/** Sine of an angle in radians, for |x| up to about 1e5. */
export function sin(x: number): number {
  return cos(x - PI / 2)
}

/** Cosine of an angle in radians, for |x| up to about 1e5. */
export function cos(x: number): number {
  let r = Math.abs(x)
  r -= 2 * PI * Math.floor(r / (2 * PI))
  if (r > PI) r = 2 * PI - r
  const flip = r > PI / 2
  if (flip) r = PI - r
  const z = r * r
  let term = 1
  let sum = 1
  for (let n = 2; n <= 24; n += 2) {
    term *= -z / (n * (n - 1))
    sum += term
  }
  return flip ? -sum : sum
}

/** Angle of the point (x, y) in radians, in (-pi, pi]; 0 for the origin. */
export function atan2(y: number, x: number): number {
  if (x === 0 && y === 0) return 0
  const ax = Math.abs(x)
  const ay = Math.abs(y)
  const steep = ay > ax
  let t = steep ? ax / ay : ay / ax
  // Halve the angle twice: atan t = 2 atan(t / (1 + sqrt(1 + t^2))); the series then converges fast.
  t = t / (1 + Math.sqrt(1 + t * t))
  t = t / (1 + Math.sqrt(1 + t * t))
  const z = t * t
  let sum = 0
  for (let n = 31; n >= 1; n -= 2) sum = 1 / n - z * sum
  let angle = 4 * t * sum
  if (steep) angle = PI / 2 - angle
  if (x < 0) angle = PI - angle
  return y < 0 ? -angle : angle
}
