// Frequency-selective extrapolation of one window, its waves chosen by the tone of all channels together
// (core/mend/fill-tone-waves.ts), in AssemblyScript, four numbers at a time; compiled by scripts/generate.ts. Addresses are
// in bytes. core/kernels/filling/tone-waves.ts is the only caller.

// @ts-nocheck: the compiler of this file is AssemblyScript's.

import { floatOf, integerOf } from '../shared/lanes.as'

/** Side of the window, bytes of a row, and bytes from a plane to the next: not 4096, at which processors mistake one plane for another. */
const SIDE: i32 = 32
const ROW: usize = 128
const PLANE: usize = 4160
/** What a pixel is: known, or filled here. */
const KNOWN: i32 = 0
const FILLED: i32 = 3
/** Waves are looked for up to so many turns within the window. */
const FINEST: i32 = 9
// All spectra have a column of frequencies after another: places are told by turns across, then by turns down.
/** The spectrum of the tone: columns from 0 to FINEST, rows from -FINEST to FINEST, filled up to a multiple of four. */
const TONE_COLUMNS: i32 = 10
const TONE_ROWS: i32 = 20
const TONE_COLUMN: usize = 80
const TONE_PLANE: usize = 800
/** Of the spectra of channels, what lies no more turns than that from either end of a row, in bytes. */
const WANTED: usize = 48
/** The spectrum of the weights, for the difference of any two of these: columns from -9 to 18, rows from -20 to 19. */
const FIRST_WEIGHT_COLUMN: i32 = -9
const LAST_WEIGHT_COLUMN: i32 = 18
const FIRST_WEIGHT_ROW: i32 = -20
const WEIGHT_ROWS: i32 = 40
const WEIGHT_COLUMN: usize = 160
const WEIGHT_PLANE: usize = 4544
/** Of a wave: column, row, both as a distance in the spectrum of the weights, and from the second sixteen bytes on real and imaginary parts of four channels. */
const WAVE: usize = 48

/** A picture that is continued through a window. core/kernels/filling/tone-waves.ts writes it in this order. */
@unmanaged class Window {
  /** What of the weights is left for what is seen at second hand. */
  secondHand: f64
  /** Of a wave that is taken at once. */
  share: f64
  /** No wave below this share of the first one's energy. */
  least: f64
  /** Planes of the picture as floats, channel after channel, width x height each, four at most: changed. */
  picture: usize
  /** What each of its pixels is, as bytes: KNOWN, or filled and seen at second hand, or not to be seen: changed. */
  role: usize
  width: i32
  height: i32
  channels: i32
  /** Weight of each place of the window. */
  says: usize
  /** How likely a wave of each frequency is, laid out as the spectrum of the tone. */
  prior: usize
  /** Cosines, then sines of a whole turn in SIDE steps. */
  turns: usize
  /** As many bytes as `roomBytes` says: 0 at first, then the kernel's own. */
  room: usize
  /** Waves at most. */
  most: i32
  /** Indices of the picture's pixels that get values, within the window. */
  places: usize
}

/**
 * Continue what is seen of a picture through a window by a sparse sum of waves, and let it be seen at second hand.
 *
 * @param address  Of a `Window`.
 * @param left     Column of the picture at the window's left edge, and the row at its top; they may lie outside.
 * @param count    Of the places.
 * @returns Whether anything was seen; else nothing is changed.
 */
export function continueWindow(address: usize, left: i32, top: i32, count: i32): i32 {
  const given = changetype<Window>(address)
  const picture = given.picture
  const role = given.role
  const width = given.width
  const height = given.height
  const channels = given.channels
  const turns = given.turns
  const planes = given.room
  const downwards = planes + 6 * PLANE
  const turned = downwards + 2 * PLANE
  const spectra = turned + 2 * PLANE
  const weights = spectra + 6 * PLANE
  const tone = weights + 2 * WEIGHT_PLANE
  const means = tone + 2 * TONE_PLANE
  const waves = means + 16
  if (!look(picture, role, width, height, channels, left, top, given.says, <f32>given.secondHand, planes)) return 0
  for (let pair = 0; pair <= channels; pair += 2) {
    const spectrum = spectra + <usize>pair * PLANE
    transformColumns(planes + <usize>pair * PLANE, downwards, turns, 0, ROW)
    transpose(downwards, turned)
    transpose(downwards + PLANE, turned + PLANE)
    // Of the weights the differences of any two waves are wanted, of channels only the waves.
    if (pair + 2 > channels) transformColumns(turned, spectrum, turns, 0, ROW)
    else {
      transformColumns(turned, spectrum, turns, 0, WANTED)
      transformColumns(turned, spectrum, turns, ROW - WANTED, ROW)
    }
  }
  const total = realOf(spectra, channels, 0, 0)
  memory.fill(means, 0, 16)
  for (let c = 0; c < channels; c++) f32.store(means + (<usize>c << 2), realOf(spectra, c, 0, 0) / total)
  spectrumOfWeights(spectra, channels, weights)
  spectrumOfTone(spectra, channels, means, weights, tone)
  const chosen = chooseWaves(spectra, channels, means, weights, tone, given.prior, given.most, <f32>given.share / total, <f32>given.least, waves)
  readWaves(picture, role, width, <usize>(width * height) << 2, channels, left, top, turns, v128.load(means), waves, chosen, given.places, count)
  return 1
}

export function roomBytes(most: i32): i32 {
  return <i32>(16 * PLANE + 2 * WEIGHT_PLANE + 2 * TONE_PLANE + 16 + <usize>most * WAVE)
}

/** Weight times value of each channel, then the weights, then zeros if these are an odd number of planes. */
function look(picture: usize, role: usize, width: i32, height: i32, channels: i32, left: i32, top: i32, says: usize, secondHand: f32, planes: usize): bool {
  const size = <usize>(width * height) << 2
  const weights = planes + <usize>channels * PLANE
  const firstColumn = max(0, -left)
  const lastColumn = min(SIDE, width - left)
  const second = i32x4.splat(FILLED)
  const less = f32x4.splat(secondHand)
  const none = i32x4.splat(0)
  let any = none
  const whole = left >= 0 && top >= 0 && left + SIDE <= width && top + SIDE <= height
  if (!whole) memory.fill(planes, 0, <usize>(channels + 1) * PLANE)
  for (let y = max(0, -top); y < min(SIDE, height - top); y++) {
    const row = (y + top) * width + left
    let x = firstColumn
    for (; x + 4 <= lastColumn; x += 4) {
      const what = i32x4.extend_low_i16x8_u(i16x8.extend_low_i8x16_u(v128.load32_zero(role + <usize>(row + x))))
      const known = i32x4.eq(what, none)
      const filled = i32x4.eq(what, second)
      any = v128.or(any, v128.or(known, filled))
      const at = <usize>(y * SIDE + x) << 2
      const full = v128.load(says + at)
      const weight = v128.or(v128.and(full, known), v128.and(f32x4.mul(full, less), filled))
      v128.store(weights + at, weight)
      let from = picture + (<usize>(row + x) << 2)
      for (let to = planes + at; to < weights; to += PLANE) {
        v128.store(to, f32x4.mul(weight, v128.load(from)))
        from += size
      }
    }
    for (; x < lastColumn; x++) {
      const what = <i32>load<u8>(role + <usize>(row + x))
      if (what != KNOWN && what != FILLED) continue
      any = second
      const at = <usize>(y * SIDE + x) << 2
      const weight = what == KNOWN ? f32.load(says + at) : f32.load(says + at) * secondHand
      f32.store(weights + at, weight)
      const from = picture + (<usize>(row + x) << 2)
      for (let c: usize = 0; c < <usize>channels; c++) f32.store(planes + c * PLANE + at, weight * f32.load(from + c * size))
    }
  }
  return v128.any_true(any)
}

/**
 * Fourier transform down the columns of a plane of real parts and, behind it, one of imaginary parts; `into` likewise.
 *
 * @param start  Of the columns, in bytes from a row's own, a multiple of sixteen, as their end.
 */
function transformColumns(from: usize, into: usize, turns: usize, start: usize, end: usize): void {
  // The first two of the five steps at once: their turns are quarters.
  for (let group = 0; group < 8; group++) {
    // Three bits, the other way round: a transform takes its rows in the order of their reversed numbers.
    const first = <usize>(((group & 1) << 2) | (group & 2) | (group >> 2)) * ROW
    const to = into + <usize>group * 4 * ROW
    for (let x = start; x < end; x += 16) {
      const a = from + first + x
      const r0 = v128.load(a)
      const r1 = v128.load(a + 16 * ROW)
      const r2 = v128.load(a + 8 * ROW)
      const r3 = v128.load(a + 24 * ROW)
      const i0 = v128.load(a + PLANE)
      const i1 = v128.load(a + PLANE + 16 * ROW)
      const i2 = v128.load(a + PLANE + 8 * ROW)
      const i3 = v128.load(a + PLANE + 24 * ROW)
      const sumReal = f32x4.add(r0, r1)
      const sumImaginary = f32x4.add(i0, i1)
      const apartReal = f32x4.sub(r0, r1)
      const apartImaginary = f32x4.sub(i0, i1)
      const otherReal = f32x4.add(r2, r3)
      const otherImaginary = f32x4.add(i2, i3)
      const otherApartReal = f32x4.sub(r2, r3)
      const otherApartImaginary = f32x4.sub(i2, i3)
      v128.store(to + x, f32x4.add(sumReal, otherReal))
      v128.store(to + x + PLANE, f32x4.add(sumImaginary, otherImaginary))
      v128.store(to + x + ROW, f32x4.add(apartReal, otherApartImaginary))
      v128.store(to + x + ROW + PLANE, f32x4.sub(apartImaginary, otherApartReal))
      v128.store(to + x + 2 * ROW, f32x4.sub(sumReal, otherReal))
      v128.store(to + x + 2 * ROW + PLANE, f32x4.sub(sumImaginary, otherImaginary))
      v128.store(to + x + 3 * ROW, f32x4.sub(apartReal, otherApartImaginary))
      v128.store(to + x + 3 * ROW + PLANE, f32x4.add(apartImaginary, otherApartReal))
    }
  }
  for (let k = 0; k < 4; k++) {
    const turn = turns + (<usize>(k * 4) << 2)
    const c = v128.load32_splat(turn)
    const s = v128.load32_splat(turn + ROW)
    for (let y = k; y < SIDE; y += 8) {
      const above = into + <usize>y * ROW
      const below = above + 4 * ROW
      for (let x = start; x < end; x += 16) {
        const ar = v128.load(above + x)
        const ai = v128.load(above + x + PLANE)
        const br = turnReal(below + x, c, s)
        const bi = turnImaginary(below + x, c, s)
        v128.store(below + x, f32x4.sub(ar, br))
        v128.store(below + x + PLANE, f32x4.sub(ai, bi))
        v128.store(above + x, f32x4.add(ar, br))
        v128.store(above + x + PLANE, f32x4.add(ai, bi))
      }
    }
  }
  // The last two steps at once as well: four rows that lie a quarter of all apart.
  for (let k: usize = 0; k < 8; k++) {
    const once = turns + (k << 2)
    const c1 = v128.load32_splat(once)
    const s1 = v128.load32_splat(once + ROW)
    const c2 = v128.load32_splat(turns + (k << 3))
    const s2 = v128.load32_splat(turns + (k << 3) + ROW)
    for (let x = start; x < end; x += 16) {
      const a = into + k * ROW + x
      const b = a + 8 * ROW
      const c = a + 16 * ROW
      const d = a + 24 * ROW
      const ar = v128.load(a)
      const ai = v128.load(a + PLANE)
      const br = turnReal(b, c2, s2)
      const bi = turnImaginary(b, c2, s2)
      const cr = v128.load(c)
      const ci = v128.load(c + PLANE)
      const dr = turnReal(d, c2, s2)
      const di = turnImaginary(d, c2, s2)
      const lowReal = f32x4.add(cr, dr)
      const lowImaginary = f32x4.add(ci, di)
      const highReal = f32x4.sub(cr, dr)
      const highImaginary = f32x4.sub(ci, di)
      const turnedReal = f32x4.add(f32x4.mul(lowReal, c1), f32x4.mul(lowImaginary, s1))
      const turnedImaginary = f32x4.sub(f32x4.mul(lowImaginary, c1), f32x4.mul(lowReal, s1))
      // Another quarter of a turn on.
      const furtherReal = f32x4.sub(f32x4.mul(highImaginary, c1), f32x4.mul(highReal, s1))
      const furtherImaginary = f32x4.neg(f32x4.add(f32x4.mul(highReal, c1), f32x4.mul(highImaginary, s1)))
      const sumReal = f32x4.add(ar, br)
      const sumImaginary = f32x4.add(ai, bi)
      const apartReal = f32x4.sub(ar, br)
      const apartImaginary = f32x4.sub(ai, bi)
      v128.store(a, f32x4.add(sumReal, turnedReal))
      v128.store(a + PLANE, f32x4.add(sumImaginary, turnedImaginary))
      v128.store(b, f32x4.add(apartReal, furtherReal))
      v128.store(b + PLANE, f32x4.add(apartImaginary, furtherImaginary))
      v128.store(c, f32x4.sub(sumReal, turnedReal))
      v128.store(c + PLANE, f32x4.sub(sumImaginary, turnedImaginary))
      v128.store(d, f32x4.sub(apartReal, furtherReal))
      v128.store(d + PLANE, f32x4.sub(apartImaginary, furtherImaginary))
    }
  }
}

/** Real part of what stands at an address, turned back. */
@inline function turnReal(at: usize, cosine: v128, sine: v128): v128 {
  return f32x4.add(f32x4.mul(v128.load(at), cosine), f32x4.mul(v128.load(at + PLANE), sine))
}

@inline function turnImaginary(at: usize, cosine: v128, sine: v128): v128 {
  return f32x4.sub(f32x4.mul(v128.load(at + PLANE), cosine), f32x4.mul(v128.load(at), sine))
}

function transpose(from: usize, into: usize): void {
  for (let y: usize = 0; y < <usize>SIDE; y += 4) {
    for (let x: usize = 0; x < <usize>SIDE; x += 4) {
      const at = from + y * ROW + (x << 2)
      const a = v128.load(at)
      const b = v128.load(at + ROW)
      const c = v128.load(at + 2 * ROW)
      const d = v128.load(at + 3 * ROW)
      const abLow = v128.shuffle<f32>(a, b, 0, 4, 1, 5)
      const abHigh = v128.shuffle<f32>(a, b, 2, 6, 3, 7)
      const cdLow = v128.shuffle<f32>(c, d, 0, 4, 1, 5)
      const cdHigh = v128.shuffle<f32>(c, d, 2, 6, 3, 7)
      const to = into + x * ROW + (y << 2)
      v128.store(to, v128.shuffle<f64>(abLow, cdLow, 0, 2))
      v128.store(to + ROW, v128.shuffle<f64>(abLow, cdLow, 1, 3))
      v128.store(to + 2 * ROW, v128.shuffle<f64>(abHigh, cdHigh, 0, 2))
      v128.store(to + 3 * ROW, v128.shuffle<f64>(abHigh, cdHigh, 1, 3))
    }
  }
}

// Planes were transformed two at a time, as real and imaginary part of one. The spectrum of what is real is its own mirror
// image, which tells both apart.


@inline function placeOf(u: i32, v: i32): usize {
  return <usize>((u & (SIDE - 1)) * SIDE + (v & (SIDE - 1))) << 2
}

@inline function realOf(spectra: usize, plane: i32, u: i32, v: i32): f32 {
  const at = spectra + <usize>(plane & ~1) * PLANE + (plane & 1 ? PLANE : 0)
  return <f32>0.5 * (f32.load(at + placeOf(u, v)) + f32.load(at + placeOf(-u, -v)))
}

@inline function imaginaryOf(spectra: usize, plane: i32, u: i32, v: i32): f32 {
  const at = spectra + <usize>(plane & ~1) * PLANE
  const here = placeOf(u, v)
  const mirrored = placeOf(-u, -v)
  return plane & 1 ? <f32>0.5 * (f32.load(at + mirrored) - f32.load(at + here)) : <f32>0.5 * (f32.load(at + PLANE + here) - f32.load(at + PLANE + mirrored))
}

/** Whether four rows from one on, and their mirror images, stand side by side. */
@inline function sideBySide(v: i32): bool {
  return (v & (SIDE - 1)) <= SIDE - 4 && ((-v - 3) & (SIDE - 1)) <= SIDE - 4
}

@inline function reversed(four: v128): v128 {
  return v128.shuffle<f32>(four, four, 3, 2, 1, 0)
}

/** Real parts of four rows. */
@inline function realsOf(spectra: usize, plane: i32, u: i32, v: i32): v128 {
  if (!sideBySide(v)) return f32x4(realOf(spectra, plane, u, v), realOf(spectra, plane, u, v + 1), realOf(spectra, plane, u, v + 2), realOf(spectra, plane, u, v + 3))
  const at = spectra + <usize>(plane & ~1) * PLANE + (plane & 1 ? PLANE : 0)
  return f32x4.mul(f32x4.splat(0.5), f32x4.add(v128.load(at + placeOf(u, v)), reversed(v128.load(at + placeOf(-u, -v - 3)))))
}

@inline function imaginariesOf(spectra: usize, plane: i32, u: i32, v: i32): v128 {
  if (!sideBySide(v)) return f32x4(imaginaryOf(spectra, plane, u, v), imaginaryOf(spectra, plane, u, v + 1), imaginaryOf(spectra, plane, u, v + 2), imaginaryOf(spectra, plane, u, v + 3))
  const at = spectra + <usize>(plane & ~1) * PLANE
  const here = at + placeOf(u, v)
  const mirrored = at + placeOf(-u, -v - 3)
  return f32x4.mul(f32x4.splat(0.5), plane & 1 ? f32x4.sub(reversed(v128.load(mirrored)), v128.load(here)) : f32x4.sub(v128.load(here + PLANE), reversed(v128.load(mirrored + PLANE))))
}

/** Of the weights, at a difference of two waves. */
@inline function weightAt(weights: usize, u: i32, v: i32): usize {
  return weights + <usize>(u - FIRST_WEIGHT_COLUMN) * WEIGHT_COLUMN + (<usize>(v - FIRST_WEIGHT_ROW) << 2)
}

function spectrumOfWeights(spectra: usize, plane: i32, weights: usize): void {
  for (let u = FIRST_WEIGHT_COLUMN; u <= LAST_WEIGHT_COLUMN; u++) {
    for (let v = FIRST_WEIGHT_ROW; v < FIRST_WEIGHT_ROW + WEIGHT_ROWS; v += 4) {
      const to = weightAt(weights, u, v)
      v128.store(to, realsOf(spectra, plane, u, v))
      v128.store(to + WEIGHT_PLANE, imaginariesOf(spectra, plane, u, v))
    }
  }
}

/** The sum of the channels, less their means. */
function spectrumOfTone(spectra: usize, channels: i32, means: usize, weights: usize, tone: usize): void {
  let mean: f32 = 0
  for (let c = 0; c < channels; c++) mean += f32.load(means + (<usize>c << 2))
  const less = f32x4.splat(-mean)
  for (let u = 0; u < TONE_COLUMNS; u++) {
    for (let row = 0; row < TONE_ROWS; row += 4) {
      const v = row - FINEST
      const weight = weightAt(weights, u, v)
      let real = f32x4.mul(less, v128.load(weight))
      let imaginary = f32x4.mul(less, v128.load(weight + WEIGHT_PLANE))
      for (let c = 0; c < channels; c++) {
        real = f32x4.add(real, realsOf(spectra, c, u, v))
        imaginary = f32x4.add(imaginary, imaginariesOf(spectra, c, u, v))
      }
      const to = tone + <usize>u * TONE_COLUMN + (<usize>row << 2)
      v128.store(to, real)
      v128.store(to + TONE_PLANE, imaginary)
    }
  }
}

/** Energy of the strongest wave that `takeFromTone` left. */
let strongest: f32 = 0

/** Take a wave, seen through the weights, from the tone. @returns Index of the strongest wave that is left; -1 for none. */
function takeFromTone(tone: usize, weights: usize, prior: usize, u: i32, v: i32, waveReal: f32, waveImaginary: f32): i32 {
  const real = f32x4.splat(waveReal)
  const imaginary = f32x4.splat(waveImaginary)
  let bests = f32x4.splat(0)
  let places = i32x4.splat(-1)
  let index = i32x4.splat(0)
  const four = i32x4.splat(4)
  let here = tone
  let likely = prior
  // Column by column the difference to the wave, and to its mirror image.
  let a = weightAt(weights, -u, -FINEST - v)
  let b = weightAt(weights, u, -FINEST + v)
  for (let column = 0; column < TONE_COLUMNS; column++) {
    for (let x: usize = 0; x < TONE_COLUMN; x += 16) {
      const ar = v128.load(a + x)
      const ai = v128.load(a + x + WEIGHT_PLANE)
      const br = v128.load(b + x)
      const bi = v128.load(b + x + WEIGHT_PLANE)
      const leftReal = f32x4.sub(v128.load(here + x), f32x4.add(f32x4.mul(real, f32x4.add(ar, br)), f32x4.mul(imaginary, f32x4.sub(bi, ai))))
      const leftImaginary = f32x4.sub(v128.load(here + x + TONE_PLANE), f32x4.add(f32x4.mul(real, f32x4.add(ai, bi)), f32x4.mul(imaginary, f32x4.sub(ar, br))))
      v128.store(here + x, leftReal)
      v128.store(here + x + TONE_PLANE, leftImaginary)
      const energy = f32x4.mul(f32x4.add(f32x4.mul(leftReal, leftReal), f32x4.mul(leftImaginary, leftImaginary)), v128.load(likely + x))
      const more = f32x4.gt(energy, bests)
      bests = v128.bitselect(energy, bests, more)
      places = v128.bitselect(index, places, more)
      index = i32x4.add(index, four)
    }
    here += TONE_COLUMN
    likely += TONE_COLUMN
    a += WEIGHT_COLUMN
    b += WEIGHT_COLUMN
  }
  strongest = 0
  let at = -1
  for (let lane = 0; lane < 4; lane++) {
    const energy = floatOf(bests, lane)
    if (energy > strongest) {
      strongest = energy
      at = integerOf(places, lane) + lane
    }
  }
  return at
}

/** Choose waves one after another: the one with the most energy in what is left of the tone, taken away, and again. */
function chooseWaves(spectra: usize, channels: i32, means: usize, weights: usize, tone: usize, prior: usize, most: i32, share: f32, least: f32, waves: usize): i32 {
  let at = takeFromTone(tone, weights, prior, 0, 0, 0, 0)
  const floor = strongest * least
  let chosen = 0
  while (chosen < most && at >= 0 && strongest > floor) {
    const u = at / TONE_ROWS
    const v = at % TONE_ROWS - FINEST
    // What does not turn at all is its own mirror image and is met twice.
    const own = u == 0 && v == 0
    const wave = waves + <usize>chosen * WAVE
    store<i32>(wave, u)
    store<i32>(wave, v, 4)
    store<i32>(wave, u * <i32>WEIGHT_COLUMN + (v << 2), 8)
    takeFromChannels(spectra, channels, means, weights, waves, chosen, u, v, own ? 0.5 * share : share, own ? 0 : share)
    const from = tone + (<usize>at << 2)
    const real = f32.load(from)
    const imaginary = f32.load(from + TONE_PLANE)
    at = takeFromTone(tone, weights, prior, u, v, own ? 0.5 * share * real : share * real, own ? 0 : share * imaginary)
    chosen++
  }
  return chosen
}

/** How much of the last wave each channel has: its spectrum there, less what the waves before it have taken. */
function takeFromChannels(spectra: usize, channels: i32, means: usize, weights: usize, waves: usize, before: i32, u: i32, v: i32, share: f32, shareOfImaginary: f32): void {
  const wave = waves + <usize>before * WAVE
  const weight = weightAt(weights, u, v)
  memory.fill(wave + 16, 0, 32)
  for (let c = 0; c < channels; c++) {
    const mean = f32.load(means + (<usize>c << 2))
    f32.store(wave + 16 + (<usize>c << 2), realOf(spectra, c, u, v) - mean * f32.load(weight))
    f32.store(wave + 32 + (<usize>c << 2), imaginaryOf(spectra, c, u, v) - mean * f32.load(weight + WEIGHT_PLANE))
  }
  let real = v128.load(wave, 16)
  let imaginary = v128.load(wave, 32)
  for (let other = waves; other < wave; other += WAVE) {
    // Of the weights at the difference of both, and at the sum: the difference to the other's mirror image.
    const away = <usize>load<i32>(other, 8)
    const ar = v128.load32_splat(weight - away)
    const ai = v128.load32_splat(weight - away + WEIGHT_PLANE)
    const br = v128.load32_splat(weight + away)
    const bi = v128.load32_splat(weight + away + WEIGHT_PLANE)
    const otherReal = v128.load(other, 16)
    const otherImaginary = v128.load(other, 32)
    real = f32x4.sub(real, f32x4.add(f32x4.mul(otherReal, f32x4.add(ar, br)), f32x4.mul(otherImaginary, f32x4.sub(bi, ai))))
    imaginary = f32x4.sub(imaginary, f32x4.add(f32x4.mul(otherReal, f32x4.add(ai, bi)), f32x4.mul(otherImaginary, f32x4.sub(ar, br))))
  }
  v128.store(wave, f32x4.mul(real, f32x4.splat(share)), 16)
  v128.store(wave, f32x4.mul(imaginary, f32x4.splat(shareOfImaginary)), 32)
}

/** Give pixels the value of a sum of waves: twice its real part, since a wave's mirror image has the other half. */
function readWaves(picture: usize, role: usize, width: i32, size: usize, channels: i32, left: i32, top: i32, turns: usize, means: v128, waves: usize, chosen: i32, places: usize, count: i32): void {
  const end = waves + <usize>chosen * WAVE
  const none = f32x4.splat(0)
  const all = f32x4.splat(1)
  for (let n = 0; n < count; n++) {
    const place = load<i32>(places + (<usize>n << 2))
    const x = place % width - left
    const y = place / width - top
    let sum = f32x4.splat(0)
    for (let wave = waves; wave < end; wave += WAVE) {
      const phase = turns + (<usize>((load<i32>(wave) * x + load<i32>(wave, 4) * y) & (SIDE - 1)) << 2)
      sum = f32x4.add(sum, f32x4.sub(f32x4.mul(v128.load(wave, 16), v128.load32_splat(phase)), f32x4.mul(v128.load(wave, 32), v128.load32_splat(phase + ROW))))
    }
    const values = f32x4.max(none, f32x4.min(all, f32x4.add(means, f32x4.add(sum, sum))))
    const to = picture + (<usize>place << 2)
    f32.store(to, f32x4.extract_lane(values, 0))
    if (channels > 1) f32.store(to + size, f32x4.extract_lane(values, 1))
    if (channels > 2) f32.store(to + 2 * size, f32x4.extract_lane(values, 2))
    if (channels > 3) f32.store(to + 3 * size, f32x4.extract_lane(values, 3))
    store<u8>(role + <usize>place, FILLED)
  }
}
