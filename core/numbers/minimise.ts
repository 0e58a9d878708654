/**
 * Least value of a function of a few numbers without derivatives (Nelder and Mead 1965, with their own factors 1, 2, 1/2).
 *
 * @param start  Where it begins.
 * @param steps  How far the first simplex reaches in each number.
 * @param rounds At most so many changes of the simplex.
 */
export function minimise(of: (at: readonly number[]) => number, start: readonly number[], steps: readonly number[], rounds: number): { readonly at: number[]; readonly value: number } {
  const corners = [start, ...steps.map((step, k) => start.map((value, i) => value + (i === k ? step : 0)))].map((at) => ({ at: [...at], value: of(at) }))
  const between = (middle: readonly number[], worst: readonly number[], share: number) => {
    const at = middle.map((value, i) => value + share * (worst[i]! - value))
    return { at, value: of(at) }
  }
  for (let round = 0; round < rounds; round++) {
    corners.sort((a, b) => a.value - b.value)
    const worst = corners.at(-1)!
    const others = corners.slice(0, -1)
    const middle = start.map((_, i) => others.reduce((sum, { at }) => sum + at[i]!, 0) / others.length)
    const mirrored = between(middle, worst.at, -1)
    if (mirrored.value < corners[0]!.value) {
      const further = between(middle, worst.at, -2)
      corners[corners.length - 1] = further.value < mirrored.value ? further : mirrored
    } else if (mirrored.value < corners.at(-2)!.value) corners[corners.length - 1] = mirrored
    else {
      const nearer = between(middle, mirrored.value < worst.value ? mirrored.at : worst.at, 0.5)
      if (nearer.value < Math.min(worst.value, mirrored.value)) corners[corners.length - 1] = nearer
      else for (let k = 1; k < corners.length; k++) corners[k] = between(corners[0]!.at, corners[k]!.at, 0.5)
    }
  }
  corners.sort((a, b) => a.value - b.value)
  return corners[0]!
}
