import { unzlibSync, zlibSync } from 'fflate'
import { gaussianBlur } from '../../raster/blur.js'
import { discExtreme } from '../../kernels/filters/extremes.js'
import { clipRegion, growRegion, type Plane, type Region } from '../../raster/raster.js'
import type { Area, AreaPart, MaskPart, RangePart, SlopePart } from '../../treatment/schema.js'
import { layShapePart } from './area.js'
import { scaleShape } from '../shape.js'

/** CIELAB of the mended picture over a region of a level, three values a pixel. */
export type ReadLab = (region: Region) => Float32Array

/** A soft edge is as wide as this many deviations of the Gaussian that makes it. */
const EDGE_DEVIATIONS = 3.3

/** How far beyond a region a zone looks at pixels, in pixels of the level. */
export function zoneReach(zone: Area, level: number): number {
  if (zone.parts.every((part) => 'shape' in part || 'slope' in part)) return 0
  const soft = Math.max(zone.softEdgePx, ...zone.parts.map(({ softEdgePx }) => softEdgePx ?? 0))
  return Math.ceil(((soft / EDGE_DEVIATIONS) * 3 + Math.abs(zone.movedPx ?? 0)) / 2 ** level) + 2
}

/**
 * Cover of a zone, 0..1, over a region of a level: its parts one after another, then inverted.
 *
 * Shapes are moved and softened by the distance from their outline; ranges and imported pictures by a running extreme
 * over a disc and a Gaussian. An inverted zone is moved the other way, so that "outward" always means more of it.
 *
 * @param region  In pixels of the level, inside the picture.
 * @param size    Of the level.
 */
export function zoneCover(zone: Area, region: Region, level: number, size: { readonly width: number; readonly height: number }, readLab: ReadLab): Float32Array {
  const scale = 2 ** -level
  const cover = new Float32Array(region.width * region.height)
  const moved = (zone.inverted ? -1 : 1) * (zone.movedPx ?? 0) * scale
  for (const part of zone.parts) {
    const soft = (part.softEdgePx ?? zone.softEdgePx) * scale
    if ('shape' in part) {
      layShapePart(cover, region, { ...part, shape: scaleShape(part.shape, scale), softEdgePx: soft }, soft, moved)
      continue
    }
    const covered = 'slope' in part ? slopeCover(part, region, scale) : movedAndSoftened(part, region, size, readLab, part.mode === 'add' ? moved : -moved, soft)
    const { mode, strength = 1 } = part
    for (let i = 0; i < cover.length; i++) cover[i] = mode === 'add' ? Math.max(cover[i]!, strength * covered[i]!) : Math.min(cover[i]!, 1 - strength * covered[i]!)
  }
  if (zone.inverted) for (let i = 0; i < cover.length; i++) cover[i] = 1 - cover[i]!
  return cover
}

function slopeCover({ slope }: SlopePart, region: Region, scale: number): Float32Array {
  const result = new Float32Array(region.width * region.height)
  for (let y = 0, i = 0; y < region.height; y++) {
    const py = (region.y + y + 0.5) / scale
    for (let x = 0; x < region.width; x++, i++) {
      const px = (region.x + x + 0.5) / scale
      if (slope.type === 'radial') {
        const distance = Math.sqrt((px - slope.x) * (px - slope.x) + (py - slope.y) * (py - slope.y))
        const fade = Math.max(1e-6, slope.outerPx - slope.innerPx)
        result[i] = Math.max(0, Math.min(1, (slope.outerPx - distance) / fade))
      } else {
        const [dx, dy] = [slope.to[0] - slope.from[0], slope.to[1] - slope.from[1]]
        const along = ((px - slope.from[0]) * dx + (py - slope.from[1]) * dy) / Math.max(1e-6, dx * dx + dy * dy)
        result[i] = Math.max(0, Math.min(1, 1 - along))
      }
    }
  }
  return result
}

function movedAndSoftened(part: RangePart | MaskPart, region: Region, size: { readonly width: number; readonly height: number }, readLab: ReadLab, moved: number, soft: number): Float32Array {
  const deviation = soft / EDGE_DEVIATIONS
  const margin = Math.ceil(3 * deviation + Math.abs(moved)) + 1
  const wide = clipRegion(growRegion(region, margin), size.width, size.height)
  let plane: Plane = { width: wide.width, height: wide.height, data: 'range' in part ? rangeCover(part, readLab(wide)) : maskCover(part, wide, size) }
  if (moved !== 0) plane = discExtreme(plane, Math.abs(moved), moved > 0 ? 'greatest' : 'least')
  if (deviation > 0.2) plane = gaussianBlur(plane, deviation)
  const result = new Float32Array(region.width * region.height)
  for (let y = 0; y < region.height; y++) {
    const from = (y + region.y - wide.y) * wide.width + region.x - wide.x
    result.set(plane.data.subarray(from, from + region.width), y * region.width)
  }
  return result
}

function rangeCover({ range }: RangePart, lab: Float32Array): Float32Array {
  const result = new Float32Array(lab.length / 3)
  const fade = Math.max(1e-3, range.fade)
  for (let i = 0; i < result.length; i++) {
    const [l, a, b] = [lab[3 * i]!, lab[3 * i + 1]!, lab[3 * i + 2]!]
    let outside: number
    if (range.type === 'tone') outside = Math.max(range.from - l, l - range.to)
    else {
      let nearest = Infinity
      for (const [sl, sa, sb] of range.samples) nearest = Math.min(nearest, (l - sl) * (l - sl) + (a - sa) * (a - sa) + (b - sb) * (b - sb))
      outside = Math.sqrt(nearest) - range.within
    }
    result[i] = Math.max(0, Math.min(1, 1 - outside / fade))
  }
  return result
}

const unpackedMasks = new WeakMap<MaskPart['mask'], Uint8Array>()

/** An imported picture at a level: the mean of what lies under a pixel, straight lines between where it is enlarged. */
function maskCover({ mask }: MaskPart, region: Region, size: { readonly width: number; readonly height: number }): Float32Array {
  let values = unpackedMasks.get(mask)
  if (!values) unpackedMasks.set(mask, (values = unpackMask(mask)))
  const { width, height } = mask
  const [across, down] = [width / size.width, height / size.height]
  const result = new Float32Array(region.width * region.height)
  const at = (x: number, y: number) => values[Math.max(0, Math.min(height - 1, y)) * width + Math.max(0, Math.min(width - 1, x))]! / 255
  for (let y = 0, i = 0; y < region.height; y++) {
    for (let x = 0; x < region.width; x++, i++) {
      const [left, top] = [(region.x + x) * across, (region.y + y) * down]
      if (across <= 1 && down <= 1) {
        const [px, py] = [left + across / 2 - 0.5, top + down / 2 - 0.5]
        const [ix, iy] = [Math.floor(px), Math.floor(py)]
        const [fx, fy] = [px - ix, py - iy]
        result[i] = (at(ix, iy) * (1 - fx) + at(ix + 1, iy) * fx) * (1 - fy) + (at(ix, iy + 1) * (1 - fx) + at(ix + 1, iy + 1) * fx) * fy
        continue
      }
      let [sum, count] = [0, 0]
      for (let sy = Math.floor(top); sy < Math.max(top + down, Math.floor(top) + 1); sy++) {
        for (let sx = Math.floor(left); sx < Math.max(left + across, Math.floor(left) + 1); sx++, count++) sum += at(sx, sy)
      }
      result[i] = sum / count
    }
  }
  return result
}

/** A grey picture as it stands in a treatment. @param values  0..255 row by row. */
export function packMask(width: number, height: number, values: Uint8Array): MaskPart['mask'] {
  const differences = new Uint8Array(values.length)
  for (let i = 0; i < values.length; i++) differences[i] = values[i]! - (i >= width ? values[i - width]! : 0)
  const bytes = zlibSync(differences, { level: 9 })
  let text = ''
  for (let i = 0; i < bytes.length; i += 8192) text += String.fromCharCode(...bytes.subarray(i, i + 8192))
  return { width, height, packed: btoa(text) }
}

/** @throws {RangeError} when what is packed is not of the size it says. */
export function unpackMask({ width, height, packed }: MaskPart['mask']): Uint8Array {
  // One byte more than there should be, so that what unpacks to more is noticed and never fills the memory.
  const values = unzlibSync(Uint8Array.from(atob(packed), (character) => character.charCodeAt(0)), { out: new Uint8Array(width * height + 1) })
  if (values.length !== width * height) throw new RangeError(`A mask of ${width} x ${height} holds ${values.length} values.`)
  for (let i = width; i < values.length; i++) values[i]! += values[i - width]!
  return values
}

/** Parts that only shapes can be: a guard must not depend on pixels. */
export const isShapeArea = (area: Pick<Area, 'parts' | 'inverted'>): boolean => !area.inverted && area.parts.every((part: AreaPart) => 'shape' in part)
