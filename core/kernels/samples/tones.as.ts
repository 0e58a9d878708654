// Tone tables over samples and over floats, in AssemblyScript; compiled by scripts/generate.ts. Addresses are in bytes.
// core/kernels/samples/tones.ts is the only caller.

// @ts-nocheck: the compiler of this file is AssemblyScript's.

/** In the order in which core/kernels/samples/tones.ts writes it. */
@unmanaged
class Reading {
  /** Samples or floats, channels interleaved, and where their values go; floats are changed in place. */
  from: usize
  into: usize
  channels: i32
  count: i32
  /** One table of floats for each channel; a value below 0 is not known. */
  first: usize
  second: usize
  third: usize
}

@inline function tableOf(how: Reading, c: i32): usize {
  return c == 0 ? how.first : c == 1 ? how.second : how.third
}

/** @param from  Values before it are done. @returns The first value whose entry is not known, or the count. */
export function ofSamples(how: Reading, wide: i32, from: i32): i32 {
  return wide ? look(how, true, from) : look(how, false, from)
}

@inline function look(how: Reading, wide: bool, from: i32): i32 {
  const count = how.count
  const channels = how.channels
  let c = from % channels
  for (let i = from; i < count; i++) {
    const sample = wide ? <usize>load<u16>(how.from + (<usize>i << 1)) : <usize>load<u8>(how.from + <usize>i)
    const value = f32.load(tableOf(how, c) + (sample << 2))
    if (value < 0) return i
    f32.store(how.into + (<usize>i << 2), value)
    if (++c == channels) c = 0
  }
  return count
}

/** In a straight line between two steps. @param steps  Steps of a table. */
export function ofFloats(how: Reading, steps: f64, from: i32): i32 {
  const count = how.count
  const channels = how.channels
  let c = from % channels
  for (let i = from; i < count; i++) {
    const at = <f64>f32.load(how.from + (<usize>i << 2)) * steps
    const step = <i32>at
    const entry = tableOf(how, c) + (<usize>step << 2)
    const low = f32.load(entry)
    const high = f32.load(entry, 4)
    const share = at - <f64>step
    if (low < 0 || (high < 0 && share != 0)) return i
    f32.store(how.into + (<usize>i << 2), <f32>(<f64>low + (<f64>high - <f64>low) * share))
    if (++c == channels) c = 0
  }
  return count
}

/** Floats rounded to whole numbers up to a maximum. */
export function round(from: usize, into: usize, count: i32, maximum: f64, wide: i32): void {
  if (wide) {
    for (let i = 0; i < count; i++) store<u16>(into + (<usize>i << 1), <u16><i32>(<f64>f32.load(from + (<usize>i << 2)) * maximum + 0.5))
  } else {
    for (let i = 0; i < count; i++) store<u8>(into + <usize>i, <u8><i32>(<f64>f32.load(from + (<usize>i << 2)) * maximum + 0.5))
  }
}
