import type { Region } from '../raster/raster.js'

/** Pixels of a rectangle down to which it is not halved any more. */
const FEW_PIXELS = 16

export type Path = readonly (readonly [number, number])[]

interface PathVisit {
  /** Is a part of no interest, of which no pixel is further away than this? */
  readonly skip?: (left: number, top: number, width: number, height: number, furthest: number) => boolean
  /** Told of each small part which segments its pixels may be nearest to. */
  readonly leaf: (left: number, top: number, width: number, height: number, nearest: Int32Array) => void
}

/**
 * Halve a region again and again, and keep for each part only those segments that may be the nearest of one of its pixels:
 * an outline along pixels has thousands.
 */
export function visitParts(segments: Float64Array, region: Region, reach: number, { skip, leaf }: PathVisit): void {
  const all = segments.length / 5
  const distances = new Float64Array(all)
  // What each part keeps lies behind what the whole of it keeps.
  let kept = new Int32Array(8 * all + 64)
  for (let n = 0; n < all; n++) kept[n] = n
  const visit = (left: number, top: number, width: number, height: number, from: number, to: number): void => {
    const radius = Math.sqrt((width - 1) * (width - 1) + (height - 1) * (height - 1)) / 2
    const x = region.x + left + width / 2
    const y = region.y + top + height / 2
    let least = reach
    for (let n = from; n < to; n++) {
      const distance = Math.sqrt(squareTo(segments, kept[n]!, x, y))
      distances[n - from] = distance
      if (distance < least) least = distance
    }
    // A thousandth of a pixel more than the triangle inequality asks, for rounding.
    if (skip?.(left, top, width, height, least + radius + 1e-3)) return
    if (kept.length < 2 * to - from) {
      const longer = new Int32Array(2 * kept.length)
      longer.set(kept)
      kept = longer
    }
    let end = to
    for (let n = from; n < to; n++) if (distances[n - from]! <= least + 2 * radius + 1e-3) kept[end++] = kept[n]!
    if (width * height <= FEW_PIXELS || end - to <= 1) return leaf(left, top, width, height, kept.subarray(to, end))
    const half = Math.max(width, height) >> 1
    if (width >= height) {
      visit(left, top, half, height, to, end)
      visit(left + half, top, width - half, height, to, end)
    } else {
      visit(left, top, width, half, to, end)
      visit(left, top + half, width, height - half, to, end)
    }
  }
  if (region.width > 0 && region.height > 0) visit(0, 0, region.width, region.height, 0, all)
}

/**
 * Distances of pixel centres to the nearest of some paths, no larger than the reach.
 *
 * @param near  Those below it are at most this, and not exact: the middle of a broad stroke costs nothing.
 */
export function distancesToPaths(paths: readonly Path[], closed: boolean, region: Region, reach: number, near: number, into: Float32Array): void {
  const segments = segmentsOf(paths, closed)
  visitParts(segments, region, reach, {
    skip: (left, top, width, height, furthest) => {
      if (furthest > near) return false
      for (let y = top; y < top + height; y++) into.fill(near, y * region.width + left, y * region.width + left + width)
      return true
    },
    leaf: (left, top, width, height, nearest) => {
      for (let y = top; y < top + height; y++) {
        const row = y * region.width
        if (nearest.length === 0) into.fill(reach, row + left, row + left + width)
        else for (let x = left; x < left + width; x++) into[row + x] = nearestOf(segments, nearest, region.x + x + 0.5, region.y + y + 0.5, reach)
      }
    },
  })
}

/** Distance to the nearest of some segments, no larger than the reach. */
export function nearestOf(segments: Float64Array, nearest: Int32Array, x: number, y: number, reach: number): number {
  let square = reach * reach
  for (let n = 0; n < nearest.length; n++) {
    const here = squareTo(segments, nearest[n]!, x, y)
    if (here < square) square = here
  }
  return Math.sqrt(square)
}

/** Square of the distance to a segment. */
function squareTo(segments: Float64Array, segment: number, x: number, y: number): number {
  const k = 5 * segment
  const ax = segments[k]!
  const ay = segments[k + 1]!
  const dx = segments[k + 2]!
  const dy = segments[k + 3]!
  const length = segments[k + 4]!
  const t = length === 0 ? 0 : Math.max(0, Math.min(1, ((x - ax) * dx + (y - ay) * dy) / length))
  const ex = x - ax - t * dx
  const ey = y - ay - t * dy
  return ex * ex + ey * ey
}

/** Start and direction of each segment, and the square of its length: five numbers a segment. */
export function segmentsOf(paths: readonly Path[], closed: boolean): Float64Array {
  const numbers: number[] = []
  for (const points of paths) {
    for (let i = closed || points.length === 1 ? 0 : 1; i < points.length; i++) {
      const [ax, ay] = points[(i + points.length - 1) % points.length]!
      const [bx, by] = points[i]!
      numbers.push(ax, ay, bx - ax, by - ay, (bx - ax) * (bx - ax) + (by - ay) * (by - ay))
    }
  }
  return Float64Array.from(numbers)
}

/** Which pixel centres lie within rings, holes left out: an odd number of crossings to the left (even-odd rule). */
export function insideRings(rings: readonly Path[], region: Region): Uint8Array {
  const { width, height } = region
  const inside = new Uint8Array(width * height)
  // Of an outline with thousands of corners only what meets the rows is asked for each of them.
  const sides: number[] = []
  for (const ring of rings) {
    for (let i = 0, j = ring.length - 1; i < ring.length; j = i++) {
      const ax = ring[i]![0]
      const ay = ring[i]![1]
      const bx = ring[j]![0]
      const by = ring[j]![1]
      if (ay !== by && Math.max(ay, by) > region.y && Math.min(ay, by) < region.y + height) sides.push(ax, ay, bx, by)
    }
  }
  for (let y = 0; y < height; y++) {
    const py = region.y + y + 0.5
    const crossings: number[] = []
    for (let k = 0; k < sides.length; k += 4) {
      const [ax, ay, bx, by] = [sides[k]!, sides[k + 1]!, sides[k + 2]!, sides[k + 3]!]
      if (ay > py !== by > py) crossings.push(((bx - ax) * (py - ay)) / (by - ay) + ax - region.x)
    }
    crossings.sort((a, b) => a - b)
    for (let k = 0; k + 1 < crossings.length; k += 2) {
      const first = Math.max(0, Math.floor(crossings[k]! + 0.5))
      for (let x = first; x < width && x + 0.5 <= crossings[k + 1]!; x++) if (x + 0.5 > crossings[k]!) inside[y * width + x] = 1
    }
  }
  return inside
}
