// Frequency-selective extrapolation of one window (core/mend/fill-waves.ts), in AssemblyScript, two or four numbers at a
// time; compiled by scripts/generate.ts. Addresses are in bytes. core/kernels/waves.ts is the only caller.

// @ts-nocheck: the compiler of this file is AssemblyScript's.

import { transformSquare } from './fourier.as'
import { floatOf, integerOf } from './lanes.as'

/**
 * Look at a picture through a window: what is seen, less its weighted mean, times its weight.
 *
 * @param picture    Planes of the picture as floats, channel after channel, width x height each.
 * @param seen       Which of its pixels are seen, as bytes: 0 not, 1 known, 2 at second hand.
 * @param says       Weight of each place of the window, side x side doubles.
 * @param second     What of that is left for what is seen at second hand.
 * @param left       Column of the picture at the window's left edge, and the row at its top; they may lie outside.
 * @param planes     As continueWindow wants them: written.
 * @param means      Room for the weighted means, a double a channel.
 * @returns Whether anything is seen.
 */
export function look(picture: usize, seen: usize, width: i32, height: i32, channels: i32, side: i32, says: usize, second: f64, left: i32, top: i32, planes: usize, means: usize): i32 {
  const square = <usize>(side * side) << 3
  const size = <usize>(width * height) << 2
  const weights = planes + <usize>channels * square
  const firstColumn = max(0, -left)
  const lastColumn = min(side, width - left)
  const firstRow = max(0, -top)
  const lastRow = min(side, height - top)
  memory.fill(planes, 0, <usize>(channels + 1) * square)
  let sum: f64 = 0
  for (let y = firstRow; y < lastRow; y++) {
    const row = seen + <usize>((y + top) * width + left)
    for (let x = firstColumn; x < lastColumn; x++) {
      const how = load<u8>(row + <usize>x)
      if (how == 0) continue
      const at = <usize>(y * side + x) << 3
      const weight = how == 1 ? f64.load(says + at) : f64.load(says + at) * second
      f64.store(weights + at, weight)
      sum += weight
    }
  }
  if (!(sum > 0)) return 0
  for (let c = 0; c < channels; c++) {
    const values = picture + <usize>c * size
    const plane = planes + <usize>c * square
    let mean: f64 = 0
    for (let y = firstRow; y < lastRow; y++) {
      const row = values + (<usize>((y + top) * width + left) << 2)
      const from = weights + (<usize>(y * side) << 3)
      for (let x = firstColumn; x < lastColumn; x++) mean += f64.load(from + (<usize>x << 3)) * <f64>f32.load(row + (<usize>x << 2))
    }
    mean /= sum
    for (let y = firstRow; y < lastRow; y++) {
      const row = values + (<usize>((y + top) * width + left) << 2)
      const from = <usize>(y * side) << 3
      for (let x = firstColumn; x < lastColumn; x++) {
        const at = from + (<usize>x << 3)
        f64.store(plane + at, f64.load(weights + at) * (<f64>f32.load(row + (<usize>x << 2)) - mean))
      }
    }
    f64.store(means + (<usize>c << 3), mean)
  }
  return 1
}

/**
 * Continue a window by a sparse sum of waves.
 *
 * @param side      Of the window, a power of two of at least 8.
 * @param stride    Numbers that are kept of a row of a half spectrum, a multiple of four: as many as the prior asks for.
 * @param band      Rows of it further than this from the first are not looked at.
 * @param planes    Weighted values, channel after channel, then the weights, then a plane of anything if these are an odd
 *                  number: side x side doubles each; two at a time are real and imaginary part of one. Spoilt.
 * @param spare     Room for two such planes.
 * @param turns     Cosines, then sines of a whole turn in `side` steps, as doubles.
 * @param reversed  In which order a transform takes its numbers, as integers.
 * @param spectrum  Room for the spectrum of the weights, repeated once in both directions: 2 side x 2 side, real plane,
 *                  imaginary plane.
 * @param left      Room for the half spectra of what is left: channel after channel, real plane, imaginary plane.
 * @param prior     How likely a wave of each frequency is, 0 in the columns that fill up a row and beyond the band.
 * @param most      Waves at most.
 * @param share     Of a wave that is taken at once.
 * @param least     No wave below this share of the first one's energy.
 * @param waves     Room for column and row of each wave as integers, then real and imaginary part for each channel.
 * @param places    Where the sum is read: y x side + x, as integers.
 * @param count     Of the places.
 * @param into      Room for the sums as doubles, place after place, channel after channel: half of each, since a wave's
 *                  mirror image has the other half.
 */
export function continueWindow(side: i32, stride: i32, band: i32, channels: i32, planes: usize, spare: usize, turns: usize, reversed: usize, spectrum: usize, left: usize, prior: usize, most: i32, share: f64, least: f32, waves: usize, places: usize, count: i32, into: usize): void {
  const size = <usize>(side * side) << 3
  for (let k = 0; k <= channels; k += 2) transformSquare(side, planes + <usize>k * size, planes + <usize>(k + 1) * size, spare, spare + size, turns, reversed)
  for (let c = 0; c < channels; c++) halfSpectrum(side, stride, planes + <usize>(c & ~1) * size, (c & 1) == 1, left + (<usize>(2 * c * side * stride) << 2))
  const pair = planes + <usize>(channels & ~1) * size
  const total = doubledSpectrum(side, pair, (channels & 1) == 1, spectrum)
  const chosen = chooseWaves(side, stride, band, channels, spectrum, left, prior, most, <f32>(share / total), least, waves)
  readWaves(side, channels, turns, waves, chosen, places, count, into)
}

/** The spectrum of a real plane is its own mirror image, which tells apart two that were transformed as one. */
@inline function realOf(pair: usize, size: usize, second: bool, i: usize, j: usize): f64 {
  return second ? (f64.load(pair + size + i) + f64.load(pair + size + j)) / 2 : (f64.load(pair + i) + f64.load(pair + j)) / 2
}

@inline function imaginaryOf(pair: usize, size: usize, second: bool, i: usize, j: usize): f64 {
  return second ? (f64.load(pair + j) - f64.load(pair + i)) / 2 : (f64.load(pair + size + i) - f64.load(pair + size + j)) / 2
}

/** Half the spectrum of one plane of a pair: real plane, imaginary plane. */
function halfSpectrum(side: i32, stride: i32, pair: usize, second: bool, into: usize): void {
  const size = <usize>(side * side) << 3
  const plane = <usize>(side * stride) << 2
  for (let y = 0; y < side; y++) {
    const mirroredRow = ((side - y) & (side - 1)) * side
    for (let x = 0; x < min(stride, side / 2 + 1); x++) {
      const i = <usize>(y * side + x) << 3
      const j = <usize>(mirroredRow + ((side - x) & (side - 1))) << 3
      const to = into + (<usize>(y * stride + x) << 2)
      f32.store(to, <f32>realOf(pair, size, second, i, j))
      f32.store(to + plane, <f32>imaginaryOf(pair, size, second, i, j))
    }
    for (let x = side / 2 + 1; x < stride; x++) {
      const to = into + (<usize>(y * stride + x) << 2)
      f32.store(to, 0)
      f32.store(to + plane, 0)
    }
  }
}

/** All of the spectrum of one plane of a pair, four times over. @returns The sum of the plane. */
function doubledSpectrum(side: i32, pair: usize, second: bool, into: usize): f64 {
  const size = <usize>(side * side) << 3
  const row = <usize>side << 3
  const imaginaryInto = into + <usize>side * (row << 1)
  for (let y = 0; y < side; y++) {
    const mirroredRow = ((side - y) & (side - 1)) * side
    for (let x = 0; x < side; x++) {
      const i = <usize>(y * side + x) << 3
      const j = <usize>(mirroredRow + ((side - x) & (side - 1))) << 3
      const at = <usize>y * row + (<usize>x << 2)
      const real = <f32>realOf(pair, size, second, i, j)
      const imaginary = <f32>imaginaryOf(pair, size, second, i, j)
      f32.store(into + at, real)
      f32.store(into + at + (row >> 1), real)
      f32.store(imaginaryInto + at, imaginary)
      f32.store(imaginaryInto + at + (row >> 1), imaginary)
    }
  }
  memory.copy(into + <usize>side * row, into, <usize>side * row)
  memory.copy(imaginaryInto + <usize>side * row, imaginaryInto, <usize>side * row)
  return realOf(pair, size, second, 0, 0)
}

/**
 * Choose waves one after another: the one with the most energy in what is left, taken away, and again.
 *
 * @param weights   Their spectrum, repeated once in both directions.
 * @param left      Half spectra of what is left; changed in place.
 * @param share     Of a wave that is taken at once, over the sum of the weights.
 * @returns How many waves were chosen.
 */
function chooseWaves(side: i32, stride: i32, band: i32, channels: i32, weights: usize, left: usize, prior: usize, most: i32, share: f32, least: f32, into: usize): i32 {
  const plane = <usize>(side * stride) << 2
  const double = 2 * side
  const imaginaryWeights = weights + (<usize>(double * double) << 2)
  // The first answer, before anything is taken away.
  let best: f32 = 0
  let at = -1
  for (let i = 0; i < side * stride; i++) {
    const here = <usize>i << 2
    let energy: f32 = 0
    for (let c = 0; c < channels; c++) {
      const real = f32.load(left + <usize>(2 * c) * plane + here)
      const imaginary = f32.load(left + <usize>(2 * c + 1) * plane + here)
      energy += real * real + imaginary * imaginary
    }
    energy *= f32.load(prior + here)
    if (energy > best) {
      best = energy
      at = i
    }
  }
  const floor: f32 = best * least
  let chosen = 0
  const record = <usize>(2 + 2 * channels) << 2
  while (chosen < most && at >= 0 && best > floor) {
    const u = at % stride
    const v = at / stride
    const mirroredU = (side - u) & (side - 1)
    const mirroredV = (side - v) & (side - 1)
    const own = u == mirroredU && v == mirroredV
    const wave = into + <usize>chosen * record
    store<i32>(wave, u)
    store<i32>(wave, v, 4)
    for (let c = 0; c < channels; c++) {
      const here = left + <usize>(2 * c) * plane + (<usize>at << 2)
      // A wave that is its own mirror image is met twice below.
      f32.store(wave + (<usize>(2 + 2 * c) << 2), f32.load(here) * share * (own ? 0.5 : 1))
      f32.store(wave + (<usize>(3 + 2 * c) << 2), own ? 0 : f32.load(here + plane) * share)
    }
    // Four channels at most; those that there are not stay unread.
    const parts = wave + 8
    const real0 = v128.load32_splat(parts)
    const imaginary0 = v128.load32_splat(parts, 4)
    const real1 = v128.load32_splat(parts, 8)
    const imaginary1 = v128.load32_splat(parts, 12)
    const real2 = v128.load32_splat(parts, 16)
    const imaginary2 = v128.load32_splat(parts, 20)
    const real3 = v128.load32_splat(parts, 24)
    const imaginary3 = v128.load32_splat(parts, 28)
    let bests = f32x4.splat(0)
    let places = i32x4.splat(-1)
    for (let y = 0; y < side; y++) {
      if (y == band + 1) y = max(y, side - band)
      // With the first row alone nothing is left.
      if (y == side) break
      const a = <usize>((y - v + side) * double + side - u) << 2
      const b = <usize>((y - mirroredV + side) * double + side - mirroredU) << 2
      const row = <usize>(y * stride) << 2
      for (let x: usize = 0; x < <usize>stride << 2; x += 16) {
        const ar = v128.load(weights + a + x)
        const ai = v128.load(imaginaryWeights + a + x)
        const br = v128.load(weights + b + x)
        const bi = v128.load(imaginaryWeights + b + x)
        const sumReal = f32x4.add(ar, br)
        const sumImaginary = f32x4.add(ai, bi)
        const differenceReal = f32x4.sub(ar, br)
        const differenceImaginary = f32x4.sub(bi, ai)
        const here = left + row + x
        let energy = takeAway(here, plane, real0, imaginary0, sumReal, sumImaginary, differenceReal, differenceImaginary)
        if (channels > 1) energy = f32x4.add(energy, takeAway(here + 2 * plane, plane, real1, imaginary1, sumReal, sumImaginary, differenceReal, differenceImaginary))
        if (channels > 2) energy = f32x4.add(energy, takeAway(here + 4 * plane, plane, real2, imaginary2, sumReal, sumImaginary, differenceReal, differenceImaginary))
        if (channels > 3) energy = f32x4.add(energy, takeAway(here + 6 * plane, plane, real3, imaginary3, sumReal, sumImaginary, differenceReal, differenceImaginary))
        energy = f32x4.mul(energy, v128.load(prior + row + x))
        const more = f32x4.gt(energy, bests)
        bests = v128.bitselect(energy, bests, more)
        places = v128.bitselect(i32x4.splat(<i32>((row + x) >> 2)), places, more)
      }
    }
    best = 0
    at = -1
    for (let k = 0; k < 4; k++) {
      const energy = floatOf(bests, k)
      if (energy > best) {
        best = energy
        at = integerOf(places, k) + k
      }
    }
    chosen++
  }
  return chosen
}

/** Take a wave, seen through the weights, from four numbers of one channel. @returns The energy that is left of them. */
@inline function takeAway(here: usize, plane: usize, waveReal: v128, waveImaginary: v128, sumReal: v128, sumImaginary: v128, differenceReal: v128, differenceImaginary: v128): v128 {
  const real = f32x4.sub(v128.load(here), f32x4.add(f32x4.mul(waveReal, sumReal), f32x4.mul(waveImaginary, differenceImaginary)))
  const imaginary = f32x4.sub(v128.load(here + plane), f32x4.add(f32x4.mul(waveReal, sumImaginary), f32x4.mul(waveImaginary, differenceReal)))
  v128.store(here, real)
  v128.store(here + plane, imaginary)
  return f32x4.add(f32x4.mul(real, real), f32x4.mul(imaginary, imaginary))
}

/** What a sum of waves is at some places; the value of a wave is twice its real part, and half of that is told. */
function readWaves(side: i32, channels: i32, turns: usize, waves: usize, chosen: i32, places: usize, count: i32, into: usize): void {
  const record = <usize>(2 + 2 * channels) << 2
  const sines = turns + (<usize>side << 3)
  memory.fill(into, 0, <usize>(count * channels) << 3)
  for (let n = 0; n < count; n++) {
    const place = load<i32>(places + (<usize>n << 2))
    const x = place & (side - 1)
    const y = place / side
    const sums = into + (<usize>(n * channels) << 3)
    for (let k = 0; k < chosen; k++) {
      const wave = waves + <usize>k * record
      const phase = <usize>((load<i32>(wave) * x + load<i32>(wave, 4) * y) & (side - 1)) << 3
      const cosine = f64.load(turns + phase)
      const sine = f64.load(sines + phase)
      for (let c = 0; c < channels; c++) {
        const sum = sums + (<usize>c << 3)
        const part = wave + (<usize>(2 + 2 * c) << 2)
        f64.store(sum, f64.load(sum) + (<f64>f32.load(part) * cosine - <f64>f32.load(part, 4) * sine))
      }
    }
  }
}
