import { alignPictures, alignedPlace } from './align.js'
import { makeToneSpace } from '../colour/tone-space.js'
import type { TransferCurve } from '../raster/transfer.js'
import { maximumOf, type PixelSource, type Plane } from '../raster/raster.js'
import type { Similarity } from './similarity.js'

/** A picture with the tone curve of its profile. */
export interface Scan extends PixelSource { readonly curve: TransferCurve }

/** Longest side at which two scans are compared: on more, a pixel is told no better than by their grain. */
const WORKING_SIDE = 1300
const ROWS = 256

/**
 * Where a print lies in another scan of it: turned by a few degrees, of another size and tone, moved by up to a tenth.
 *
 * @returns The similarity from pixels of the first to pixels of the second.
 */
export function alignRescan(first: Scan, second: Scan): Similarity {
  const [one, two] = [reduced(first), reduced(second)]
  const { width, height } = one.plane
  // The second at the size of the first, about its own middle.
  const even = ((width / two.plane.width) * height) / two.plane.height
  const scale = Math.sqrt(even)
  const found = alignPictures(one.plane, resized(two.plane, width, height, scale))
  /** Place in the second, of a place in the first; both full size. */
  const place = (x: number, y: number): [number, number] => {
    const [px, py] = alignedPlace(found, width, height, x / one.step, y / one.step)
    return [((px - width / 2) / scale + two.plane.width / 2) * two.step, ((py - height / 2) / scale + two.plane.height / 2) * two.step]
  }
  const [ox, oy] = place(0, 0)
  const [ux, uy] = place(1000, 0)
  return { a: (ux - ox) / 1000, b: (uy - oy) / 1000, right: ox, down: oy }
}

/** Brightness of a picture, means of squares of so many pixels; density would lend the dark parts of a print too much. */
function reduced(scan: Scan): { plane: Plane; step: number } {
  const step = Math.max(1, Math.ceil(Math.max(scan.width, scan.height) / WORKING_SIDE))
  const [width, height] = [Math.floor(scan.width / step), Math.floor(scan.height / step)]
  const { decode } = makeToneSpace(scan.curve)
  const data = new Float32Array(width * height)
  const most = maximumOf(scan.depth)
  const green = scan.channels === 3 ? 1 : 0
  const table = Float32Array.from({ length: most + 1 }, (_, value) => Math.sqrt(decode(value / most)))
  for (let y = 0; y < height * step; y += ROWS) {
    const rows = Math.min(ROWS, height * step - y)
    const pixels = scan.read({ x: 0, y, width: scan.width, height: rows }).data
    for (let row = 0; row < rows; row++) {
      const to = Math.floor((y + row) / step) * width
      for (let x = 0; x < width * step; x++) data[to + Math.floor(x / step)]! += table[pixels[(row * scan.width + x) * scan.channels + green]!]! / (step * step)
    }
  }
  return { plane: { width, height, data }, step }
}

/** A plane made larger or smaller about its middle, straight between pixels; its edge goes on beyond it. */
function resized({ width, height, data }: Plane, toWidth: number, toHeight: number, scale: number): Plane {
  const result = new Float32Array(toWidth * toHeight)
  for (let y = 0; y < toHeight; y++) {
    const sy = Math.max(0, Math.min(height - 1.001, (y + 0.5 - toHeight / 2) / scale + height / 2 - 0.5))
    const [top, t] = [Math.floor(sy), sy % 1]
    for (let x = 0; x < toWidth; x++) {
      const sx = Math.max(0, Math.min(width - 1.001, (x + 0.5 - toWidth / 2) / scale + width / 2 - 0.5))
      const left = Math.floor(sx)
      const s = sx - left
      const i = top * width + left
      result[y * toWidth + x] = (data[i]! * (1 - s) + data[i + 1]! * s) * (1 - t) + (data[i + width]! * (1 - s) + data[i + width + 1]! * s) * t
    }
  }
  return { width: toWidth, height: toHeight, data: result }
}
