import type { IntegerRaster, Region } from '../raster/raster.js'

/** Pixels as a mend leaves them, and which of them it touched. */
export interface Mended {
  readonly region: Region
  readonly pixels: IntegerRaster
  /** 1 where the mend touched a pixel, else 0. */
  readonly touched: Uint8Array
}
