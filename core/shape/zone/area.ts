import { clipRegion, growRegion, overlaps, type Plane, type Region } from '../../raster/raster.js'
import type { Area, ShapePart } from '../../treatment/schema.js'
import { distanceOutside, insideOutline, shapeBounds, type Shape } from '../shape.js'

const knownBounds = new WeakMap<Area, Region>()

/** The parts of an area that are shapes: all those of a guard. */
export const shapePartsOf = (area: Pick<Area, 'parts'>): ShapePart[] => area.parts.filter((part): part is ShapePart => 'shape' in part)

/** Smallest rectangle that holds all that the shapes of an area may cover. */
export function areaBounds(area: Area): Region {
  const known = knownBounds.get(area)
  if (known) return known
  const bounds = boundsOf(area)
  knownBounds.set(area, bounds)
  return bounds
}

function boundsOf(area: Area): Region {
  const moved = Math.max(0, Math.ceil(area.movedPx ?? 0))
  const boxes = shapePartsOf(area).filter((part) => part.mode === 'add').map((part) => growRegion(shapeBounds(part.shape), Math.ceil((part.softEdgePx ?? area.softEdgePx) / 2) + moved))
  if (boxes.length === 0) return { x: 0, y: 0, width: 0, height: 0 }
  const x = Math.min(...boxes.map((box) => box.x))
  const y = Math.min(...boxes.map((box) => box.y))
  return { x, y, width: Math.max(...boxes.map((box) => box.x + box.width)) - x, height: Math.max(...boxes.map((box) => box.y + box.height)) - y }
}

/** Whether an area may cover something of a region. */
export function areaReaches(area: Area, region: Region): boolean {
  return overlaps(areaBounds(area), region)
}

/**
 * How far each pixel of a region is covered by any of the areas, 0 to 1.
 *
 * A pixel whose centre lies inside is covered wholly when the edge is sharp; a soft edge fades half on either side of
 * the outline. Parts follow one another: what is taken away can be added again.
 *
 * @returns A plane of the region's size; null when no area comes near, which is the usual case.
 */
export function areaCoverage(areas: readonly Area[], region: Region): Plane | null {
  const near = areas.filter((area) => areaReaches(area, region))
  if (near.length === 0) return null
  const data = new Float32Array(region.width * region.height)
  for (const area of near) {
    const own = new Float32Array(data.length)
    for (const part of shapePartsOf(area)) layShapePart(own, region, part, area.softEdgePx, area.movedPx ?? 0)
    for (let i = 0; i < data.length; i++) data[i] = Math.max(data[i]!, own[i]!)
  }
  return { width: region.width, height: region.height, data }
}

/**
 * Add a shape to a cover, or take it away.
 *
 * @param cover       0..1 for each pixel of the region; changed in place.
 * @param softEdgePx  Width of the edge where the part has none of its own.
 * @param movedPx     How far the edge of the whole area is moved outward: what is taken away shrinks by as much.
 */
export function layShapePart(cover: Float32Array, region: Region, { mode, shape, strength = 1, softEdgePx: own }: ShapePart, softEdgePx: number, movedPx: number): void {
  const soft = own ?? softEdgePx
  const moved = mode === 'add' ? movedPx : -movedPx
  const box = growRegion(shapeBounds(shape), Math.ceil(soft / 2 + Math.max(0, moved)) + 1)
  const part = clipRegion({ ...box, x: box.x - region.x, y: box.y - region.y }, region.width, region.height)
  if (part.width === 0 || part.height === 0) return
  const covered = coverOf(shape, soft, moved, { ...part, x: part.x + region.x, y: part.y + region.y })
  for (let y = 0; y < part.height; y++) {
    for (let x = 0; x < part.width; x++) {
      const i = (y + part.y) * region.width + x + part.x
      const share = strength * covered[y * part.width + x]!
      cover[i] = mode === 'add' ? Math.max(cover[i]!, share) : Math.min(cover[i]!, 1 - share)
    }
  }
}

function coverOf(shape: Shape, softEdgePx: number, movedPx: number, region: Region): ArrayLike<number> {
  if (softEdgePx === 0 && movedPx === 0 && shape.type === 'outline') return insideOutline(shape, region)
  const reach = softEdgePx / 2 + Math.abs(movedPx) + 1
  const distances = distanceOutside(shape, region, reach, reach).data
  return distances.map((distance) => {
    const d = distance - movedPx
    return softEdgePx === 0 ? (d < 0 ? 1 : 0) : Math.max(0, Math.min(1, 0.5 - d / softEdgePx))
  })
}

/** Whether a shape covers the centre of a pixel that an area covers, if only in part. */
export function touchesArea(shape: Shape, areas: readonly Area[]): boolean {
  const bounds = shapeBounds(shape)
  const cover = areaCoverage(areas, bounds)
  if (!cover) return false
  const distance = distanceOutside(shape, bounds, 1, 1).data
  return cover.data.some((value, i) => value > 0 && distance[i]! < 0)
}

/** Whether every pixel of a shape lies wholly in the areas: there is nothing of it left to mend. */
export function liesWithin(shape: Shape, areas: readonly Area[]): boolean {
  const bounds = shapeBounds(shape)
  const cover = areaCoverage(areas, bounds)
  if (!cover) return false
  const distance = distanceOutside(shape, bounds, 1).data
  return cover.data.every((value, i) => value === 1 || distance[i]! >= 0)
}
