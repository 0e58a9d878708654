import { LOBES, resampledPart, type Places } from '../kernels/filters/resample.js'
import { clipRegion, crop, paste, type FloatRaster, type Region } from '../raster/raster.js'

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
  return readAround(left, top, right, bottom, largest)
}

/** What places within bounds read. */
function readAround(left: number, top: number, right: number, bottom: number, scale: number): Region {
  const reach = Math.ceil(LOBES * Math.max(1, scale)) + 1
  const [x, y] = [Math.floor(left) - reach, Math.floor(top) - reach]
  return { x, y, width: Math.ceil(right) + reach - x, height: Math.ceil(bottom) + reach - y }
}

/** Pixels of the result that are made together at most, and pixels of the source that they read, unless they are few: memory for more would be held on to. */
const [MOST_TOGETHER, MOST_READ, FEW] = [512 * 512, 4e6, 32 * 32]

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
  const result = { width: region.width, height: region.height, channels, data: new Float32Array(region.width * region.height * channels) }
  const isSeparable = hasOwnAxes(region, frame)
  const make = (tile: Region): void => {
    const isLarge = tile.width * tile.height > MOST_TOGETHER
    const made = isLarge ? null : tileFrom(tile, isSeparable ? axesOf(tile, frame) : placesOf(tile, frame, picture), source, at, picture)
    if (made) paste(result, made, tile.x - region.x, tile.y - region.y)
    else for (const half of halvesOf(tile)) make(half)
  }
  if (region.width > 0 && region.height > 0) make(region)
  return result
}

/** A tile of the result; null where it would read too much of the source at once. */
function tileFrom(tile: Region, places: Placed, source: FloatRaster, at: { x: number; y: number }, picture: { width: number; height: number }): FloatRaster | null {
  const isOutside = places.left > places.right
  const wanted = isOutside ? { x: 0, y: 0, width: 0, height: 0 } : readAround(places.left, places.top, places.right, places.bottom, places.scale)
  const part = clipRegion({ ...wanted, x: wanted.x - at.x, y: wanted.y - at.y }, source.width, source.height)
  if (part.width * part.height > MOST_READ && tile.width * tile.height > FEW) return null
  const { channels } = source
  const data = part.width > 0 && part.height > 0
    ? resampledPart({ block: crop(source, part) as FloatRaster, left: part.x + at.x, top: part.y + at.y, picture }, tile.width, tile.height, places.places)
    : new Float32Array(tile.width * tile.height * channels).fill(1)
  return { width: tile.width, height: tile.height, channels, data }
}

function halvesOf({ x, y, width, height }: Region): Region[] {
  if (width >= height) return [{ x, y, width: width >> 1, height }, { x: x + (width >> 1), y, width: width - (width >> 1), height }]
  return [{ x, y, width, height: height >> 1 }, { x, y: y + (height >> 1), width, height: height - (height >> 1) }]
}

/** Where the pixels of a tile come from, and the bounds of those places inside the picture. */
interface Placed {
  readonly places: Places
  readonly left: number
  readonly top: number
  readonly right: number
  readonly bottom: number
  /** The largest of the scales. */
  readonly scale: number
}

function placesOf(tile: Region, { mapping, scale }: Frame, picture: { width: number; height: number }): Placed {
  const count = tile.width * tile.height
  const pairs = new Float64Array(2 * count)
  const stretch = typeof scale === 'number' ? Math.max(1, scale) : new Float64Array(count).fill(1)
  let [left, top, right, bottom, largest] = [Infinity, Infinity, -Infinity, -Infinity, typeof stretch === 'number' ? stretch : 1]
  for (let i = 0; i < count; i++) {
    const [px, py] = [tile.x + (i % tile.width) + 0.5, tile.y + Math.floor(i / tile.width) + 0.5]
    const [x, y] = mapping(px, py)
    pairs[2 * i] = x
    pairs[2 * i + 1] = y
    // What lies outside is white, and reads nothing.
    if (!(x >= 0 && y >= 0 && x <= picture.width && y <= picture.height)) continue
    if (x < left) left = x
    if (x > right) right = x
    if (y < top) top = y
    if (y > bottom) bottom = y
    if (typeof stretch !== 'number') {
      stretch[i] = Math.max(1, (scale as (x: number, y: number) => number)(px, py))
      if (stretch[i]! > largest) largest = stretch[i]!
    }
  }
  return { places: { kind: 'each', pairs, stretch }, left, top, right, bottom, scale: largest }
}

function axesOf(tile: Region, { mapping, scale }: Frame): Placed {
  const stretch = Math.max(1, scale as number)
  const xs = Float64Array.from({ length: tile.width }, (_value, x) => mapping(tile.x + x + 0.5, tile.y + 0.5)[0])
  const ys = Float64Array.from({ length: tile.height }, (_value, y) => mapping(tile.x + 0.5, tile.y + y + 0.5)[1])
  const ends = (axis: Float64Array) => [Math.min(axis[0]!, axis.at(-1)!), Math.max(axis[0]!, axis.at(-1)!)] as const
  const [[left, right], [top, bottom]] = [ends(xs), ends(ys)]
  return { places: { kind: 'axes', xs, ys, stretch }, left, top, right, bottom, scale: stretch }
}

/** Whether columns of the result come from columns of the source and rows from rows: a size, a crop, and no turn. */
function hasOwnAxes(region: Region, { mapping, scale }: Frame): boolean {
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
