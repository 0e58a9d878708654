import { weighTable } from '../kernels/samples/samples.js'
import { ln } from '../numbers/exact-math.js'
import type { IntegerRaster, Plane } from './raster.js'
import type { Transfer } from './transfer.js'

/** Light below this is noise in any photograph; it keeps the logarithm finite. */
export const DARKEST_LIGHT = 0.003

/** Share of each of three channels in what the finder looks at; green has the least noise. */
const SHARES = [0.3, 0.45, 0.25] as const

/**
 * The logarithm of the light, one value a pixel: dust multiplies the light, so here it adds.
 *
 * @param raster    1 or 3 channels, encoded integers.
 * @param transfer  Tables of the picture's curve.
 * @returns ln(light + DARKEST_LIGHT), a weighted mean over the channels.
 */
export function logLight(raster: IntegerRaster, transfer: Transfer): Plane {
  const { width, height, channels } = raster
  if (channels !== 1 && channels !== 3) throw new RangeError(`A picture has 1 or 3 channels, not ${channels}`)
  return { width, height, data: weighTable(raster, logTable(transfer), SHARES) }
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
