/** A small seeded generator: same seed, same numbers, everywhere. */
export interface Random {
  /** Uniform in [0, 1). */
  uniform(): number
  /** Uniform integer of 32 bits. */
  integer(): number
}

/**
 * Seeded pseudo-random numbers.
 *
 * @param seed  Any integer.
 *
 * xorshift32 (Marsaglia 2003, "Xorshift RNGs", triple 13, 17, 5), its state scrambled from the seed.
 */
export function makeRandom(seed: number): Random {
  let state = Math.imul(seed ^ 0x9e3779b9, 0x85ebca6b) | 0
  state = Math.imul(state ^ (state >>> 13), 0xc2b2ae35) | 0
  state ^= state >>> 16
  if (state === 0) state = 0x6d2b79f5
  const integer = (): number => {
    state ^= state << 13
    state ^= state >>> 17
    state ^= state << 5
    return state >>> 0
  }
  return { integer, uniform: () => integer() / 4294967296 }
}
