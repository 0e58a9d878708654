import { clipRegion, growRegion, makeRaster, maximumOf, type IntegerRaster, type PixelSource, type Region } from '../../raster/raster.js'
import { areaCoverage } from '../../shape/zone/area.js'
import { coverage, distanceOutside, shapeBounds, shapeThickness, type Shape } from '../../shape/shape.js'
import type { Area } from '../../treatment/schema.js'
import { BARRED, FILL, type FillProblem } from './fill-problem.js'
import { fillPatches } from './fill-patches.js'
import { fillToneWaves } from './fill-tone-waves.js'
import { roundSample } from '../heal/heal.js'
import type { Mended } from '../../check/mended.js'

/** What a fill needs to be made again. */
export interface FillDecisions {
  readonly shape: Shape
  readonly softEdgePx: number
  /** 0..1 */
  readonly strength: number
  readonly seed: number
  /** Shapes that were open flaws when the fill was chosen: nothing is learned or taken from them. */
  readonly avoid: readonly Shape[]
  /** Areas that are neither changed nor asked. */
  readonly guarded?: readonly Area[]
}

/** Half the width of a gap up to which waves fill it: the middle of wider ones is too far from anything known, and is filled with patches. */
const THIN = 20

/** Half the width up to which the nearest surroundings are enough: what a fill reads depends on it. */
const NARROW = 10

/** How far beyond its outline a fill of a shape looks, in pixels. */
export function fillReach(shape: Shape): number {
  const thickness = shapeThickness(shape)
  return thickness <= NARROW ? 34 : Math.round(Math.min(220, 30 + 2.5 * thickness))
}

/**
 * Content made from all of the surroundings.
 *
 * @param picture    As mended so far.
 * @param decisions  Shape, seed and what to leave out.
 * @returns New pixels; the same for the same picture and decisions.
 */
export function fill(picture: PixelSource, decisions: FillDecisions): Mended {
  const { shape, softEdgePx, strength, seed } = decisions
  const region = clipRegion(growRegion(shapeBounds(shape), Math.ceil(softEdgePx / 2) + fillReach(shape)), picture.width, picture.height)
  const before = picture.read(region)
  const { channels } = picture
  const maximum = maximumOf(picture.depth)
  const cover = coverage(distanceOutside(shape, region, softEdgePx / 2 + 2), softEdgePx).data
  const problem: FillProblem = {
    width: region.width,
    height: region.height,
    channels: planesOf(before, maximum),
    role: rolesOf(cover, region, decisions),
  }
  fillSmallOrLarge(problem, seed, shapeThickness(shape) + softEdgePx / 2)
  const pixels = makeRaster(region.width, region.height, channels, picture.depth)
  pixels.data.set(before.data)
  const touched = new Uint8Array(cover.length)
  for (let i = 0; i < cover.length; i++) {
    const share = cover[i]! * strength
    if (share === 0) continue
    touched[i] = 1
    for (let c = 0; c < channels; c++) {
      const old = before.data[i * channels + c]!
      pixels.data[i * channels + c] = roundSample(old + (problem.channels[c]![i]! * maximum - old) * share, maximum)
    }
  }
  return { region, pixels, touched }
}

/** Fill in the way that suits a gap of half a width. */
export function fillSmallOrLarge(problem: FillProblem, seed: number, thickness: number): void {
  if (thickness <= THIN) fillToneWaves(problem, seed)
  else fillPatches(problem, seed, thickness, 1)
}

/** Samples as shares of the largest, one plane a channel. */
export function planesOf({ width, height, channels, data }: IntegerRaster, maximum: number): Float32Array[] {
  const planes = Array.from({ length: channels }, () => new Float32Array(width * height))
  planes.forEach((plane, c) => {
    for (let i = 0, k = c; i < plane.length; i++, k += channels) plane[i] = data[k]! / maximum
  })
  return planes
}

function rolesOf(cover: Float32Array, region: Region, { avoid, guarded = [] }: FillDecisions): Uint8Array {
  const role = new Uint8Array(cover.length)
  for (let i = 0; i < role.length; i++) if (cover[i]! > 0) role[i] = FILL
  return barOthers(role, region, avoid, guarded)
}

/** Roles of a region in which nothing is to be filled yet, and other flaws and guards are not asked. */
export function rolesOfOthers(count: number, region: Region, avoid: readonly Shape[], guarded: readonly Area[] = []): Uint8Array {
  return barOthers(new Uint8Array(count), region, avoid, guarded)
}

function barOthers(role: Uint8Array, region: Region, avoid: readonly Shape[], guarded: readonly Area[]): Uint8Array {
  const guard = areaCoverage(guarded, region)?.data
  // What a soft edge half guards is filled, but never asked.
  if (guard) for (let i = 0; i < role.length; i++) if (guard[i] === 1 || (guard[i]! > 0 && role[i] !== FILL)) role[i] = BARRED
  for (const shape of avoid) {
    const part = clipRegion({ ...growRegion(shapeBounds(shape), 1), x: shapeBounds(shape).x - 1 - region.x, y: shapeBounds(shape).y - 1 - region.y }, region.width, region.height)
    if (part.width === 0 || part.height === 0) continue
    const distance = distanceOutside(shape, { ...part, x: part.x + region.x, y: part.y + region.y }, 2).data
    for (let y = 0; y < part.height; y++) {
      for (let x = 0; x < part.width; x++) {
        const i = (y + part.y) * region.width + x + part.x
        if (distance[y * part.width + x]! < 0.5 && role[i] !== FILL) role[i] = BARRED
      }
    }
  }
  return role
}
