// Successive over-relaxation of a membrane (core/mend/membrane.ts), in AssemblyScript, all channels of a cell at once;
// compiled by scripts/generate.ts. Addresses are in bytes. core/kernels/membrane.ts is the only caller.

// @ts-nocheck: the compiler of this file is AssemblyScript's.

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
export function relax(surface: usize, at: usize, sides: usize, pulls: usize, weights: usize, count: i32, width: i32, stiffness: f64, over: f64, sweeps: i32): void {
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
