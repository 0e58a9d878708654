import { PI, sin } from '../numbers/exact-math.js'
import type { Region, FloatRaster } from '../raster/raster.js'

/** Lobes of the Lanczos kernel on each side, and steps of its table in one lobe. */
const LOBES = 3
const STEPS = 1024

/**
 * The Lanczos kernel of three lobes, tabulated: sinc(x) sinc(x/3), 0 beyond 3 (Duchon 1979, "Lanczos filtering in one and
 * two dimensions"). Flat at the middle and 0 at every other whole number, so a shift by whole pixels copies exactly.
 */
const KERNEL = (() => {
  const table = new Float64Array(LOBES * STEPS + 2)
  table[0] = 1
  for (let i = 1; i < LOBES * STEPS; i++) {
    const x = (PI * i) / STEPS
    table[i] = i % STEPS === 0 ? 0 : (LOBES * sin(x) * sin(x / LOBES)) / (x * x)
  }
  return table
})()

function kernel(x: number): number {
  const at = Math.abs(x) * STEPS
  if (at >= LOBES * STEPS) return 0
  const i = Math.floor(at)
  return KERNEL[i]! + (KERNEL[i + 1]! - KERNEL[i]!) * (at - i)
}

/** Where a place of the result comes from, both in pixels with centres at .5. */
export type Mapping = (x: number, y: number) => readonly [number, number]

/**
 * Where the pixels of a result come from, and how many pixels of the source lie on one of them: a number where that is the
 * same everywhere, else by the place, so that a pixel does not depend on the region it is made with.
 */
export interface Frame {
  readonly mapping: Mapping
  readonly scale: number | ((x: number, y: number) => number)
}

/** Pixels of the source on one pixel of the result, at a place of the result. */
export function scaleOf(mapping: Mapping, x: number, y: number): number {
  const [ax, ay] = mapping(x - 0.5, y)
  const [bx, by] = mapping(x + 0.5, y)
  const [cx, cy] = mapping(x, y - 0.5)
  const [dx, dy] = mapping(x, y + 0.5)
  const length = (a: number, b: number) => Math.sqrt(a * a + b * b)
  return Math.max(length(bx - ax, by - ay), length(dx - cx, dy - cy))
}

/** The scale between the places where a region is probed may be so much larger than at them. */
const BETWEEN = 1.1

/** What a region of the result reads of the source, generously: bounds of its mapped places and how far the kernel reaches. */
export function sourceRegion(region: Region, { mapping, scale }: Frame): Region {
  let largest = typeof scale === 'number' ? scale : 0
  let [left, top, right, bottom] = [Infinity, Infinity, -Infinity, -Infinity]
  for (let i = 0; i <= 16; i++) {
    for (let j = 0; j <= 16; j++) {
      const [px, py] = [region.x + (region.width * i) / 16, region.y + (region.height * j) / 16]
      const [x, y] = mapping(px, py)
      if (typeof scale !== 'number') largest = Math.max(largest, BETWEEN * scale(px, py))
      left = Math.min(left, x)
      right = Math.max(right, x)
      top = Math.min(top, y)
      bottom = Math.max(bottom, y)
    }
  }
  const reach = Math.ceil(LOBES * Math.max(1, largest)) + 1
  const x = Math.floor(left) - reach
  const y = Math.floor(top) - reach
  return { x, y, width: Math.ceil(right) + reach - x, height: Math.ceil(bottom) + reach - y }
}

/**
 * Resample a picture through a mapping, once, with a Lanczos kernel of three lobes.
 *
 * @param region  Pixels of the result.
 * @param frame   Where it comes from; where its scale is above 1 the kernel is stretched, so that nothing aliases.
 * @param source  A part of the source picture.
 * @param at      Where that part begins in the source.
 * @param picture Size of the whole source; what lies outside is white, half a pixel at its edge is its edge.
 * @returns Values clamped to 0..1.
 */
export function resample(region: Region, frame: Frame, source: FloatRaster, at: { x: number; y: number }, picture: { width: number; height: number }): FloatRaster {
  const { channels } = source
  const result = new Float32Array(region.width * region.height * channels)
  if (isSeparable(region, frame)) resampleAxes(region, frame, source, at, picture, result)
  else resamplePlaces(region, frame, source, at, picture, result)
  return { width: region.width, height: region.height, channels, data: result }
}

/** Weights of the pixels along one axis that a place reads, and where these lie. */
class Taps {
  readonly weights: Float64Array
  readonly places: Int32Array
  count = 0
  sum = 0

  constructor(reach: number) {
    this.weights = new Float64Array(2 * Math.ceil(reach) + 2)
    this.places = new Int32Array(this.weights.length)
  }

  /**
   * @param place   On the axis of the source, pixel centres at .5.
   * @param size    Pixels of the source along the axis: beyond its ends its last pixel goes on.
   * @param origin  Where the part that is at hand begins.
   * @param step    Samples from one pixel to the next.
   */
  set(place: number, stretch: number, size: number, origin: number, step: number): void {
    const middle = place - 0.5
    const first = Math.ceil(middle - LOBES * stretch)
    const last = Math.floor(middle + LOBES * stretch)
    this.count = 0
    this.sum = 0
    for (let i = first; i <= last; i++) {
      const weight = kernel((i - middle) / stretch)
      if (weight === 0) continue
      this.weights[this.count] = weight
      this.places[this.count] = ((i < 0 ? 0 : i > size - 1 ? size - 1 : i) - origin) * step
      this.sum += weight
      this.count++
    }
  }
}

type Part = readonly [region: Region, frame: Frame, source: FloatRaster, at: { x: number; y: number }, picture: { width: number; height: number }, result: Float32Array]

/** Place by place, each with weights of its own. */
function resamplePlaces(...[region, { mapping, scale }, source, at, picture, result]: Part): void {
  const { channels, data } = source
  let room = typeof scale === 'number' ? LOBES * Math.max(1, scale) : 0
  let [across, down] = [new Taps(room), new Taps(room)]
  for (let y = 0; y < region.height; y++) {
    for (let x = 0; x < region.width; x++) {
      const [sx, sy] = mapping(region.x + x + 0.5, region.y + y + 0.5)
      const to = (y * region.width + x) * channels
      if (!(sx >= 0 && sy >= 0 && sx <= picture.width && sy <= picture.height)) {
        result.fill(1, to, to + channels)
        continue
      }
      const stretch = Math.max(1, typeof scale === 'number' ? scale : scale(region.x + x + 0.5, region.y + y + 0.5))
      if (LOBES * stretch > room) {
        room = LOBES * stretch
        ;[across, down] = [new Taps(room), new Taps(room)]
      }
      across.set(sx, stretch, picture.width, at.x, channels)
      down.set(sy, stretch, picture.height, at.y, source.width * channels)
      const { weights, places, count } = across
      let red = 0
      let green = 0
      let blue = 0
      for (let row = 0; row < down.count; row++) {
        const line = down.places[row]!
        let r = 0
        let g = 0
        let b = 0
        if (channels === 3) {
          for (let k = 0; k < count; k++) {
            const from = line + places[k]!
            const weight = weights[k]!
            r += weight * data[from]!
            g += weight * data[from + 1]!
            b += weight * data[from + 2]!
          }
        } else for (let k = 0; k < count; k++) r += weights[k]! * data[line + places[k]!]!
        const weight = down.weights[row]!
        red += weight * r
        green += weight * g
        blue += weight * b
      }
      const total = across.sum * down.sum
      result[to] = clamped(red / total)
      if (channels === 3) {
        result[to + 1] = clamped(green / total)
        result[to + 2] = clamped(blue / total)
      }
    }
  }
}

const clamped = (value: number) => (value < 0 ? 0 : value > 1 ? 1 : value)

/** Whether columns of the result come from columns of the source and rows from rows: a size, a crop, and no turn. */
function isSeparable(region: Region, { mapping, scale }: Frame): boolean {
  if (typeof scale !== 'number') return false
  for (let i = 0; i <= 4; i++) {
    for (let j = 0; j <= 4; j++) {
      const [px, py] = [region.x + (region.width * i) / 4, region.y + (region.height * j) / 4]
      const [x, y] = mapping(px, py)
      if (x !== mapping(px, region.y)[0] || y !== mapping(region.x, py)[1]) return false
    }
  }
  return true
}

/** Along the rows first, each row of the source once, then down the columns: the same sums in the same order. */
function resampleAxes(...[region, { mapping, scale }, source, at, picture, result]: Part): void {
  const { channels, data } = source
  const stretch = Math.max(1, scale as number)
  const samples = region.width * channels
  // The taps of all columns in one list: the loops below are most of what a smaller file costs.
  const room = 2 * Math.ceil(LOBES * stretch) + 2
  const [weights, places] = [new Float64Array(room * region.width), new Int32Array(room * region.width)]
  const counts = new Int32Array(region.width)
  const totals = new Float64Array(region.width)
  const inside = new Uint8Array(region.width)
  const taps = new Taps(LOBES * stretch)
  for (let x = 0; x < region.width; x++) {
    const [place] = mapping(region.x + x + 0.5, region.y + 0.5)
    taps.set(place, stretch, picture.width, at.x, channels)
    weights.set(taps.weights.subarray(0, taps.count), x * room)
    places.set(taps.places.subarray(0, taps.count), x * room)
    counts[x] = taps.count
    totals[x] = taps.sum
    inside[x] = place >= 0 && place <= picture.width ? 1 : 0
  }
  const rowBelow = source.width * channels
  const along = new Map<number, Float64Array>()
  const alongRow = (line: number): Float64Array => {
    const kept = along.get(line)
    if (kept) return kept
    const row = new Float64Array(samples)
    sumAlong(row, data, line, weights, places, counts, room, channels)
    along.set(line, row)
    return row
  }
  const down = new Taps(LOBES * stretch)
  const sums = new Float64Array(samples)
  for (let y = 0; y < region.height; y++) {
    const place = mapping(region.x + 0.5, region.y + y + 0.5)[1]
    const to = y * samples
    if (!(place >= 0 && place <= picture.height)) {
      result.fill(1, to, to + samples)
      continue
    }
    down.set(place, stretch, picture.height, at.y, rowBelow)
    sums.fill(0)
    for (let row = 0; row < down.count; row++) {
      addWeighted(sums, alongRow(down.places[row]!), down.weights[row]!)
    }
    // Rows above what is still read are done with.
    for (const line of along.keys()) if (line < down.places[0]!) along.delete(line)
    for (let x = 0; x < region.width; x++) {
      const total = totals[x]! * down.sum
      for (let i = x * channels; i < (x + 1) * channels; i++) result[to + i] = inside[x] === 1 ? clamped(sums[i]! / total) : 1
    }
  }
}

/** One row of the source through the taps of all columns. Everything it reads is handed in: captured values would be looked up anew in every turn of the loop. */
function sumAlong(row: Float64Array, data: Float32Array, line: number, weights: Float64Array, places: Int32Array, counts: Int32Array, room: number, channels: number): void {
  const width = counts.length
  if (channels === 3) {
    for (let x = 0; x < width; x++) {
      let r = 0
      let g = 0
      let b = 0
      for (let k = x * room, end = k + counts[x]!; k < end; k++) {
        const from = line + places[k]!
        const weight = weights[k]!
        r += weight * data[from]!
        g += weight * data[from + 1]!
        b += weight * data[from + 2]!
      }
      row[3 * x] = r
      row[3 * x + 1] = g
      row[3 * x + 2] = b
    }
    return
  }
  for (let x = 0; x < width; x++) {
    for (let c = 0; c < channels; c++) {
      let sum = 0
      for (let k = x * room, end = k + counts[x]!; k < end; k++) sum += weights[k]! * data[line + places[k]! + c]!
      row[x * channels + c] = sum
    }
  }
}

function addWeighted(sums: Float64Array, values: Float64Array, weight: number): void {
  for (let i = 0; i < sums.length; i++) sums[i] = sums[i]! + weight * values[i]!
}
