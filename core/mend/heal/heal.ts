import { clipRegion, growRegion, makeRaster, maximumOf, type PixelSource } from '../../raster/raster.js'
import { areaCoverage } from '../../shape/zone/area.js'
import { coverage, distanceOutside, shapeBounds, type Shape } from '../../shape/shape.js'
import type { Area, Source } from '../../treatment/schema.js'
import { donorRegion, isPlain, readDonor } from '../../shape/donor.js'
import type { Mended } from '../../check/mended.js'
import { solveMembrane } from './membrane.js'

/** What a heal or a clone needs to be made again. */
export interface Transplant {
  readonly shape: Shape
  /** Where the source lies, seen from the place. */
  readonly source: Source
  readonly softEdgePx: number
  /** 0..1 */
  readonly strength: number
  /** Areas whose pixels have no say. */
  readonly guarded?: readonly Area[]
}

/** Cells across a mend at which the membrane is solved. */
const WORKING_SIZE = 44

/** Width of the ring round a mend on which tones are compared, for a mend of radius r. */
export function ringWidth(r: number): number {
  return Math.max(3, Math.min(14, Math.round(0.35 * r)))
}

/**
 * Texture from a source, tone from the place.
 *
 * @param picture     As mended so far; the source must lie inside it.
 * @param transplant  Decisions.
 * @returns New pixels: source plus a membrane through the difference on a ring outside the mend.
 *
 * Perez, Gangnet and Blake 2003, with the membrane solved on averaged cells: it is smooth, so nothing is lost.
 */
export function heal(picture: PixelSource, transplant: Transplant): Mended {
  const { shape, softEdgePx, strength } = transplant
  const bounds = shapeBounds(shape)
  const ring = ringWidth(Math.min(bounds.width, bounds.height) / 2)
  const region = clipRegion(growRegion(bounds, Math.ceil(softEdgePx / 2) + ring + 1), picture.width, picture.height)
  const source = donorRegion(region, shape, transplant.source)
  const plain = isPlain(transplant.source)
  const place = picture.read(region)
  const donor = readDonor(picture, region, shape, transplant.source)
  const guarded = transplant.guarded ?? []
  // Beyond the edge of a guard tones are another thing's, here and at the source.
  const guardHere = areaCoverage(guarded, region)?.data
  const guardThere = plain ? areaCoverage(guarded, source)?.data : undefined
  const distance = distanceOutside(shape, region, softEdgePx / 2 + ring + 2)
  const cover = coverage(distance, softEdgePx)
  const { channels } = picture
  const maximum = maximumOf(picture.depth)

  let factor = 1
  while (Math.max(region.width, region.height) / factor > WORKING_SIZE) factor *= 2
  const width = Math.ceil(region.width / factor)
  const height = Math.ceil(region.height / factor)
  const domain = new Uint8Array(width * height)
  const say = new Float32Array(width * height)
  const counts = new Float32Array(width * height)
  const sums = Array.from({ length: channels }, () => new Float32Array(width * height))
  const inner = Math.max(0.5, softEdgePx / 2)
  for (let y = 0; y < region.height; y++) {
    for (let x = 0; x < region.width; x++) {
      const i = y * region.width + x
      const cell = Math.floor(y / factor) * width + Math.floor(x / factor)
      const d = distance.data[i]!
      if (d <= inner + ring) domain[cell] = 1
      if (d < inner || d > inner + ring) continue
      if ((guardHere && guardHere[i]! > 0) || (guardThere && guardThere[i]! > 0)) continue
      // A source that would lie outside the picture says nothing about tone.
      const sx = source.x + x
      const sy = source.y + y
      if (plain && (sx < 0 || sy < 0 || sx >= picture.width || sy >= picture.height)) continue
      counts[cell]!++
      for (let c = 0; c < channels; c++) sums[c]![cell]! += place.data[i * channels + c]! - donor[i * channels + c]!
    }
  }
  for (let i = 0; i < say.length; i++) say[i] = counts[i]! / (factor * factor)
  for (const sum of sums) for (let i = 0; i < sum.length; i++) if (counts[i]! > 0) sum[i]! /= counts[i]! * maximum
  const surfaces = solveMembrane({ width, height, differences: sums, say, domain })

  const pixels = makeRaster(region.width, region.height, channels, picture.depth)
  pixels.data.set(place.data)
  const touched = new Uint8Array(region.width * region.height)
  for (let y = 0; y < region.height; y++) {
    for (let x = 0; x < region.width; x++) {
      const i = y * region.width + x
      const share = cover.data[i]! * strength
      if (share === 0) continue
      touched[i] = 1
      for (let c = 0; c < channels; c++) {
        const old = place.data[i * channels + c]!
        const tone = sampleSurface(surfaces[c]!, domain, width, height, (x + 0.5) / factor - 0.5, (y + 0.5) / factor - 0.5)
        const fresh = donor[i * channels + c]! + tone * maximum
        pixels.data[i * channels + c] = roundSample(old + (fresh - old) * share, maximum)
      }
    }
  }
  return { region, pixels, touched }
}

/** Straight copy from a source with a soft edge. */
export function clone(picture: PixelSource, transplant: Transplant): Mended {
  const region = clipRegion(growRegion(shapeBounds(transplant.shape), Math.ceil(transplant.softEdgePx / 2) + 1), picture.width, picture.height)
  const place = picture.read(region)
  const donor = readDonor(picture, region, transplant.shape, transplant.source)
  const cover = coverage(distanceOutside(transplant.shape, region, transplant.softEdgePx / 2 + 2), transplant.softEdgePx)
  const { channels } = picture
  const maximum = maximumOf(picture.depth)
  const pixels = makeRaster(region.width, region.height, channels, picture.depth)
  pixels.data.set(place.data)
  const touched = new Uint8Array(region.width * region.height)
  for (let i = 0; i < touched.length; i++) {
    const share = cover.data[i]! * transplant.strength
    if (share === 0) continue
    touched[i] = 1
    for (let c = 0; c < channels; c++) {
      const old = place.data[i * channels + c]!
      pixels.data[i * channels + c] = roundSample(old + (donor[i * channels + c]! - old) * share, maximum)
    }
  }
  return { region, pixels, touched }
}

export function roundSample(value: number, maximum: number): number {
  return Math.max(0, Math.min(maximum, Math.floor(value + 0.5)))
}

/** Bilinear value of the membrane; cells outside the domain are left out of the mean. */
function sampleSurface(surface: Float32Array, domain: Uint8Array, width: number, height: number, x: number, y: number): number {
  const left = Math.floor(x)
  const top = Math.floor(y)
  const fx = x - left
  const fy = y - top
  let sum = 0
  let weight = 0
  for (let k = 0; k < 4; k++) {
    const column = Math.max(0, Math.min(width - 1, left + (k & 1)))
    const row = Math.max(0, Math.min(height - 1, top + (k >> 1)))
    const share = ((k & 1) === 1 ? fx : 1 - fx) * (k >> 1 === 1 ? fy : 1 - fy)
    if (!domain[row * width + column]) continue
    sum += share * surface[row * width + column]!
    weight += share
  }
  return weight > 0 ? sum / weight : 0
}
