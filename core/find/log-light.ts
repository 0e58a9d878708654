import { ln } from '../raster/exact-math.js'
import type { IntegerRaster, Plane } from '../raster/raster.js'
import type { Transfer } from '../raster/transfer.js'

/** Light below this is noise in any photograph; it keeps the logarithm finite. */
export const DARKEST_LIGHT = 0.003

/** Share of each channel in what the finder looks at; green has the least noise. */
const SHARES: Record<number, readonly number[]> = { 1: [1], 3: [0.3, 0.45, 0.25] }

/**
 * The logarithm of the light, one value a pixel: dust multiplies the light, so here it adds.
 *
 * @param raster    1 or 3 channels, encoded integers.
 * @param transfer  Tables of the picture's curve.
 * @returns ln(light + DARKEST_LIGHT), a weighted mean over the channels.
 */
export function logLight(raster: IntegerRaster, transfer: Transfer): Plane {
  const { width, height, channels, data } = raster
  const shares = SHARES[channels]
  if (!shares) throw new RangeError(`A picture has 1 or 3 channels, not ${channels}`)
  const table = logTable(transfer)
  const result = new Float32Array(width * height)
  if (channels === 1) {
    for (let i = 0; i < result.length; i++) result[i] = table[data[i]!]!
  } else {
    const [first, second, third] = shares as [number, number, number]
    for (let i = 0, j = 0; i < result.length; i++, j += 3) {
      result[i] = first * table[data[j]!]! + second * table[data[j + 1]!]! + third * table[data[j + 2]!]!
    }
  }
  return { width, height, data: result }
}

const logTables = new WeakMap<Transfer, Float32Array>()

/** ln(light + DARKEST_LIGHT) of every sample value; made once for a curve. */
export function logTable(transfer: Transfer): Float32Array {
  let table = logTables.get(transfer)
  if (!table) {
    table = Float32Array.from(transfer.light, (light) => ln(light + DARKEST_LIGHT))
    logTables.set(transfer, table)
  }
  return table
}
