// A membrane through known differences (core/mend/membrane.ts), in AssemblyScript, by successive over-relaxation of all
// channels of a cell at once; compiled by scripts/generate.ts. Addresses are in bytes. core/kernels/healing/membrane.ts is the only
// caller.

// @ts-nocheck: the compiler of this file is AssemblyScript's.

import { upperMedian } from '../shared/median.as'

/** Deviation of a normal distribution over its median absolute deviation. */
const DEVIATION_PER_MAD: f64 = 1.4826
/** What is so many deviations off has a quarter of its say. */
const TRUSTED: f64 = 2.5
/** Differences are shares of the largest sample. */
const LEAST_SPREAD: f64 = 1e-6

/** A membrane; for what is not said here see `relax`. core/kernels/healing/membrane.ts writes it in this order. */
@unmanaged class Membrane {
  stiffness: f64
  over: f64
  /** Four floats a cell of the grid, one a channel: written, zero outside the domain. */
  surface: usize
  /** Of the grid. */
  cells: i32
  channels: i32
  /** Floats, one plane a channel. */
  differences: usize
  /** Floats, 0 where the difference is unknown. */
  say: usize
  at: usize
  sides: usize
  count: i32
  /** Indices of the cells of the domain that have say, as integers. */
  spoken: usize
  spokenCount: i32
  /** Room for two floats for each of these and eight more. */
  known: usize
  pulls: usize
  weights: usize
  width: i32
  sweeps: i32
  /** How often the say is weighed anew. */
  rounds: i32
}

/**
 * Relax a membrane again and again, each time with less say for what it does not meet.
 *
 * @param address  Of a `Membrane`.
 */
export function settle(address: usize): void {
  const given = changetype<Membrane>(address)
  const surface = given.surface
  const cells = given.cells
  const channels = given.channels
  const differences = given.differences
  const say = given.say
  const at = given.at
  const sides = given.sides
  const count = given.count
  const spoken = given.spoken
  const spokenCount = given.spokenCount
  const known = given.known
  const pulls = given.pulls
  const weights = given.weights
  const plane = <usize>cells << 2
  const ordered = known + (<usize>((spokenCount + 3) & ~3) << 2)
  memory.fill(surface, 0, plane << 2)
  for (let c = 0; c < channels; c++) {
    const difference = differences + <usize>c * plane
    for (let n: usize = 0; n < <usize>spokenCount; n++) f32.store(known + (n << 2), f32.load(difference + (<usize>load<i32>(spoken + (n << 2)) << 2)))
    const middle = spokenCount == 0 ? <f32>0 : upperMedian(known, spokenCount, ordered)
    for (let k: usize = 0; k < <usize>count; k++) f32.store(surface + (<usize>load<i32>(at + (k << 2)) << 4) + (<usize>c << 2), middle)
  }
  // Channels that there are not are drawn to nothing by a weight of one.
  memory.fill(pulls, 0, <usize>count << 5)
  for (let k: usize = 0; k < <usize>(4 * count); k++) f64.store(weights + (k << 3), 1)
  for (let round = 0; round < given.rounds; round++) {
    for (let c = 0; c < channels; c++) weigh(surface + (<usize>c << 2), differences + <usize>c * plane, say, at, sides, count, spoken, spokenCount, known, ordered, pulls + (<usize>c << 3), weights + (<usize>c << 3), given.stiffness)
    relax(surface, at, sides, pulls, weights, count, given.width, given.stiffness, given.over, given.sweeps)
  }
}

/** The say of each cell of a channel: Geman and McClure's weight of how far the membrane is from its difference. */
function weigh(surface: usize, difference: usize, say: usize, at: usize, sides: usize, count: i32, spoken: usize, spokenCount: i32, known: usize, ordered: usize, pulls: usize, weights: usize, stiffness: f64): void {
  for (let n: usize = 0; n < <usize>spokenCount; n++) {
    const i = <usize>load<i32>(spoken + (n << 2))
    f32.store(known + (n << 2), <f32>abs(<f64>f32.load(difference + (i << 2)) - <f64>f32.load(surface + (i << 4))))
  }
  const middle = spokenCount == 0 ? 0 : <f64>upperMedian(known, spokenCount, ordered)
  const spread = max(LEAST_SPREAD, TRUSTED * DEVIATION_PER_MAD * middle)
  for (let k: usize = 0; k < <usize>count; k++) {
    const i = <usize>load<i32>(at + (k << 2))
    const spoken = <f64>f32.load(say + (i << 2))
    const wanted = <f64>f32.load(difference + (i << 2))
    let trust: f64 = 0
    if (spoken != 0) {
      const z = (wanted - <f64>f32.load(surface + (i << 4))) / spread
      trust = <f64><f32>(spoken / ((1 + z * z) * (1 + z * z)))
    }
    f64.store(pulls + (k << 5), trust * wanted)
    f64.store(weights + (k << 5), trust + stiffness * <f64>popcnt<i32>(load<u8>(sides + k)))
  }
}

/**
 * Sweep over the cells of a membrane again and again, each time in the order given.
 *
 * @param surface   Four floats a cell of the grid, one a channel; changed in place.
 * @param at        Indices of the cells of the domain, as integers.
 * @param sides     Which of the four neighbours of each belong to the domain, as bytes: left, right, above, below.
 * @param pulls     Four doubles a cell: what its known differences draw it to, times their say.
 * @param weights   Four doubles a cell: their say, and that of its neighbours. Cells without any are left.
 * @param count     Of the cells of the domain.
 * @param width     Of the grid.
 * @param stiffness How strongly a neighbour draws.
 * @param over      Factor of over-relaxation.
 * @param sweeps    How often.
 */
function relax(surface: usize, at: usize, sides: usize, pulls: usize, weights: usize, count: i32, width: i32, stiffness: f64, over: f64, sweeps: i32): void {
  const row = <usize>width << 4
  const draw = f64x2.splat(stiffness)
  const factor = f64x2.splat(over)
  const nothing = f64x2.splat(0)
  for (let sweep = 0; sweep < sweeps; sweep++) {
    for (let k: usize = 0; k < <usize>count; k++) {
      const place = surface + (<usize>load<i32>(at + (k << 2)) << 4)
      const side = load<u8>(sides + k)
      let low = v128.load(pulls + (k << 5))
      let high = v128.load(pulls + (k << 5), 16)
      if (side & 1) {
        const beside = v128.load(place - 16)
        low = f64x2.add(low, f64x2.mul(draw, f64x2.promote_low_f32x4(beside)))
        high = f64x2.add(high, f64x2.mul(draw, upper(beside)))
      }
      if (side & 2) {
        const beside = v128.load(place, 16)
        low = f64x2.add(low, f64x2.mul(draw, f64x2.promote_low_f32x4(beside)))
        high = f64x2.add(high, f64x2.mul(draw, upper(beside)))
      }
      if (side & 4) {
        const beside = v128.load(place - row)
        low = f64x2.add(low, f64x2.mul(draw, f64x2.promote_low_f32x4(beside)))
        high = f64x2.add(high, f64x2.mul(draw, upper(beside)))
      }
      if (side & 8) {
        const beside = v128.load(place + row)
        low = f64x2.add(low, f64x2.mul(draw, f64x2.promote_low_f32x4(beside)))
        high = f64x2.add(high, f64x2.mul(draw, upper(beside)))
      }
      const own = v128.load(place)
      const lowWeight = v128.load(weights + (k << 5))
      const highWeight = v128.load(weights + (k << 5), 16)
      const ownLow = f64x2.promote_low_f32x4(own)
      const ownHigh = upper(own)
      const lowStep = v128.and(f64x2.gt(lowWeight, nothing), f64x2.mul(factor, f64x2.sub(f64x2.div(low, lowWeight), ownLow)))
      const highStep = v128.and(f64x2.gt(highWeight, nothing), f64x2.mul(factor, f64x2.sub(f64x2.div(high, highWeight), ownHigh)))
      v128.store(place, v128.shuffle<f32>(f32x4.demote_f64x2_zero(f64x2.add(ownLow, lowStep)), f32x4.demote_f64x2_zero(f64x2.add(ownHigh, highStep)), 0, 1, 4, 5))
    }
  }
}

@inline function upper(four: v128): v128 {
  return f64x2.promote_low_f32x4(v128.shuffle<f32>(four, four, 2, 3, 2, 3))
}
