/** Putting many numbers in order by the bits they are made of: many times as fast as comparing them. */

const MINUS = 0x80000000

/**
 * Whole numbers in the order of floats: of those above 0 the bits are in their order already, of those below 0 all are turned.
 */
function keysOf(values: Float32Array): Uint32Array {
  const keys = new Uint32Array(values.buffer.slice(values.byteOffset, values.byteOffset + values.byteLength))
  for (let i = 0; i < keys.length; i++) {
    const bits = keys[i]!
    // 0 and -0 are the same number.
    keys[i] = bits === MINUS ? MINUS : bits & MINUS ? ~bits : bits | MINUS
  }
  return keys
}

/** So many bits are told apart at a time. */
const BITS = 11
const PARTS = 1 << BITS

/**
 * Indices of values from the least to the greatest, equal ones as they come.
 *
 * @param values  No NaN among them.
 *
 * Knuth 1998, "The Art of Computer Programming" 3, 5.2.5: radix sort, the last bits first.
 */
export function inOrder(values: Float32Array): Uint32Array {
  const keys = keysOf(values)
  let order = new Uint32Array(values.length)
  for (let i = 0; i < order.length; i++) order[i] = i
  let spare = new Uint32Array(values.length)
  const first = new Uint32Array(PARTS + 1)
  for (let shift = 0; shift < 32; shift += BITS) {
    first.fill(0)
    for (let i = 0; i < keys.length; i++) first[((keys[i]! >>> shift) & (PARTS - 1)) + 1]!++
    for (let part = 0; part < PARTS; part++) first[part + 1]! += first[part]!
    for (let n = 0; n < order.length; n++) {
      const i = order[n]!
      spare[first[(keys[i]! >>> shift) & (PARTS - 1)]!++] = i
    }
    ;[order, spare] = [spare, order]
  }
  return order
}

/** Values with the same first half of their bits are told from the others by counting. */
const HALF = 16

/**
 * The k-th smallest of many values (0 based), which stay as they are.
 *
 * @param values  At least one, no NaN among them.
 * @param k       0 to one less than there are.
 */
export function smallestOfMany(values: Float32Array, k: number): number {
  const keys = keysOf(values)
  const counts = new Uint32Array(1 << HALF)
  for (let i = 0; i < keys.length; i++) counts[keys[i]! >>> HALF]!++
  let half = 0
  let left = k
  for (; left >= counts[half]!; half++) left -= counts[half]!
  const alike = new Float32Array(counts[half]!)
  for (let i = 0, n = 0; i < keys.length; i++) if (keys[i]! >>> HALF === half) alike[n++] = values[i]!
  return alike.sort()[left]!
}
