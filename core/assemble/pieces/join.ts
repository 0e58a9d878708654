import { cos, PI, sin } from '../../numbers/exact-math.js'
import { clipRegion, depthOf, makeRaster, maximumOf, type IntegerRaster, type Region, type FloatRaster } from '../../raster/raster.js'
import { distanceFrom } from '../../raster/distance-transform.js'
import { median } from '../../numbers/statistics.js'
import { resample, sourceRegion, type Frame } from '../../render/resample.js'
import { rounded } from '../../render/samples.js'
import { roundTo } from '../../round.js'
import { outlinesOfMask } from '../../shape/from-mask.js'
import type { Outline } from '../../shape/shape.js'
import type { CutOut, Piece } from './cut-out.js'
import { fitPiece, pivotOf, placed, seamOf, type SeamPlace } from './fit.js'
import { AT_REST, sheetOf, type Placement, type Sheet } from './sheet.js'

/** A piece as it is joined. */
export interface JoinedPiece {
  readonly placement: Placement
  /** Factor on encoded samples that matches its tone to its neighbour's. */
  readonly gain: number
  /** Misfit along its seam: median distance from where the edges should meet, in pixels; 0 for the piece that lies still. */
  readonly misfitPx: number
  /** Length of its seam in pixels; 0 for the piece that lies still. */
  readonly seamPx: number
  /** Correlation of what runs over its seam. */
  readonly likeness: number
}

/** How pieces are put together: enough to join them again. */
export interface Fitting {
  /** One a piece, in the order of the pieces; the largest lies still. */
  readonly pieces: readonly JoinedPiece[]
  /** The seams of all pieces that were moved. */
  readonly seams: readonly (readonly SeamPlace[])[]
}

/** Tones of two sides differ by more than this only when something else is the matter. */
const MOST_GAIN = 1.35

/**
 * Put pieces together: each is fitted to what has been joined so far, the best fit first, then all once more.
 *
 * @param byHand  Placements that were set by hand, by the index of the piece; they are kept, or fitted from there.
 * @param refit   Whether pieces that were placed by hand are fitted again from where they lie.
 */
export function fitAll(scan: IntegerRaster, { pieces }: CutOut, byHand: ReadonlyMap<number, Placement> = new Map(), refit = true, onShare: (share: number) => void = () => undefined): Fitting {
  const sheets = pieces.map((piece) => sheetOf(scan, piece))
  const placements: Placement[] = pieces.map((_, i) => byHand.get(i) ?? AT_REST)
  const isPlaced = pieces.map((_, i) => i === 0)
  const likeness = pieces.map(() => 0)
  const seams: SeamPlace[][] = []
  let base = sheets[0]!
  const work = Math.max(1, pieces.length - 1)
  for (let step = 0; step < work && pieces.length > 1; step++) {
    const waiting = pieces.map((_, i) => i).filter((i) => !isPlaced[i])
    const fits = waiting.map((i) => {
      const start = byHand.get(i)
      if (start && !refit) return { i, placement: start, score: Infinity, likeness: 0 }
      return { i, ...fitPiece(base, sheets[i]!, start) }
    })
    const best = fits.sort((a, b) => b.score - a.score)[0]!
    placements[best.i] = best.placement
    likeness[best.i] = best.likeness
    isPlaced[best.i] = true
    seams[best.i] = seamOf(base, sheets[best.i]!, best.placement)
    base = united(base, sheets[best.i]!, best.placement)
    onShare((step + 1) / work)
  }
  return {
    seams: seams.filter((seam) => seam !== undefined),
    pieces: pieces.map((_, i) => {
      const seam = seams[i] ?? []
      const close = seam.filter(({ gap }) => Math.abs(gap) < 12)
      const ratios = close.filter(({ baseTone, pieceTone }) => baseTone > 0.02 && pieceTone > 0.02 && baseTone < 0.98 && pieceTone < 0.98).map(({ baseTone, pieceTone }) => baseTone / pieceTone)
      const gain = ratios.length < 20 ? 1 : Math.max(1 / MOST_GAIN, Math.min(MOST_GAIN, median(Float32Array.from(ratios))))
      const { turnDegrees, dx, dy } = placements[i]!
      return {
        placement: { turnDegrees: roundTo(turnDegrees, 4), dx: roundTo(dx, 3), dy: roundTo(dy, 3) },
        gain: roundTo(gain, 4), likeness: roundTo(likeness[i]!, 3), seamPx: Math.round(lengthOf(close)),
        misfitPx: close.length === 0 ? 0 : roundTo(median(Float32Array.from(close, ({ gap }) => Math.abs(gap))), 2),
      }
    }),
  }
}

function lengthOf(seam: readonly SeamPlace[]): number {
  let sum = 0
  for (let i = 1; i < seam.length; i++) sum += Math.min(6, Math.sqrt((seam[i]!.x - seam[i - 1]!.x) ** 2 + (seam[i]!.y - seam[i - 1]!.y) ** 2))
  return sum
}

/** A sheet of both, for the next piece: nearest pixels are near enough to fit against. */
function united(base: Sheet, piece: Sheet, placement: Placement): Sheet {
  const corners = [[piece.x, piece.y], [piece.x + piece.width, piece.y], [piece.x, piece.y + piece.height], [piece.x + piece.width, piece.y + piece.height]].map(([x, y]) => placed(piece, placement, x!, y!))
  const left = Math.floor(Math.min(base.x, ...corners.map(([x]) => x)))
  const top = Math.floor(Math.min(base.y, ...corners.map(([, y]) => y)))
  const width = Math.ceil(Math.max(base.x + base.width, ...corners.map(([x]) => x))) - left
  const height = Math.ceil(Math.max(base.y + base.height, ...corners.map(([, y]) => y))) - top
  const tone = new Float32Array(width * height)
  const mask = new Uint8Array(width * height)
  const back = unplaced(piece, placement)
  for (let y = 0, i = 0; y < height; y++) {
    for (let x = 0; x < width; x++, i++) {
      const [bx, by] = [left + x - base.x, top + y - base.y]
      if (bx >= 0 && by >= 0 && bx < base.width && by < base.height && base.mask[by * base.width + bx]) {
        tone[i] = base.tone[by * base.width + bx]!
        mask[i] = 1
        continue
      }
      const [px, py] = back(left + x + 0.5, top + y + 0.5)
      const [column, row] = [Math.floor(px - piece.x), Math.floor(py - piece.y)]
      if (column < 0 || row < 0 || column >= piece.width || row >= piece.height || !piece.mask[row * piece.width + column]) continue
      tone[i] = piece.tone[row * piece.width + column]!
      mask[i] = 1
    }
  }
  return { x: left, y: top, width, height, tone, mask }
}

/** Where a place of the plane comes from in the scan. */
function unplaced(piece: Pick<Sheet, 'x' | 'y' | 'width' | 'height'>, { turnDegrees, dx, dy }: Placement): (x: number, y: number) => readonly [number, number] {
  const { x: px, y: py } = pivotOf(piece)
  const [c, s] = [cos((turnDegrees * PI) / 180), sin((turnDegrees * PI) / 180)]
  return (x, y) => [px + c * (x - dx - px) + s * (y - dy - py), py - s * (x - dx - px) + c * (y - dy - py)]
}

export interface Joined {
  readonly raster: IntegerRaster
  /** Where the joined picture begins in the plane of the scan. */
  readonly origin: { readonly x: number; readonly y: number }
  /** Missing paper and the seam itself: what is to be mended. */
  readonly gaps: readonly Outline[]
}

/** Paper that is missing between pieces is told up to this width, as a share of the longer side. */
const WIDEST_GAP = 0.02
/** So far into the picture on both sides a seam is mended with it. */
const SEAM_PX = 1.5
/** Smaller bits of a seam are no flaw. */
const LEAST_GAP = 6

/**
 * The joined picture: every piece resampled once (the one that lies still is copied), the background where no paper is.
 *
 * @param fitting  As `fitAll` gives it, or changed by hand.
 */
export function joinPieces(scan: IntegerRaster, { pieces, background }: CutOut, fitting: readonly Pick<JoinedPiece, 'placement' | 'gain'>[]): Joined {
  const boxes = pieces.map(({ box }, i) => placedBox(box, fitting[i]!.placement))
  const left = Math.floor(Math.min(...boxes.map(({ x }) => x)))
  const top = Math.floor(Math.min(...boxes.map(({ y }) => y)))
  const width = Math.ceil(Math.max(...boxes.map(({ x, width: w }) => x + w))) - left
  const height = Math.ceil(Math.max(...boxes.map(({ y, height: h }) => y + h))) - top
  const { channels } = scan
  const depth = depthOf(scan)
  const maximum = maximumOf(depth)
  const raster = makeRaster(width, height, channels, depth)
  for (let i = 0; i < width * height; i++) for (let c = 0; c < channels; c++) raster.data[i * channels + c] = background[c]!
  const owner = new Uint8Array(width * height)
  pieces.forEach((piece, index) => {
    const { placement, gain } = fitting[index]!
    const source = grownPiece(scan, piece)
    const back = unplaced(piece.box, placement)
    const isStill = placement.turnDegrees === 0 && Number.isInteger(placement.dx) && Number.isInteger(placement.dy)
    const region = clipRegion({ x: Math.floor(boxes[index]!.x) - left - 1, y: Math.floor(boxes[index]!.y) - top - 1, width: Math.ceil(boxes[index]!.width) + 3, height: Math.ceil(boxes[index]!.height) + 3 }, width, height)
    const frame: Frame = { scale: 1, mapping: (x, y) => back(x + left, y + top) }
    // In strips, so that floats of a whole scan are never held at once.
    for (let y = region.y; y < region.y + region.height; y += STRIP) {
      const strip: Region = { ...region, y, height: Math.min(STRIP, region.y + region.height - y) }
      const part = clipRegion(sourceRegion(strip, frame), scan.width, scan.height)
      if (part.width === 0 || part.height === 0) continue
      const seen = isStill ? null : rounded(scaledBy(resample(strip, frame, source(part), part, scan), gain), depth)
      for (let row = 0; row < strip.height; row++) {
        for (let column = 0; column < strip.width; column++) {
          const to = (strip.y + row) * width + strip.x + column
          if (owner[to] !== 0) continue
          const [sx, sy] = back(left + strip.x + column + 0.5, top + strip.y + row + 0.5)
          const [px, py] = [Math.floor(sx - piece.box.x), Math.floor(sy - piece.box.y)]
          if (px < 0 || py < 0 || px >= piece.box.width || py >= piece.box.height || !piece.mask[py * piece.box.width + px]) continue
          owner[to] = index + 1
          for (let c = 0; c < channels; c++) {
            const value = seen ? seen.data[(row * strip.width + column) * channels + c]! : scan.data[((piece.box.y + py) * scan.width + piece.box.x + px) * channels + c]! * gain
            raster.data[to * channels + c] = Math.max(0, Math.min(maximum, Math.round(value)))
          }
        }
      }
    }
  })
  return { raster, origin: { x: left, y: top }, gaps: gapsOf(owner, pieces.length, width, height) }
}

const STRIP = 256

function scaledBy(raster: FloatRaster, gain: number): FloatRaster {
  return gain === 1 ? raster : { ...raster, data: raster.data.map((value) => Math.min(1, value * gain)) }
}

function placedBox(box: Region, placement: Placement): { x: number; y: number; width: number; height: number } {
  const corners = [[box.x, box.y], [box.x + box.width, box.y], [box.x, box.y + box.height], [box.x + box.width, box.y + box.height]].map(([x, y]) => placed(box, placement, x!, y!))
  const [left, top] = [Math.min(...corners.map(([x]) => x)), Math.min(...corners.map(([, y]) => y))]
  return { x: left, y: top, width: Math.max(...corners.map(([x]) => x)) - left, height: Math.max(...corners.map(([, y]) => y)) - top }
}

/** How far what resampling reads beyond a piece is continued from it, so that no background bleeds in. */
const BEYOND = 4

/** Pixels of a piece as floats, its edge continued outward. */
function grownPiece(scan: IntegerRaster, { box, mask }: Piece): (part: Region) => FloatRaster {
  const { channels } = scan
  const scale = 1 / maximumOf(depthOf(scan))
  const isInside = (x: number, y: number) => x >= box.x && y >= box.y && x < box.x + box.width && y < box.y + box.height && mask[(y - box.y) * box.width + x - box.x] === 1
  return (part) => {
    const { width, height } = part
    const data = new Float32Array(width * height * channels)
    let known = new Uint8Array(width * height)
    for (let y = 0, i = 0; y < height; y++) {
      for (let x = 0; x < width; x++, i++) {
        known[i] = isInside(part.x + x, part.y + y) ? 1 : 0
        for (let c = 0; c < channels; c++) data[i * channels + c] = scan.data[((part.y + y) * scan.width + part.x + x) * channels + c]! * scale
      }
    }
    for (let ring = 0; ring < BEYOND; ring++) {
      const next = known.slice()
      for (let y = 0, i = 0; y < height; y++) {
        for (let x = 0; x < width; x++, i++) {
          if (known[i] === 1) continue
          const beside = [x > 0 ? i - 1 : -1, x < width - 1 ? i + 1 : -1, y > 0 ? i - width : -1, y < height - 1 ? i + width : -1].filter((k) => k >= 0 && known[k] === 1)
          if (beside.length === 0) continue
          next[i] = 1
          for (let c = 0; c < channels; c++) data[i * channels + c] = beside.reduce((sum, k) => sum + data[k * channels + c]!, 0) / beside.length
        }
      }
      known = next
    }
    return { width, height, channels, data }
  }
}

/** Outlines of missing paper between pieces, with the seam on both sides of it. */
function gapsOf(owner: Uint8Array, pieces: number, width: number, height: number): Outline[] {
  if (pieces < 2) return []
  const widest = Math.max(12, WIDEST_GAP * Math.max(width, height))
  // Distance to the nearest piece, and to the nearest other one.
  const first = new Float32Array(width * height).fill(Infinity)
  const second = new Float32Array(width * height).fill(Infinity)
  for (let index = 1; index <= pieces; index++) {
    const distance = distanceFrom(owner.map((value) => (value === index ? 1 : 0)), width, height)
    for (let i = 0; i < distance.length; i++) {
      if (distance[i]! < first[i]!) {
        second[i] = first[i]!
        first[i] = distance[i]!
      } else if (distance[i]! < second[i]!) second[i] = distance[i]!
    }
  }
  const mask = new Uint8Array(width * height)
  for (let i = 0; i < mask.length; i++) {
    const isMissing = owner[i] === 0 && second[i]! <= widest
    // A pixel of a piece beside the seam, or beside missing paper.
    const isSeam = owner[i] !== 0 && second[i]! <= SEAM_PX + 0.5
    if (isMissing || isSeam) mask[i] = 1
  }
  const missing = mask.map((value, i) => (value === 1 && owner[i] === 0 ? 1 : 0))
  const fromMissing = missing.includes(1) ? distanceFrom(missing, width, height) : null
  if (fromMissing) for (let i = 0; i < mask.length; i++) if (owner[i] !== 0 && fromMissing[i]! <= SEAM_PX) mask[i] = 1
  return outlinesOfMask(mask, width, height).filter(({ points }) => points.length >= LEAST_GAP)
}
