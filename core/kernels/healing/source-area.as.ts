// Where a mend could take its pixels from, compared with what lies round it (core/mend/source-search.ts), in
// AssemblyScript; compiled by scripts/generate.ts. Addresses are in bytes. core/kernels/healing/source-area.ts is the only caller
// and says what each is.

// @ts-nocheck: the compiler of this file is AssemblyScript's.

import { upperMedian } from '../shared/median.as'

@inline function floatAt(floats: usize, i: i32): f64 {
  return <f64>f32.load(floats + (<usize>i << 2))
}

@inline function placeAt(places: usize, k: i32): i32 {
  return load<i32>(places + (<usize>k << 2))
}

/** Samples of each channel as floats, one plane behind the other. */
export function splitChannels(samples: usize, wide: i32, channels: i32, count: i32, into: usize): void {
  for (let c = 0; c < channels; c++, into += <usize>count << 2) {
    if (wide) for (let i = 0, k = c; i < count; i++, k += channels) f32.store(into + (<usize>i << 2), <f32>load<u16>(samples + (<usize>k << 1)))
    else for (let i = 0, k = c; i < count; i++, k += channels) f32.store(into + (<usize>i << 2), <f32>load<u8>(samples + <usize>k))
  }
}

/** How much each pixel differs from its next, to the right and below. */
export function stepsBetween(plane: usize, width: i32, height: i32, into: usize): void {
  for (let y = 0; y < height; y++) {
    const below = y + 1 < height ? width : 0
    for (let x = 0, i = y * width; x < width; x++, i++) {
      const right = x + 1 < width ? i + 1 : i
      const here = floatAt(plane, i)
      f32.store(into + (<usize>i << 2), <f32>(abs(here - floatAt(plane, right)) + abs(here - floatAt(plane, i + below))))
    }
  }
}

/** Means over squares of pixels. */
export function meansOfCells(plane: usize, width: i32, columns: i32, rows: i32, side: i32, into: usize): void {
  memory.fill(into, 0, <usize>(columns * rows) << 2)
  const share = 1 / <f64>(side * side)
  for (let y = 0; y < rows * side; y++) {
    let at = into + (<usize>((y / side) * columns) << 2)
    for (let column = 0, first = y * width; column < columns; column++, first += side, at += 4) {
      let sum: f64 = 0
      for (let i = first; i < first + side; i++) sum += floatAt(plane, i)
      f32.store(at, <f32>(<f64>f32.load(at) + share * sum))
    }
  }
}

/** How much each cell differs from the next, to the right and below; those of the last row differ from themselves below. */
export function structureOfCells(tone: usize, columns: i32, rows: i32, into: usize): void {
  const count = columns * rows
  for (let i = 0; i < count; i++) {
    const here = floatAt(tone, i)
    const right = floatAt(tone, i + 1 < count ? i + 1 : i)
    const under = floatAt(tone, i + columns < count ? i + columns : i)
    f64.store(into + (<usize>i << 3), abs(here - right) + abs(here - under))
  }
}

/** Does any of the places, moved, lie on one that is marked? */
export function reachesMarked(marks: usize, places: usize, count: i32, shift: i32): i32 {
  for (let k = 0; k < count; k++) if (load<u8>(marks + <usize>(placeAt(places, k) + shift))) return 1
  return 0
}

export function sumOfFloats(values: usize, places: usize, count: i32, shift: i32): f64 {
  let sum: f64 = 0
  for (let k = 0; k < count; k++) sum += floatAt(values, placeAt(places, k) + shift)
  return sum
}

export function sumOfDoubles(values: usize, places: usize, count: i32, shift: i32): f64 {
  let sum: f64 = 0
  for (let k = 0; k < count; k++) sum += f64.load(values + (<usize>(placeAt(places, k) + shift) << 3))
  return sum
}

/** A difference of so many deviations counts in full; what is beyond counts a quarter: an edge through a few cells must not decide alone. */
const FULLY: f64 = 6

export function matchOfPlaces(tones: usize, cells: i32, channels: i32, places: usize, count: i32, shift: i32, noise: f64, differences: usize): f64 {
  const ordered = differences + (<usize>((count + 3) & ~3) << 2)
  let match: f64 = 0
  for (let c = 0; c < channels; c++, tones += <usize>cells << 2) {
    for (let k = 0; k < count; k++) {
      const i = placeAt(places, k)
      f32.store(differences + (<usize>k << 2), <f32>(floatAt(tones, i) - floatAt(tones, i + shift)))
    }
    const offset = <f64>upperMedian(differences, count, ordered)
    let sum: f64 = 0
    for (let k = 0; k < count; k++) {
      const z = abs(floatAt(differences, k) - offset) / noise
      sum += z < FULLY ? z : FULLY + (z - FULLY) * 0.25
    }
    match += sum / <f64>count / <f64>channels
  }
  return match
}

export function differencesOf(plane: usize, own: usize, places: usize, count: i32, start: i32, into: usize): f64 {
  let sum: f64 = 0
  for (let k = 0; k < count; k++) {
    const difference = floatAt(own, k) - floatAt(plane, start + placeAt(places, k))
    f32.store(into + (<usize>k << 2), <f32>difference)
    sum += difference
  }
  return sum
}

export function sumAboutOf(values: usize, count: i32, middle: f64, limit: f64): f64 {
  let sum: f64 = 0
  for (let k = 0; k < count; k++) {
    sum += abs(floatAt(values, k) - middle)
    if (sum > limit) return Infinity
  }
  return sum
}
