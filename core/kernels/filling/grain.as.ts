// Kernels of the grain that is laid over filled gaps (core/mend/lay-grain.ts), in AssemblyScript; compiled by
// scripts/generate.ts. Addresses are in bytes. core/kernels/filling/grain.ts is the only caller.

// @ts-nocheck: the compiler of this file is AssemblyScript's.

/**
 * How little a place looks like another.
 *
 * @param role       By pixel, 0 where it is known, as bytes.
 * @param planes     Channels as floats, `size` bytes each.
 * @param gaps       Indices of pixels that must all be known when shifted.
 * @param witnesses  Indices of known pixels that are compared with those shifted from them.
 * @param shift      Difference of indices.
 * @returns Sum of the differences over the square of the count, so that little is said of a place of which little is
 *          known; infinite where a gap would borrow what is not known.
 */
export function costOfLending(role: usize, planes: usize, size: usize, channels: i32, gaps: usize, gapCount: i32, witnesses: usize, witnessCount: i32, shift: i32): f64 {
  const there = role + <usize>shift
  for (let k: usize = 0; k < <usize>gapCount; k++) if (load<u8>(there + <usize>load<i32>(gaps + (k << 2))) != 0) return Infinity
  const far = <usize>shift << 2
  let cost: f64 = 0
  let count: f64 = 1
  for (let k: usize = 0; k < <usize>witnessCount; k++) {
    const i = <usize>load<i32>(witnesses + (k << 2))
    if (load<u8>(there + i) != 0) continue
    count += 1
    let at = planes + (i << 2)
    for (let c = 0; c < channels; c++) {
      cost += abs(<f64>f32.load(at) - <f64>f32.load(at + far))
      at += size
    }
  }
  return cost / (count * count)
}

/** Places that are looked at, in the order in which core/kernels/filling/grain.ts writes it. */
@unmanaged
class Places {
  width: i32
  height: i32
  /** Indices, as integers; they lie within `columns` columns from `left` and `rows` rows from `top`. */
  places: usize
  count: i32
  left: i32
  top: i32
  columns: i32
  rows: i32
  /** Of the Gaussian, `side` doubles, an odd number. */
  weights: usize
  side: i32
  /** Room for columns x (rows + side - 1) doubles, and for as many bytes. */
  across: usize
  made: usize
  /** Room for a float a place. */
  into: usize
}

/**
 * What a Gaussian takes away, at a few places only: beyond the edge the edge pixel is repeated.
 *
 * @param plane  Floats, width x height.
 */
export function fineDetail(asked: Places, plane: usize): void {
  const width = asked.width
  const height = asked.height
  const places = asked.places
  const left = asked.left
  const top = asked.top
  const columns = asked.columns
  const weights = asked.weights
  const side = asked.side
  const across = asked.across
  const made = asked.made
  const into = asked.into
  const radius = (side - 1) / 2
  memory.fill(made, 0, <usize>(columns * (asked.rows + side - 1)))
  for (let k: usize = 0; k < <usize>asked.count; k++) {
    const i = load<i32>(places + (k << 2))
    const x = i % width
    const y = i / width
    let smooth: f64 = 0
    let at = <usize>((y - top) * columns + x - left)
    for (let v = 0; v < side; v++) {
      // Sums along rows, each made when it is first asked for: places that lie close together share most of theirs.
      if (load<u8>(made + at) == 0) {
        f64.store(across + (at << 3), sumAlongRow(plane + (<usize>(max(0, min(height - 1, y + v - radius)) * width) << 2), width, x, weights, side))
        store<u8>(made + at, 1)
      }
      smooth += f64.load(weights + (<usize>v << 3)) * f64.load(across + (at << 3))
      at += columns
    }
    f32.store(into + (k << 2), <f32>(<f64>f32.load(plane + (<usize>i << 2)) - smooth))
  }
}

function sumAlongRow(row: usize, width: i32, x: i32, weights: usize, side: i32): f64 {
  const first = x - (side - 1) / 2
  let sum: f64 = 0
  if (first >= 0 && first + side <= width) {
    const from = row + (<usize>first << 2)
    for (let u: usize = 0; u < <usize>side; u++) sum += f64.load(weights + (u << 3)) * <f64>f32.load(from + (u << 2))
  } else {
    for (let u = 0; u < side; u++) sum += f64.load(weights + (<usize>u << 3)) * <f64>f32.load(row + (<usize>max(0, min(width - 1, first + u)) << 2))
  }
  return sum
}
