import { logTable } from '../../raster/log-light.js'
import { clipRegion, crop, type Plane, type PixelSource } from '../../raster/raster.js'
import type { Transfer } from '../../raster/transfer.js'
import type { Disc } from '../../shape/shape.js'

/** Radius in pixels at which the shape is fitted; larger shadows are averaged down to it. */
const WORKING_RADIUS = 11

/** Half the width of what is looked at, in radii. */
const SURROUNDINGS = 5.3

/** A piece of the log light of a picture, averaged over cells of `factor` by `factor` pixels. */
export interface Decimated {
  readonly width: number
  readonly height: number
  readonly factor: number
  /** Where the first cell lies in the picture. */
  readonly left: number
  readonly top: number
  readonly channels: readonly Float32Array[]
}

/** Log light in cells of about a working radius: the window that is fitted, and wider surroundings to compare with. */
export function decimatedLogLight(picture: PixelSource, transfer: Transfer, start: Disc): { window: Decimated; surroundings: Decimated } | null {
  let factor = 1
  while (start.r / factor > WORKING_RADIUS * 1.3) factor *= 2
  const regionOf = (reach: number) => {
    const size = Math.ceil(reach / factor) * factor
    return clipRegion({ x: Math.floor(start.x) - size, y: Math.floor(start.y) - size, width: 2 * size, height: 2 * size }, picture.width, picture.height)
  }
  const near = regionOf(2.3 * start.r + 5)
  if (near.width < 8 * factor || near.height < 8 * factor) return null
  const far = regionOf(SURROUNDINGS * start.r + 5)
  const pixels = picture.read(far)
  const table = logTable(transfer)
  // Cells are counted from the window, so that it starts on one.
  const left = (near.x - far.x) % factor
  const top = (near.y - far.y) % factor
  const width = Math.floor((far.width - left) / factor)
  const height = Math.floor((far.height - top) / factor)
  const share = 1 / (factor * factor)
  const surroundings: Decimated = {
    width, height, factor,
    left: far.x + left,
    top: far.y + top,
    channels: Array.from({ length: picture.channels }, (_, c) => {
      const plane = new Float32Array(width * height)
      for (let y = 0; y < height * factor; y++) {
        const row = Math.floor(y / factor) * width
        let from = ((y + top) * pixels.width + left) * pixels.channels + c
        for (let x = 0; x < width * factor; x++, from += pixels.channels) plane[row + Math.floor(x / factor)]! += share * table[pixels.data[from]!]!
      }
      return plane
    }),
  }
  const x = (near.x - surroundings.left) / factor
  const y = (near.y - surroundings.top) / factor
  const inner = { x, y, width: Math.min(width - x, Math.floor(near.width / factor)), height: Math.min(height - y, Math.floor(near.height / factor)) }
  return {
    surroundings,
    window: {
      width: inner.width, height: inner.height, factor, left: near.x, top: near.y,
      channels: surroundings.channels.map((data) => crop({ width, height, channels: 1, data }, inner).data as Float32Array),
    },
  }
}

/** The mean of all channels. */
export function meanOf({ width, height, channels }: Decimated): Plane {
  const data = new Float32Array(width * height)
  for (const channel of channels) for (let i = 0; i < data.length; i++) data[i]! += channel[i]! / channels.length
  return { width, height, data }
}
