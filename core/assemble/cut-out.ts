import { boxMean } from '../raster/box.js'
import { squareExtreme } from '../raster/extremes.js'
import { distanceFrom } from '../raster/distance-transform.js'
import { depthOf, maximumOf, type IntegerRaster, type Region } from '../raster/raster.js'
import { DEVIATION_PER_MAD, median } from '../raster/statistics.js'

/** A piece of paper on a scan. */
export interface Piece {
  /** In pixels of the scan. */
  readonly box: Region
  /** Row by row of the box: 1 where the picture of the piece is, without bare fibre along a tear. */
  readonly mask: Uint8Array
  /** Pixels of the mask. */
  readonly area: number
}

export interface CutOut {
  /** Encoded samples of the background. */
  readonly background: readonly number[]
  /** From the largest on. */
  readonly pieces: readonly Piece[]
}

/** The background is measured on a frame of this share of the shorter side along the border of the scan. */
const FRAME = 0.012
/** A mean of the background over this many pixels on each side differs from it by less than so many of its deviations, or this share of the range. */
const SMOOTHED_PX = 2
const DEVIATIONS = 8
/** A pixel beside it, by less than so many of its own. */
const PIXEL_DEVIATIONS = 3.5
const LEAST_STEP = 0.025
/** The background runs on where it is more than twice so wide, in pixels. */
const NARROW_PX = 2
/** Smaller pieces are crumbs. */
const LEAST_SHARE = 0.004
/** More pieces are not looked for. */
export const MOST_PIECES = 8
/** Torn fibre is at most so wide, as a share of the longer side of the scan, and at least so many pixels. */
const FIBRE_SHARE = 0.008
const FIBRE_PX = 12
/** Fibre is at least so light, as a share of the range. */
const FIBRE_TONE = 0.74

/**
 * Cut pieces of paper out of the background of a scan.
 *
 * Background is what looks like the border of the scan and hangs together with it: light places inside a piece stay. Along
 * an edge a thin rim of bare fibre, where the picture layer has torn off, is taken away; a broad light border is paper.
 *
 * @param scan  8 or 16 bits, grey or colour.
 */
export function cutOut(scan: IntegerRaster): CutOut {
  const { width, height, channels, data } = scan
  const maximum = maximumOf(depthOf(scan))
  const { background, spread } = measureBackground(scan)
  const limit = background.map((_, c) => Math.max(LEAST_STEP * maximum, (DEVIATIONS * spread[c]!) / (2 * SMOOTHED_PX + 1)))
  // Told on means, so that the grain of the scan does not widen what passes for background.
  const means = Array.from({ length: channels }, (_, c) => {
    const plane = new Float32Array(width * height)
    for (let i = 0; i < plane.length; i++) plane[i] = data[i * channels + c]!
    return boxMean({ width, height, data: plane }, SMOOTHED_PX).data
  })
  const like = new Float32Array(width * height)
  for (let i = 0; i < like.length; i++) like[i] = means.every((plane, c) => Math.abs(plane[i]! - background[c]!) <= limit[c]!) ? 1 : 0
  // Through narrow places the background does not run on into a piece that is as dark or as light as it is.
  const open = squareExtreme({ width, height, data: like }, NARROW_PX, 'least').data
  const outside = floodFromBorder(width, height, (i) => open[i] === 1)
  // Back to where it was narrowed, and on to the edge that the mean has blurred: pixel by pixel there.
  const back = squareExtreme({ width, height, data: Float32Array.from(outside) }, NARROW_PX + SMOOTHED_PX, 'greatest').data
  for (let i = 0; i < outside.length; i++) if (back[i] === 1 && outside[i] === 0) outside[i] = background.every((value, c) => Math.abs(data[i * channels + c]! - value) <= Math.max(LEAST_STEP * maximum, PIXEL_DEVIATIONS * spread[c]!)) ? 1 : 0
  const pieces = components(outside, width, height).map((piece) => withoutFibre(scan, piece)).filter(({ area }) => area > LEAST_SHARE * width * height)
  return { background, pieces: pieces.sort((a, b) => b.area - a.area).slice(0, MOST_PIECES) }
}

/** What hangs together with the border. */
function floodFromBorder(width: number, height: number, isOpen: (i: number) => boolean): Uint8Array {
  const reached = new Uint8Array(width * height)
  const stack: number[] = []
  const visit = (i: number) => {
    if (reached[i] === 0 && isOpen(i)) {
      reached[i] = 1
      stack.push(i)
    }
  }
  for (let x = 0; x < width; x++) {
    visit(x)
    visit((height - 1) * width + x)
  }
  for (let y = 0; y < height; y++) {
    visit(y * width)
    visit(y * width + width - 1)
  }
  while (stack.length > 0) {
    const i = stack.pop()!
    const x = i % width
    if (x > 0) visit(i - 1)
    if (x < width - 1) visit(i + 1)
    if (i >= width) visit(i - width)
    if (i < (height - 1) * width) visit(i + width)
  }
  return reached
}

/** Median and deviation of the samples along the border. */
function measureBackground({ width, height, channels, data }: IntegerRaster): { background: number[]; spread: number[] } {
  const frame = Math.max(2, Math.round(FRAME * Math.min(width, height)))
  const background: number[] = []
  const spread: number[] = []
  for (let c = 0; c < channels; c++) {
    const values: number[] = []
    const step = Math.max(1, Math.floor((2 * frame * (width + height)) / 200_000))
    let n = 0
    for (let y = 0; y < height; y++) {
      for (let x = 0; x < width; x++) {
        if (y >= frame && y < height - frame && x >= frame && x < width - frame) {
          x = width - frame - 1
          continue
        }
        if (n++ % step === 0) values.push(data[(y * width + x) * channels + c]!)
      }
    }
    const middle = median(Float32Array.from(values))
    background.push(middle)
    spread.push(DEVIATION_PER_MAD * median(Float32Array.from(values, (value) => Math.abs(value - middle))))
  }
  return { background, spread }
}

/** What is not outside, piece by piece. */
function components(outside: Uint8Array, width: number, height: number): Piece[] {
  const label = new Int32Array(width * height)
  const pieces: Piece[] = []
  const stack: number[] = []
  for (let start = 0; start < outside.length; start++) {
    if (outside[start] === 1 || label[start] !== 0) continue
    const own = pieces.length + 1
    let [left, right, top, bottom, area] = [width, 0, height, 0, 0]
    label[start] = own
    stack.push(start)
    const visit = (i: number) => {
      if (outside[i] === 0 && label[i] === 0) {
        label[i] = own
        stack.push(i)
      }
    }
    while (stack.length > 0) {
      const i = stack.pop()!
      const x = i % width
      const y = (i - x) / width
      area++
      left = Math.min(left, x)
      right = Math.max(right, x + 1)
      top = Math.min(top, y)
      bottom = Math.max(bottom, y + 1)
      if (x > 0) visit(i - 1)
      if (x < width - 1) visit(i + 1)
      if (y > 0) visit(i - width)
      if (y < height - 1) visit(i + width)
    }
    const box = { x: left, y: top, width: right - left, height: bottom - top }
    const mask = new Uint8Array(area > LEAST_SHARE * width * height ? box.width * box.height : 0)
    for (let y = 0; mask.length > 0 && y < box.height; y++) for (let x = 0; x < box.width; x++) if (label[(top + y) * width + left + x] === own) mask[y * box.width + x] = 1
    pieces.push({ box, mask, area: mask.length > 0 ? area : 0 })
  }
  return pieces.filter(({ area }) => area > 0)
}

/** A piece without the thin light rim of a tear, and without the pixel at its edge that is half background. */
function withoutFibre(scan: IntegerRaster, piece: Piece): Piece {
  const { box, mask } = piece
  const { channels, data, width } = scan
  const maximum = maximumOf(depthOf(scan))
  const most = Math.max(FIBRE_PX, Math.round(FIBRE_SHARE * Math.max(scan.width, scan.height)))
  // One pixel more on each side, so that the edge of the box is an edge too.
  const [w, h] = [box.width + 2, box.height + 2]
  const outside = new Uint8Array(w * h).fill(1)
  for (let y = 0; y < box.height; y++) for (let x = 0; x < box.width; x++) outside[(y + 1) * w + x + 1] = mask[y * box.width + x] ? 0 : 1
  const depth = distanceFrom(outside, w, h)
  // The darkest channel of each pixel, averaged over its neighbours, so that grain makes no holes.
  const least = new Float32Array(w * h)
  for (let y = 0; y < box.height; y++) {
    for (let x = 0; x < box.width; x++) {
      const at = ((box.y + y) * width + box.x + x) * channels
      let value = maximum
      for (let c = 0; c < channels; c++) value = Math.min(value, data[at + c]!)
      least[(y + 1) * w + x + 1] = value
    }
  }
  const mean = boxMean({ width: w, height: h, data: least }, 1).data
  const seen = new Float32Array(w * h)
  for (let i = 0; i < seen.length; i++) if (depth[i]! > 0 && depth[i]! <= 2 * most && mean[i]! >= FIBRE_TONE * maximum) seen[i] = 1
  // Closed, so that dark grains in the fibre are fibre, and a pixel further: the last one is half fibre.
  const grown = squareExtreme(squareExtreme({ width: w, height: h, data: seen }, 2, 'greatest'), 1, 'least').data
  const light = new Uint8Array(w * h)
  for (let i = 0; i < light.length; i++) if (grown[i] === 1 && depth[i]! > 0) light[i] = 1
  // Light paper that goes deeper than fibre does is a border or a sky, and so is what lies beside it.
  const broad = new Uint8Array(w * h)
  for (let i = 0; i < broad.length; i++) if (light[i] === 1 && depth[i]! > most) broad[i] = 1
  const fromBroad = broad.includes(1) ? distanceFrom(broad, w, h) : null
  const result = new Uint8Array(box.width * box.height)
  let area = 0
  for (let y = 0; y < box.height; y++) {
    for (let x = 0; x < box.width; x++) {
      const i = (y + 1) * w + x + 1
      const isFibre = light[i] === 1 && depth[i]! <= most && !(fromBroad && fromBroad[i]! <= 1.5 * most)
      if (depth[i]! > 1 && !isFibre) {
        result[y * box.width + x] = 1
        area++
      }
    }
  }
  // Light specks of the picture near the edge are no holes: what hangs together with the outside alone is cut.
  return closed({ box, mask: largest(result, box.width, box.height), area })
}

/** What hangs together in the largest part: crumbs along a tear are no piece of it. */
function largest(mask: Uint8Array, width: number, height: number): Uint8Array {
  const label = new Int32Array(mask.length)
  const stack: number[] = []
  let [best, bestArea, own] = [0, 0, 0]
  for (let start = 0; start < mask.length; start++) {
    if (mask[start] === 0 || label[start] !== 0) continue
    own++
    let area = 0
    label[start] = own
    stack.push(start)
    while (stack.length > 0) {
      const i = stack.pop()!
      area++
      const x = i % width
      for (const k of [x > 0 ? i - 1 : -1, x < width - 1 ? i + 1 : -1, i - width, i + width]) {
        if (k < 0 || k >= width * height || mask[k] === 0 || label[k] !== 0) continue
        label[k] = own
        stack.push(k)
      }
    }
    if (area > bestArea) [best, bestArea] = [own, area]
  }
  return mask.map((value, i) => (value === 1 && label[i] === best ? 1 : 0))
}

/** Holes filled that do not hang together with the outside. */
function closed({ box, mask }: Piece): Piece {
  const outside = floodFromBorder(box.width, box.height, (i) => mask[i] === 0)
  const result = outside.map((value) => 1 - value)
  return { box, mask: result, area: result.reduce((sum, value) => sum + value, 0) }
}
