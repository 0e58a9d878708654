import { PI, cos, ln, sin } from '../../numbers/exact-math.js'
import { SourceArea, type CellGrid, type PlaceList } from '../../kernels/healing/source-area.js'
import { clipRegion, growRegion, overlaps, type PixelSource, type Region } from '../../raster/raster.js'
import { DEVIATION_PER_MAD, median } from '../../numbers/statistics.js'
import { distanceOutside, shapeBounds, shapeCentre, shapeThickness, type Disc, type Shape } from '../../shape/shape.js'
import { areaCoverage } from '../../shape/zone/area.js'
import type { Area } from '../../treatment/schema.js'
import { ringWidth } from './heal.js'
import { ringMatch, type RingMatch } from './ring-match.js'

/** A place to take pixels from. */
export interface SourceOffer {
  readonly dx: number
  readonly dy: number
  /** Lower is better; in deviations of the noise of the ring. */
  readonly cost: number
}

/** Distances from the place, in radii of the mend, near ones first. */
const DISTANCES = [2.15, 2.6, 3.2, 4, 5, 6.5]
const ANGLES = 24
/** Every second ring of places is turned by half a step, so that directions are covered evenly. */
const PLACES = DISTANCES.map((distance, ring) => {
  const directions = Array.from({ length: ANGLES }, (_value, k) => {
    const angle = (2 * PI * (k + (ring % 2) / 2)) / ANGLES
    return { x: cos(angle), y: sin(angle) }
  })
  return { distance, directions }
})
/** Cells across the radius of the mend at which candidates are compared. */
const WORKING_RADIUS = 6
/** Most cells of the ring that are compared with those of a candidate. */
const WITNESSES = 64

/**
 * Find places that a mend could take its pixels from, best first.
 *
 * @param picture    As mended so far.
 * @param shape      What is to be mended, soft edge included.
 * @param obstacles  Shapes no source may overlap: flaws still open.
 * @param guards     Areas no source may take from.
 * @param used       Sources already taken by neighbours; taking them again is charged for.
 * @returns Offers, cheapest first, no two alike; none when the picture has no room.
 *
 * The cost of a place is what is left of the difference on the ring round the mend after the best match of tone, how
 * far its fine texture and its structure differ from the ring's, and a little for distance.
 */
export function searchSources(picture: PixelSource, shape: Shape, obstacles: readonly Shape[], used: readonly { x: number; y: number }[] = [], guards: readonly Area[] = []): SourceOffer[] {
  const centre = shapeCentre(shape)
  // A long thin shape is moved by its thickness, not by its length.
  const r = shape.type === 'disc' ? Math.max(2, shape.r) : Math.max(3, shapeThickness(shape))
  const ring = ringWidth(r)
  const reach = Math.ceil(DISTANCES.at(-1)! * r + Math.max(2, centre.r) + ring + 2)
  const area = clipRegion({ x: Math.floor(centre.x) - reach, y: Math.floor(centre.y) - reach, width: 2 * reach, height: 2 * reach }, picture.width, picture.height)
  let factor = 1
  while (r / factor > WORKING_RADIUS * 1.4) factor *= 2
  const own = cellsOf(shape, area, factor, ring)
  if (own.ring.length < 6 || own.inside.length === 0) return []
  const pixels = new SourceArea(picture.read(area))
  const costOf = costOfPlaces(pixels, pixels.cells(factor), own)
  // Of thousands of flaws only few lie where a source is looked for.
  const within = growRegion(area, 2 * Math.max(ALIGN_REACH, factor))
  const near = obstacles.filter((obstacle) => overlaps(shapeBounds(obstacle), within))
  const bounds = growRegion(shapeBounds(shape), 1)
  const touches = touchTest(shape, near)
  const crossesGuard = guardTest(guards, shape, area)
  const free = (dx: number, dy: number) => {
    const left = bounds.x + dx
    const top = bounds.y + dy
    if (left < 0 || top < 0 || left + bounds.width > picture.width || top + bounds.height > picture.height) return false
    return !touches(dx, dy) && !crossesGuard(dx, dy)
  }
  const offers: SourceOffer[] = []
  for (const { distance, directions } of PLACES) {
    for (const { x, y } of directions) {
      const dx = Math.round((distance * r * x) / factor) * factor
      const dy = Math.round((distance * r * y) / factor) * factor
      if (!free(dx, dy)) continue
      const cost = costOf(dx / factor, dy / factor)
      if (cost === null) continue
      const again = used.some((place) => Math.abs(place.x - centre.x - dx) < r && Math.abs(place.y - centre.y - dy) < r) ? 0.6 : 0
      offers.push({ dx, dy, cost: cost + 0.04 * distance + again })
    }
  }
  offers.sort((a, b) => a.cost - b.cost || a.dy - b.dy || a.dx - b.dx)
  const refined = alignOffers(ringMatch(picture, shape, ring, area, ALIGN_WITNESSES, pixels), r, offers, factor, free)
  const distinct: SourceOffer[] = []
  for (const offer of refined) {
    if (distinct.every((other) => Math.abs(other.dx - offer.dx) + Math.abs(other.dy - offer.dy) > 0.6 * r)) distinct.push(offer)
  }
  return distinct
}

/** So many of the best offers are looked at pixel by pixel, beside the nearest of every direction. */
const ALIGNED = 8
/** How far an offer may be moved to fit better, in pixels. */
const ALIGN_REACH = 4
const ALIGN_WITNESSES = 96
/** Places nearer than this, in radii, are tried in every direction. */
const NEAREST = 2.8

/**
 * Move the best offers to where lines and edges that cross the ring run on, and put them in order anew.
 *
 * The search compares averaged cells: a hairline is lost in these, and an edge is met only to half a cell. So the nearest
 * places all round are tried too: one of them lies along whatever runs through the mend.
 */
function alignOffers(match: RingMatch | null, r: number, offers: SourceOffer[], factor: number, free: (dx: number, dy: number) => boolean): SourceOffer[] {
  if (!match) return offers
  const reach = Math.max(ALIGN_REACH, factor)
  const nearest = (offer: SourceOffer) => offer.dx * offer.dx + offer.dy * offer.dy < NEAREST * NEAREST * r * r
  const first: { offer: SourceOffer; rest: number }[] = []
  offers.forEach((offer, i) => {
    // Where another is moved about already, this one would be moved to the same place.
    if (i >= ALIGNED && (!nearest(offer) || first.some((one) => Math.abs(one.offer.dx - offer.dx) < reach && Math.abs(one.offer.dy - offer.dy) < reach))) return
    const rest = match.structureOfLight(offer.dx, offer.dy)
    if (rest !== null) first.push({ offer, rest })
  })
  if (first.length === 0) return offers
  const least = Math.max(1e-3, Math.min(...first.map(({ rest }) => rest)))
  const step = Math.max(1, Math.floor(reach / 2))
  const aligned = first.map(({ offer, rest }): SourceOffer => {
    let best = { dx: offer.dx, dy: offer.dy, rest }
    // From coarse to fine: a whole square of steps, then its neighbours.
    for (let size = step; size >= 1; size = Math.floor(size / 2)) {
      const from = best
      const span = size === step ? Math.floor(reach / step) : 1
      for (let y = -span; y <= span; y++) {
        for (let x = -span; x <= span; x++) {
          const [dx, dy] = [from.dx + x * size, from.dy + y * size]
          if ((x === 0 && y === 0) || !free(dx, dy)) continue
          const here = match.structureOfLight(dx, dy, best.rest)
          if (here !== null && here < best.rest) best = { dx, dy, rest: here }
        }
      }
    }
    // How much more is left than of the best, in shares of it: an edge that breaks is worth a rougher match elsewhere.
    return { dx: best.dx, dy: best.dy, cost: offer.cost + 2 * (best.rest / least - 1) }
  })
  aligned.sort((a, b) => a.cost - b.cost || a.dy - b.dy || a.dx - b.dx)
  const looked = new Set(first.map(({ offer }) => offer))
  return [...aligned, ...offers.filter((offer) => !looked.has(offer))]
}

/** Whether a shape moved by so many pixels takes from a guard; every pixel is looked at. */
function guardTest(guards: readonly Area[], shape: Shape, area: Region): (dx: number, dy: number) => boolean {
  const cover = areaCoverage(guards, area)
  if (!cover) return () => false
  const bounds = shapeBounds(shape)
  const inside = distanceOutside(shape, bounds, 1).data
  return (dx, dy) => {
    for (let y = 0; y < bounds.height; y++) {
      const row = bounds.y + dy + y - area.y
      if (row < 0 || row >= area.height) continue
      for (let x = 0; x < bounds.width; x++) {
        const column = bounds.x + dx + x - area.x
        if (column >= 0 && column < area.width && inside[y * bounds.width + x]! < 0 && cover.data[row * area.width + column]! > 0) return true
      }
    }
    return false
  }
}

/** Whether a shape moved by so many pixels shares ground with one of others: `shapesTouch` for many places. */
function touchTest(shape: Shape, others: readonly Shape[]): (dx: number, dy: number) => boolean {
  const bounds = shapeBounds(shape)
  const discs: Disc[] = []
  const boxes: Region[] = []
  for (const other of others) {
    if (shape.type === 'disc' && other.type === 'disc') discs.push(other)
    else boxes.push(shapeBounds(other))
  }
  const { x, y, r } = shapeCentre(shape)
  return (dx, dy) => {
    for (let k = 0; k < discs.length; k++) {
      const disc = discs[k]!
      const across = x + dx - disc.x
      const down = y + dy - disc.y
      if (across * across + down * down < (r + disc.r) * (r + disc.r)) return true
    }
    for (let k = 0; k < boxes.length; k++) {
      const box = boxes[k]!
      if (bounds.x + dx < box.x + box.width && box.x < bounds.x + dx + bounds.width && bounds.y + dy < box.y + box.height && box.y < bounds.y + dy + bounds.height) return true
    }
    return false
  }
}

interface Cells {
  /** Cell indices on the ring and inside, with the columns and rows to keep moved ones on the grid. */
  readonly ring: Int32Array
  readonly inside: Int32Array
  /** 1 for the cells inside. */
  readonly taken: Uint8Array
  readonly columns: readonly [number, number]
  readonly rows: readonly [number, number]
}

function cellsOf(shape: Shape, area: Region, factor: number, ringPx: number): Cells {
  const width = Math.floor(area.width / factor)
  const height = Math.floor(area.height / factor)
  const bounds = growRegion(shapeBounds(shape), ringPx + 1)
  const left = Math.max(0, Math.floor((bounds.x - area.x) / factor))
  const right = Math.min(width - 1, Math.ceil((bounds.x + bounds.width - area.x) / factor))
  const top = Math.max(0, Math.floor((bounds.y - area.y) / factor))
  const bottom = Math.min(height - 1, Math.ceil((bounds.y + bounds.height - area.y) / factor))
  const ring: number[] = []
  const inside: number[] = []
  const taken = new Uint8Array(width * height)
  const region: Region = { x: area.x + left * factor, y: area.y + top * factor, width: (right - left + 1) * factor, height: (bottom - top + 1) * factor }
  const distance = distanceOutside(shape, region, ringPx + factor + 2).data
  const middle = Math.floor(0.5 * factor)
  for (let row = top; row <= bottom; row++) {
    for (let column = left; column <= right; column++) {
      const d = distance[((row - top) * factor + middle) * region.width + (column - left) * factor + middle]!
      if (d < 0) {
        inside.push(row * width + column)
        taken[row * width + column] = 1
      }
      else if (d > 0.4 * factor && d < ringPx + factor) ring.push(row * width + column)
    }
  }
  return { ring: Int32Array.from(ring), inside: Int32Array.from(inside), taken, columns: [left, right], rows: [top, bottom] }
}

/** What it costs to take the pixels from so many cells further on; null where that cannot be. */
function costOfPlaces(pixels: SourceArea, grid: CellGrid, own: Cells): (dx: number, dy: number) => number | null {
  const noise = ringNoise(pixels.lightOf(grid), own.ring)
  const ring = pixels.list(own.ring)
  const inside = pixels.list(own.inside)
  const taken = pixels.marks(own.taken)
  const stride = Math.ceil(own.ring.length / WITNESSES)
  const witnesses = pixels.list(own.ring.filter((_cell, k) => k % stride === 0))
  const room = pixels.roomFor(witnesses)
  const ringTexture = pixels.meanTexture(grid, ring)
  const structureOf = (places: PlaceList, shift = 0) => pixels.meanStructure(grid, places, shift) / 2
  const ringStructure = structureOf(ring)
  return (dx, dy) => {
    if (own.columns[0] + dx < 0 || own.columns[1] + dx >= grid.columns || own.rows[0] + dy < 0 || own.rows[1] + dy >= grid.rows) return null
    const shift = dy * grid.columns + dx
    if (pixels.reachesMarked(taken, inside, shift)) return null
    const match = pixels.match(grid, witnesses, shift, noise, room)
    const texture = Math.abs(ln((pixels.meanTexture(grid, inside, shift) + 0.02 * ringTexture + 1e-6) / (1.02 * ringTexture + 1e-6)))
    const structure = Math.max(0, structureOf(inside, shift) - 1.3 * ringStructure) / noise
    return match + 1.5 * texture + 0.5 * Math.min(20, structure)
  }
}

/** Deviation of a cell on the ring against its neighbour. */
function ringNoise(tone: Float32Array, ring: Int32Array): number {
  const values = Float32Array.from(ring, (i) => Math.abs(tone[i]! - (tone[i + 1] ?? tone[i]!)))
  return Math.max(1e-3, DEVIATION_PER_MAD * median(values))
}
