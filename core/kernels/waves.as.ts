// The inner loop of frequency-selective extrapolation (core/mend/fill-waves.ts), in AssemblyScript, four numbers at a
// time; compiled by scripts/generate.ts. Addresses are in bytes. core/kernels/waves.ts is the only caller.

// @ts-nocheck: the compiler of this file is AssemblyScript's.

/**
 * Choose waves one after another: the one with the most energy in what is left, taken away, and again.
 *
 * @param side      Of the window, a power of two.
 * @param stride    Numbers in a row of a half spectrum: side / 2 + 1, filled up to a multiple of four.
 * @param weights   Spectrum of the weights, repeated once in both directions: 2 side x 2 side, real plane, imaginary plane.
 * @param left      Half spectra of what is left: channel after channel, real plane, imaginary plane; changed in place.
 * @param prior     How likely a wave of each frequency is, 0 in the columns that fill up a row.
 * @param most      Waves at most.
 * @param share     Of a wave's energy that is taken at once, over the sum of the weights.
 * @param least     No wave below this share of the first one's energy.
 * @param into      Column and row of each wave as integers, then real and imaginary part for each channel.
 * @returns How many waves were chosen.
 */
export function chooseWaves(side: i32, stride: i32, channels: i32, weights: usize, left: usize, prior: usize, most: i32, share: f32, least: f32, into: usize): i32 {
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
    let bests = f32x4.splat(0)
    let places = i32x4.splat(-1)
    for (let y = 0; y < side; y++) {
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
        let energy = f32x4.splat(0)
        for (let c = 0; c < channels; c++) {
          const cr = v128.load32_splat(wave + (<usize>(2 + 2 * c) << 2))
          const ci = v128.load32_splat(wave + (<usize>(3 + 2 * c) << 2))
          const here = left + <usize>(2 * c) * plane + row + x
          const real = f32x4.sub(v128.load(here), f32x4.add(f32x4.mul(cr, sumReal), f32x4.mul(ci, differenceImaginary)))
          const imaginary = f32x4.sub(v128.load(here + plane), f32x4.add(f32x4.mul(cr, sumImaginary), f32x4.mul(ci, differenceReal)))
          v128.store(here, real)
          v128.store(here + plane, imaginary)
          energy = f32x4.add(energy, f32x4.add(f32x4.mul(real, real), f32x4.mul(imaginary, imaginary)))
        }
        energy = f32x4.mul(energy, v128.load(prior + row + x))
        const more = f32x4.gt(energy, bests)
        bests = v128.bitselect(energy, bests, more)
        places = v128.bitselect(i32x4.splat(<i32>((row + x) >> 2)), places, more)
      }
    }
    best = 0
    at = -1
    for (let k = 0; k < 4; k++) {
      const energy = k == 0 ? f32x4.extract_lane(bests, 0) : k == 1 ? f32x4.extract_lane(bests, 1) : k == 2 ? f32x4.extract_lane(bests, 2) : f32x4.extract_lane(bests, 3)
      const place = k == 0 ? i32x4.extract_lane(places, 0) : k == 1 ? i32x4.extract_lane(places, 1) : k == 2 ? i32x4.extract_lane(places, 2) : i32x4.extract_lane(places, 3)
      if (energy > best) {
        best = energy
        at = place + k
      }
    }
    chosen++
  }
  return chosen
}
