/**
 * Monotone piecewise cubic through points: never leaves the range between two neighbours, so no tone is turned round.
 *
 * @param points  At least two, `[x, y]`, rising in x.
 * @returns The function; flat beyond the first and last point.
 *
 * Fritsch and Carlson 1980, "Monotone piecewise cubic interpolation", SIAM J. Numer. Anal. 17, with the weighted
 * harmonic mean of Fritsch and Butland 1984 for the slopes inside and their three-point formula at the ends.
 */
export function monotoneCurve(points: readonly (readonly [number, number])[]): (x: number) => number {
  const n = points.length
  if (n < 2) throw new RangeError(`A curve needs two points, not ${n}`)
  const xs = points.map(([x]) => x)
  const ys = points.map(([, y]) => y)
  const h = xs.slice(1).map((x, i) => x - xs[i]!)
  if (h.some((width) => width <= 0)) throw new RangeError('The points of a curve must rise from left to right')
  const secants = h.map((width, i) => (ys[i + 1]! - ys[i]!) / width)
  const slopes = new Array<number>(n).fill(0)
  for (let i = 1; i < n - 1; i++) {
    const [before, after] = [secants[i - 1]!, secants[i]!]
    if (before * after <= 0) continue
    const w1 = 2 * h[i]! + h[i - 1]!
    const w2 = h[i]! + 2 * h[i - 1]!
    slopes[i] = (w1 + w2) / (w1 / before + w2 / after)
  }
  slopes[0] = n === 2 ? secants[0]! : endSlope(h[0]!, h[1]!, secants[0]!, secants[1]!)
  slopes[n - 1] = n === 2 ? secants[0]! : endSlope(h[n - 2]!, h[n - 3]!, secants[n - 2]!, secants[n - 3]!)
  return (x) => {
    if (x <= xs[0]!) return ys[0]!
    if (x >= xs[n - 1]!) return ys[n - 1]!
    let i = 0
    while (x > xs[i + 1]!) i++
    const t = (x - xs[i]!) / h[i]!
    const [a, b] = [ys[i]!, ys[i + 1]!]
    const [p, q] = [slopes[i]! * h[i]!, slopes[i + 1]! * h[i]!]
    return a + t * (p + t * (3 * (b - a) - 2 * p - q + t * (2 * (a - b) + p + q)))
  }
}

function endSlope(h0: number, h1: number, d0: number, d1: number): number {
  const slope = ((2 * h0 + h1) * d0 - h0 * d1) / (h0 + h1)
  if (slope * d0 <= 0) return 0
  return d0 * d1 <= 0 && Math.abs(slope) > 3 * Math.abs(d0) ? 3 * d0 : slope
}
