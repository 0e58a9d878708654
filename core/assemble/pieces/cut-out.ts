import { fromBorder, partsOf } from '../../raster/parts.js'
import { boxMean } from '../../kernels/smoothing/box.js'
import { discExtreme, squareExtreme } from '../../kernels/filters/extremes.js'
import { distanceFrom } from '../../raster/distance-transform.js'
import { depthOf, maximumOf, type IntegerRaster, type Region } from '../../raster/raster.js'
import { DEVIATION_PER_MAD, median } from '../../numbers/statistics.js'
import { maskWhere } from '../../raster/per-pixel.js'

/** A piece of paper on a scan. */
export interface Piece {
  /** In pixels of the scan. */
  readonly box: Region
  /** Row by row of the box: 1 where the picture of the piece is, without bare fibre along a tear. */
  readonly mask: Uint8Array
  /** Row by row of the box: 1 where what is at the edge may be bare fibre as well as a light part of the picture. */
  readonly doubt?: Uint8Array
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
/** Its tone is measured on so many outermost pixels, told in so many steps of the range, and strays by at most this share of it. */
const RIM_PX = 4
const TONES = 100
const MOST_REACH = 0.08
/** Dark grains in fibre are narrower than twice so much; it is taken away one pixel less than this further than it is seen. */
const GRAIN_PX = 2

/**
 * Cut pieces of paper out of the background of a scan.
 *
 * Background is what looks like the border of the scan and hangs together with it: light places inside a piece stay. Along
 * an edge a thin rim of bare fibre, where the picture layer has torn off, is taken away; a broad light border is paper.
 *
 * @param scan  8 or 16 bits, grey or colour.
 */
export function cutOut(scan: IntegerRaster): CutOut {
  const { background, pieces: whole } = cutOutWithFibre(scan)
  const pieces = whole.map((piece) => withoutFibre(scan, piece)).filter(({ area }) => area > LEAST_SHARE * scan.width * scan.height)
  return { background, pieces: pieces.sort((a, b) => b.area - a.area).slice(0, MOST_PIECES) }
}

/** Pieces as they lie on the bed, with the bare fibre along their tears; in the order in which they are met. */
export function cutOutWithFibre(scan: IntegerRaster): CutOut {
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
  const outside = fromBorder(maskWhere(open, (value) => value !== 0), width, height)
  // Back to where it was narrowed, and on to the edge that the mean has blurred: pixel by pixel there.
  const back = squareExtreme({ width, height, data: new Float32Array(outside) }, NARROW_PX + SMOOTHED_PX, 'greatest').data
  for (let i = 0; i < outside.length; i++) if (back[i] === 1 && outside[i] === 0) outside[i] = background.every((value, c) => Math.abs(data[i * channels + c]! - value) <= Math.max(LEAST_STEP * maximum, PIXEL_DEVIATIONS * spread[c]!)) ? 1 : 0
  return { background, pieces: piecesOf(outside, width, height) }
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

/** What is not outside, piece by piece, crumbs left out. */
function piecesOf(outside: Uint8Array, width: number, height: number): Piece[] {
  const { labels, parts } = partsOf(outside.map((value) => 1 - value), width, height)
  return parts.filter(({ area }) => area > LEAST_SHARE * width * height).map(({ label, box, area }) => {
    const mask = new Uint8Array(box.width * box.height)
    for (let y = 0, i = 0; y < box.height; y++) for (let x = 0; x < box.width; x++, i++) if (labels[(box.y + y) * width + box.x + x] === label) mask[i] = 1
    return { box, mask, area }
  })
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
  // The darkest channel of each pixel: paper is light in all of them.
  const least = new Float32Array(w * h)
  for (let y = 0; y < box.height; y++) {
    for (let x = 0; x < box.width; x++) {
      const at = ((box.y + y) * width + box.x + x) * channels
      let value = maximum
      for (let c = 0; c < channels; c++) value = Math.min(value, data[at + c]!)
      least[(y + 1) * w + x + 1] = value
    }
  }
  const tone = fibreTone(least, depth, maximum)
  const seen = new Float32Array(w * h)
  if (tone) for (let i = 0; i < seen.length; i++) if (depth[i]! > 0 && depth[i]! <= 2 * most && Math.abs(least[i]! - tone.middle) <= tone.reach) seen[i] = 1
  // Closed, so that dark grains in the fibre are fibre; and a pixel further, since the last one is half fibre.
  const grown = discExtreme(discExtreme({ width: w, height: h, data: seen }, GRAIN_PX, 'greatest'), 1, 'least').data
  // Fibre hangs together with the edge.
  const open = new Uint8Array(w * h)
  for (let i = 0; i < open.length; i++) if (depth[i]! <= 1 || grown[i] === 1) open[i] = 1
  const reached = fromBorder(open, w, h)
  const light = new Uint8Array(w * h)
  for (let i = 0; i < light.length; i++) if (reached[i] === 1 && grown[i] === 1 && depth[i]! > 0) light[i] = 1
  // Light paper that goes deeper than fibre does is a border or a sky, and so is what lies beside it.
  const broad = new Uint8Array(w * h)
  for (let i = 0; i < broad.length; i++) if (light[i] === 1 && depth[i]! > most) broad[i] = 1
  const fromBroad = broad.includes(1) ? distanceFrom(broad, w, h) : null
  const result = new Uint8Array(box.width * box.height)
  const doubt = new Uint8Array(box.width * box.height)
  for (let y = 0; y < box.height; y++) {
    for (let x = 0; x < box.width; x++) {
      const i = (y + 1) * w + x + 1
      const isFibre = light[i] === 1 && depth[i]! <= most && !(fromBroad && fromBroad[i]! <= 1.5 * most)
      if (depth[i]! > 1 && !isFibre) result[y * box.width + x] = 1
      if (light[i] === 1 && !isFibre) doubt[y * box.width + x] = 1
    }
  }
  return { ...whole(result, box), doubt }
}

/** Tone of bare fibre: the one that most of the outermost light pixels have, and how far they stray from it. */
function fibreTone(tones: Float32Array, depth: Float32Array, maximum: number): { readonly middle: number; readonly reach: number } | null {
  const light: number[] = []
  for (let i = 0; i < tones.length; i++) if (depth[i]! > 1 && depth[i]! <= RIM_PX && tones[i]! >= FIBRE_TONE * maximum) light.push(tones[i]! / maximum)
  if (light.length < 20) return null
  const counts = new Float64Array(TONES + 1)
  for (const value of light) counts[Math.round(Math.min(1, value) * TONES)]!++
  const around = counts.map((count, i) => (counts[i - 1] ?? 0) + count + (counts[i + 1] ?? 0))
  const mode = around.indexOf(Math.max(...around)) / TONES
  const near = light.filter((value) => Math.abs(value - mode) <= MOST_REACH)
  const middle = median(Float32Array.from(near))
  const spread = DEVIATION_PER_MAD * median(Float32Array.from(near, (value) => Math.abs(value - middle)))
  return { middle: middle * maximum, reach: Math.min(MOST_REACH, Math.max(LEAST_STEP, 3 * spread)) * maximum }
}

/** The largest part of a mask, its holes filled: crumbs along a tear are no piece, light specks near it no holes. */
function whole(mask: Uint8Array, box: Region): Piece {
  const { labels, parts } = partsOf(mask, box.width, box.height)
  const largest = parts.reduce((best, part) => (part.area > best.area ? part : best), { label: -1, area: 0 })
  const outside = fromBorder(maskWhere(labels, (label) => label !== largest.label), box.width, box.height)
  const result = outside.map((value) => 1 - value)
  return { box, mask: result, area: result.reduce((sum, value) => sum + value, 0) }
}
