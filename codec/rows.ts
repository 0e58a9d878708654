import type { Depth, IntegerRaster } from '@fennip/core/raster/raster.js'

/** A picture that is read from top to bottom, some rows at a time: what encoders take. */
export interface PictureRows {
  readonly width: number
  readonly height: number
  /** 1 grey, 2 grey and alpha, 3 RGB, 4 RGB and alpha. */
  readonly channels: number
  readonly depth: Depth
  /** Rows from `y` on. May be called once for each row, in order. */
  read(y: number, rows: number): IntegerRaster | Promise<IntegerRaster>
}

/** 16 bit samples to 8 bits, rounded: 257 sixteen bit steps are one. */
export function toEightBits(raster: IntegerRaster): IntegerRaster {
  if (raster.data instanceof Uint8Array) return raster
  const data = new Uint8Array(raster.data.length)
  for (let i = 0; i < data.length; i++) data[i] = Math.floor(raster.data[i]! / 257 + 0.5)
  return { ...raster, data }
}

/** 8 bit samples to 16 bits: times 257, so that white is white and the way back is exact. */
export function toSixteenBits(raster: IntegerRaster): IntegerRaster {
  if (raster.data instanceof Uint16Array) return raster
  const data = new Uint16Array(raster.data.length)
  for (let i = 0; i < data.length; i++) data[i] = raster.data[i]! * 257
  return { ...raster, data }
}

/** Rows at another depth. */
export function rowsOfDepth(rows: PictureRows, depth: Depth): PictureRows {
  if (rows.depth === depth) return rows
  return { ...rows, depth, read: async (y, count) => (depth === 8 ? toEightBits : toSixteenBits)(await rows.read(y, count)) }
}

/** A raster, with its transparency beside it if there is one, as rows. */
export function rowsOf(pixels: IntegerRaster, alpha: IntegerRaster | null = null): PictureRows {
  const { width, height } = pixels
  const channels = pixels.channels + (alpha ? 1 : 0)
  const depth = pixels.data instanceof Uint8Array ? 8 : 16
  return {
    width, height, channels, depth,
    read(y, rows) {
      const part = { ...pixels, height: rows, data: pixels.data.subarray(y * width * pixels.channels, (y + rows) * width * pixels.channels) }
      return alpha ? withAlpha(part, { ...alpha, height: rows, data: alpha.data.subarray(y * width, (y + rows) * width) }) : part
    },
  }
}

/** Colour and transparency interleaved. */
export function withAlpha(pixels: IntegerRaster, alpha: IntegerRaster): IntegerRaster {
  const channels = pixels.channels + 1
  const data = new (pixels.data.constructor as Uint8ArrayConstructor)(pixels.width * pixels.height * channels)
  for (let i = 0; i < pixels.width * pixels.height; i++) {
    for (let c = 0; c < pixels.channels; c++) data[i * channels + c] = pixels.data[i * pixels.channels + c]!
    data[i * channels + pixels.channels] = alpha.data[i]!
  }
  return { ...pixels, channels, data }
}
