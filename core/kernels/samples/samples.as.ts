// What is measured in the samples of a tile, in AssemblyScript; compiled by scripts/generate.ts. Addresses are in bytes.
// core/kernels/samples/samples.ts is the only caller and says what each is.

// @ts-nocheck: the compiler of this file is AssemblyScript's.

@inline function sampleAt(samples: usize, wide: bool, i: i32): i32 {
  return wide ? <i32>load<u16>(samples + (<usize>i << 1)) : <i32>load<u8>(samples + <usize>i)
}

/** Weighted means of a table's values. The branch by depth is made once, so that each loop is compiled for its own. */
export function weighTable(samples: usize, wide: i32, channels: i32, count: i32, table: usize, first: f64, second: f64, third: f64, into: usize): void {
  if (wide) weigh(samples, true, channels, count, table, first, second, third, into)
  else weigh(samples, false, channels, count, table, first, second, third, into)
}

@inline function weigh(samples: usize, wide: bool, channels: i32, count: i32, table: usize, first: f64, second: f64, third: f64, into: usize): void {
  if (channels == 1) {
    for (let i = 0; i < count; i++) f32.store(into + (<usize>i << 2), f32.load(table + (<usize>sampleAt(samples, wide, i) << 2)))
    return
  }
  for (let i = 0, k = 0; i < count; i++, k += 3) {
    const a = <f64>f32.load(table + (<usize>sampleAt(samples, wide, k) << 2))
    const b = <f64>f32.load(table + (<usize>sampleAt(samples, wide, k + 1) << 2))
    const c = <f64>f32.load(table + (<usize>sampleAt(samples, wide, k + 2) << 2))
    f32.store(into + (<usize>i << 2), <f32>(first * a + second * b + third * c))
  }
}

export function sumChannels(samples: usize, wide: i32, channels: i32, count: i32, into: usize): void {
  if (wide) sums(samples, true, channels, count, into)
  else sums(samples, false, channels, count, into)
}

@inline function sums(samples: usize, wide: bool, channels: i32, count: i32, into: usize): void {
  if (channels == 3) {
    for (let i = 0, k = 0; i < count; i++, k += 3) store<i32>(into + (<usize>i << 2), sampleAt(samples, wide, k) + sampleAt(samples, wide, k + 1) + sampleAt(samples, wide, k + 2))
    return
  }
  for (let i = 0, k = 0; i < count; i++) {
    let sum = 0
    for (let c = 0; c < channels; c++, k++) sum += sampleAt(samples, wide, k)
    store<i32>(into + (<usize>i << 2), sum)
  }
}

export function sumCells(samples: usize, wide: i32, channels: i32, width: i32, left: i32, top: i32, across: i32, down: i32, side: i32, line: usize, into: usize): void {
  const columns = (across + side - 1) / side
  const rows = (down + side - 1) / side
  const plane = <usize>(columns * rows) << 2
  const numbers = across * channels
  for (let row = 0; row < rows; row++) {
    memory.fill(line, 0, <usize>numbers << 2)
    for (let y = row * side; y < min(down, (row + 1) * side); y++) {
      const first = ((y + top) * width + left) * channels
      if (wide) addWide(samples + (<usize>first << 1), numbers, line)
      else addNarrow(samples + <usize>first, numbers, line)
    }
    for (let c = 0; c < channels; c++) {
      let at = into + <usize>c * plane + (<usize>(row * columns) << 2)
      for (let column = 0, k = c; column < columns; column++, at += 4) {
        const end = min(across, (column + 1) * side)
        let sum = 0
        for (let x = column * side; x < end; x++, k += channels) sum += load<i32>(line + (<usize>k << 2))
        store<i32>(at, sum)
      }
    }
  }
}

/** Add samples of 8 bits to as many numbers, eight at a time. */
@inline function addNarrow(samples: usize, count: i32, line: usize): void {
  let i: usize = 0
  for (; i + 8 <= <usize>count; i += 8) {
    const eight = v128.load8x8_u(samples + i)
    const at = line + (i << 2)
    v128.store(at, i32x4.add(v128.load(at), i32x4.extend_low_i16x8_u(eight)))
    v128.store(at, i32x4.add(v128.load(at, 16), i32x4.extend_high_i16x8_u(eight)), 16)
  }
  for (; i < <usize>count; i++) store<i32>(line + (i << 2), load<i32>(line + (i << 2)) + <i32>load<u8>(samples + i))
}

/** Add samples of 16 bits to as many numbers, four at a time. */
@inline function addWide(samples: usize, count: i32, line: usize): void {
  let i: usize = 0
  for (; i + 4 <= <usize>count; i += 4) {
    const at = line + (i << 2)
    v128.store(at, i32x4.add(v128.load(at), v128.load16x4_u(samples + (i << 1))))
  }
  for (; i < <usize>count; i++) store<i32>(line + (i << 2), load<i32>(line + (i << 2)) + <i32>load<u16>(samples + (i << 1)))
}

/** Size of the second difference of a number to those before and after it, four at a time. */
@inline function secondDifference(at: usize): v128 {
  const middle = v128.load(at)
  return i32x4.abs(i32x4.sub(i32x4.sub(i32x4.add(middle, middle), v128.load(at - 4)), v128.load(at, 4)))
}

export function detailOfCells(sums: usize, width: i32, left: i32, top: i32, columns: i32, rows: i32, detail: usize, tone: usize): void {
  memory.fill(detail, 0, <usize>(columns * rows) << 2)
  memory.fill(tone, 0, <usize>(columns * rows) << 2)
  for (let y = 0; y < 4 * rows; y++) {
    const line = sums + (<usize>((y + top) * width) << 2)
    const row = <usize>((y >> 2) * columns) << 2
    for (let column = 0; column < columns; column++) {
      const x = left + 4 * column
      const at = line + (<usize>x << 2)
      let differences = v128.splat<i32>(0)
      // At the edge of the picture the pixel beside stands for the one that has only one neighbour.
      if (x == 0) differences = v128.shuffle<i32>(secondDifference(at + 4), secondDifference(at + 4), 0, 0, 1, 2)
      else if (x + 4 == width) differences = v128.shuffle<i32>(secondDifference(at - 4), secondDifference(at - 4), 1, 2, 3, 3)
      else differences = secondDifference(at)
      const cell = row + (<usize>column << 2)
      store<i32>(detail + cell, load<i32>(detail + cell) + sumOfFour(differences))
      store<i32>(tone + cell, load<i32>(tone + cell) + sumOfFour(v128.load(at)))
    }
  }
}

@inline function sumOfFour(four: v128): i32 {
  return i32x4.extract_lane(four, 0) + i32x4.extract_lane(four, 1) + i32x4.extract_lane(four, 2) + i32x4.extract_lane(four, 3)
}

export function grainOfBlocks(sums: usize, width: i32, left: i32, top: i32, columns: i32, rows: i32, side: i32, values: usize, middle: usize, total: usize): void {
  for (let row = 0; row < rows; row++) {
    for (let column = 0; column < columns; column++) {
      let n = 0
      let sum = 0
      for (let y = top + row * side; y < top + (row + 1) * side; y++) {
        const first = sums + (<usize>(y * width + left + column * side) << 2)
        for (let x = 0; x < side; x++) sum += load<i32>(first + (<usize>x << 2))
        for (let x = 1; x < side - 1; x++, n++) {
          const at = first + (<usize>x << 2)
          store<i32>(values + (<usize>n << 2), abs(2 * load<i32>(at) - load<i32>(at - 4) - load<i32>(at, 4)))
        }
      }
      const at = <usize>(row * columns + column) << 2
      store<i32>(middle + at, kthSmallest(values, n, n >> 1))
      store<i32>(total + at, sum)
    }
  }
}

/** The k-th smallest of whole numbers, none below 0: found bit by bit, from what is counted below each next bound. */
function kthSmallest(values: usize, count: i32, k: i32): i32 {
  const end = values + (<usize>((count + 3) & ~3) << 2)
  let all = 0
  for (let i: usize = 0; i < <usize>count; i++) all |= load<i32>(values + (i << 2))
  for (let at = values + (<usize>count << 2); at < end; at += 4) store<i32>(at, 0x7fffffff)
  let found = 0
  for (let bit = 1 << (31 - clz(all | 1)); bit > 0; bit >>= 1) {
    const bound = i32x4.splat(found | bit)
    let below = i32x4.splat(0)
    for (let at = values; at < end; at += 16) below = i32x4.add(below, i32x4.lt_s(v128.load(at), bound))
    if (-sumOfFour(below) <= k) found |= bit
  }
  return found
}
