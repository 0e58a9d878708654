import { boxRound } from '../../shape/contour.js'
import { logTable } from '../../raster/log-light.js'
import { gaussianBlur } from '../../raster/blur.js'
import { medianCurve } from '../../numbers/median-curve.js'
import { clipRegion, growRegion, type PixelSource, type Region } from '../../raster/raster.js'
import { DEVIATION_PER_MAD, median } from '../../numbers/statistics.js'
import type { Transfer } from '../../raster/transfer.js'
import { roundTo } from '../../round.js'
import { distanceAt, distanceOutside, shapeBounds, type Shape } from '../../shape/shape.js'
import { measureStrength } from './gradient-loss.js'
import type { Tint } from './tint.js'

/** A fitted tint and what speaks for it. */
export interface TintFit {
  readonly tint: Tint
  /** Middle depth inside, in deviations of the same measure beside the stain. */
  readonly evidence: number
}

/** About so many knots are kept of a stain. */
const KNOTS = 5000
/** Least and most pixels around a stain that say which colour a tone has, as many as it is large. */
const LEAST_AROUND = 60
const MOST_AROUND = 500
/** Parts of the range of tones, each with as many cells. */
const TONES = 16
/** So far beyond its outline a stain is followed, in knots; over as many more what is left of it fades. */
const BEYOND = 3
/** Loss of red over the loss of blue against red: of rust and dried water about so much (common practice), give or take. */
const USUAL_RED = 0.4
const RED_DEVIATION = 0.25
/** Deviation of the Gaussian that takes the grain out of the depth, in knots. */
const SMOOTHED = 0.8
/** The depth was told by the red too, so that its grain is in both: smoothed away, in knots, before one is held against the other. */
const CALMED = 1.4
/** Gradients of a texture hang together: so many of them say as much as one. */
const WITNESSES = 12
/** What is fainter does not change a sample; depths are kept to twice of it. */
const LEAST_DEPTH = 5e-5
/** The tone that gives the colour is itself darkened by the stain: seen again with that taken off. */
const ROUNDS = 2

/**
 * What a stain takes of the light, on a print of one colour: there the blue and green that a tone has are known from
 * beside the stain, so that what is missing of them is the stain and no part of the picture, whatever the picture shows.
 * Only how much red it took is left to the gradients, as in `fitShadow`.
 *
 * @param picture   As mended so far.
 * @param transfer  Tables of its curve.
 * @param shape     Of the stain, as found or drawn.
 * @param others    Shapes of other open flaws: what lies in them does not say what is usual.
 * @returns The fit, its depth negative for a pale stain; null where there is no colour: one channel, or too little around to say what is usual.
 */
export function fitTint(picture: PixelSource, transfer: Transfer, shape: Shape, others: readonly Shape[] = []): TintFit | null {
  if (picture.channels < 3) return null
  const bounds = shapeBounds(shape)
  const around = Math.round(Math.max(LEAST_AROUND, Math.min(MOST_AROUND, Math.max(bounds.width, bounds.height))))
  const region = clipRegion(growRegion(bounds, around), picture.width, picture.height)
  const spacing = Math.max(2, Math.ceil(Math.sqrt((bounds.width * bounds.height) / KNOTS)))
  const cells = cellsOf(picture, transfer, region, spacing, distanceOutside(shape, region, (2 * BEYOND + 2) * spacing).data)
  const flawed = flawedCells(others, region, spacing, cells)
  const beside = indicesWhere(cells.distance, (d) => d > BEYOND * spacing).filter((i) => flawed[i] === 0)
  const inside = indicesWhere(cells.distance, (d) => d < 0)
  if (beside.length < 8 * TONES || inside.length === 0) return null
  const { red, green, blue } = cells
  let depth = new Float32Array(red.length)
  let channels = [0, 0, 0]
  let evidence = 0
  for (let round = 0; round < ROUNDS; round++) {
    const tone = red.map((value, i) => value + channels[0]! * depth[i]!)
    const missing = [green, blue].map((plane) => {
      const usual = medianCurve(pick(tone, beside), Float32Array.from(beside, (i) => tone[i]! - plane[i]!), TONES)
      return tone.map((value, i) => red[i]! - plane[i]! - usual(value))
    }) as [Float32Array, Float32Array]
    const spread = missing.map((plane) => Math.max(1e-3, DEVIATION_PER_MAD * median(pickFar(plane, beside))))
    const [inGreen, inBlue] = missing.map((plane) => median(pick(plane, inside))) as [number, number]
    if (inBlue === 0) return null
    // Green sees a share of what blue sees; both together are less noisy than either.
    const share = Math.max(0, Math.min(1.5, inGreen / inBlue))
    const [sayOfGreen, sayOfBlue] = [(share * share) / spread[0]! ** 2, 1 / spread[1]! ** 2]
    const both = missing[1].map((value, i) => (value * sayOfBlue + (share > 0 ? (missing[0][i]! / share) * sayOfGreen : 0)) / (sayOfBlue + sayOfGreen))
    const smooth = gaussianBlur({ width: cells.columns, height: cells.rows, data: both }, SMOOTHED).data
    const noise = Math.max(1e-3, DEVIATION_PER_MAD * median(pickFar(smooth, beside)))
    evidence = median(pickFar(smooth, inside)) / noise
    depth = smooth.map((value, i) => value * fading(cells.distance[i]! / spacing - BEYOND) * shrink(value / noise))
    const lost = redLost(red, depth, cells.columns, cells.rows)
    channels = [lost, lost + share, lost + 1]
  }
  const touched = indicesWhere(depth, (value) => Math.abs(value) >= LEAST_DEPTH)
  if (touched.length === 0) return null
  const box = boxRound(touched, cells.columns, cells.rows, 0)
  const fine = (value: number) => roundTo(value, 4)
  return {
    evidence,
    tint: {
      x: region.x + (box.left + 0.5) * spacing,
      y: region.y + (box.top + 0.5) * spacing,
      spacing,
      columns: box.right - box.left,
      depth: Array.from({ length: (box.right - box.left) * (box.bottom - box.top) }, (_value, k) => fine(depth[(box.top + Math.floor(k / (box.right - box.left))) * cells.columns + box.left + (k % (box.right - box.left))]!)),
      channels: channels.map(fine),
    },
  }
}

interface Cells {
  readonly columns: number
  readonly rows: number
  /** Log light. */
  readonly red: Float32Array
  readonly green: Float32Array
  readonly blue: Float32Array
  /** Of their middles from the outline, in pixels; negative inside. */
  readonly distance: Float32Array
}

function cellsOf(picture: PixelSource, transfer: Transfer, region: Region, spacing: number, distance: Float32Array): Cells {
  const pixels = picture.read(region)
  const table = logTable(transfer)
  const columns = Math.floor(region.width / spacing)
  const rows = Math.floor(region.height / spacing)
  const meanOf = (c: number): Float32Array => {
    const plane = new Float32Array(columns * rows)
    for (let y = 0; y < rows * spacing; y++) {
      const row = Math.floor(y / spacing) * columns
      for (let x = 0; x < columns * spacing; x++) plane[row + Math.floor(x / spacing)]! += table[pixels.data[(y * region.width + x) * picture.channels + c]!]! / (spacing * spacing)
    }
    return plane
  }
  const half = spacing >> 1
  return {
    columns, rows, red: meanOf(0), green: meanOf(1), blue: meanOf(2),
    distance: Float32Array.from({ length: columns * rows }, (_value, i) => distance[(Math.floor(i / columns) * spacing + half) * region.width + (i % columns) * spacing + half]!),
  }
}

/** 1 for cells whose middle lies in one of the shapes. */
function flawedCells(shapes: readonly Shape[], region: Region, spacing: number, { columns, rows }: Cells): Uint8Array {
  const flawed = new Uint8Array(columns * rows)
  for (const shape of shapes) {
    const bounds = shapeBounds(shape)
    const first = { x: Math.max(0, Math.floor((bounds.x - region.x) / spacing)), y: Math.max(0, Math.floor((bounds.y - region.y) / spacing)) }
    const last = { x: Math.min(columns - 1, Math.floor((bounds.x + bounds.width - region.x) / spacing)), y: Math.min(rows - 1, Math.floor((bounds.y + bounds.height - region.y) / spacing)) }
    for (let y = first.y; y <= last.y; y++) {
      for (let x = first.x; x <= last.x; x++) if (distanceAt(shape, region.x + (x + 0.5) * spacing, region.y + (y + 0.5) * spacing) < spacing) flawed[y * columns + x] = 1
    }
  }
  return flawed
}

function indicesWhere(values: Float32Array, fits: (value: number) => boolean): Int32Array {
  return Int32Array.from(values.keys()).filter((i) => fits(values[i]!))
}

/** Some values of a plane. */
const pick = (plane: Float32Array, indices: Int32Array) => Float32Array.from(indices, (i) => plane[i]!)
/** And how far they are from nothing. */
const pickFar = (plane: Float32Array, indices: Int32Array) => Float32Array.from(indices, (i) => Math.abs(plane[i]!))

/** 1 up to the outline's surroundings, then falling smoothly to 0. */
function fading(beyond: number): number {
  const t = Math.max(0, Math.min(1, beyond / BEYOND))
  return 1 - t * t * (3 - 2 * t)
}

/** What is no stronger than noise is taken for noise. */
function shrink(deviations: number): number {
  const square = deviations * deviations
  return square / (square + 1)
}

/** How much red a stain took for each unit of its depth: what calms the gradients, drawn to what is usual by how little they say. */
function redLost(red: Float32Array, depth: Float32Array, columns: number, rows: number): number {
  const calm = (data: Float32Array) => gaussianBlur({ width: columns, height: rows, data }, CALMED).data
  const { strength, deviation } = measureStrength(calm(red), calm(depth), columns, rows)
  const doubt = WITNESSES * deviation * deviation
  const usual = RED_DEVIATION * RED_DEVIATION
  return Math.max(0, Math.min(1.5, (strength * usual + USUAL_RED * doubt) / (usual + doubt)))
}
