import type { OperationContext, Survey } from './operation.js'
import { clipRegion, growRegion, type Region, type FloatRaster } from '../raster/raster.js'
import { DEVIATION_PER_MAD, median } from '../numbers/statistics.js'
import { brightnessOf } from './brightness.js'

/** A zone and what is around it, on one level. */
export interface ZoneView {
  readonly level: number
  /** In pixels of the level. */
  readonly region: Region
  readonly pixels: FloatRaster
  /** Cover of the zone, 0..1 a pixel. */
  readonly cover: Float32Array
}

/** Pixels of the level on which the bounds of a zone are looked for. */
const COARSE_PIXELS = 60_000

/** Smallest rectangle that holds a zone, in pixels of the picture; the whole picture where it covers nothing. */
export function zoneBounds(survey: Survey): Region {
  const level = levelFor(survey, survey.size(0), COARSE_PIXELS)
  const { width, height } = survey.size(level)
  const cover = survey.cover({ x: 0, y: 0, width, height }, level)
  let [left, top, right, bottom] = [width, height, -1, -1]
  for (let y = 0, i = 0; y < height; y++) {
    for (let x = 0; x < width; x++, i++) {
      if (cover[i]! <= 0.02) continue
      left = Math.min(left, x)
      right = Math.max(right, x)
      top = Math.min(top, y)
      bottom = y
    }
  }
  const full = survey.size(0)
  if (right < 0) return { x: 0, y: 0, ...full }
  const step = 2 ** level
  // A pixel of a small level that is only touched shows little cover.
  return clipRegion(growRegion({ x: left * step, y: top * step, width: (right - left + 1) * step, height: (bottom - top + 1) * step }, step), full.width, full.height)
}

/** The finest level on which an area has at most so many pixels. */
function levelFor(survey: Survey, { width, height }: { readonly width: number; readonly height: number }, pixels: number): number {
  let level = 0
  while (level + 1 < survey.levels && (width * height) / 4 ** level > pixels) level++
  return level
}

/**
 * A zone with its surroundings on the finest level of at most so many pixels.
 *
 * @param around  Margin as a share of the longer side of the zone, at least 24 pixels of the picture.
 */
export function viewOfZone(survey: Survey, pixels = 250_000, around = 0.3): ZoneView {
  const full = survey.size(0)
  const bounds = zoneBounds(survey)
  const wide = clipRegion(growRegion(bounds, Math.max(24, Math.ceil(around * Math.max(bounds.width, bounds.height)))), full.width, full.height)
  const level = levelFor(survey, wide, pixels)
  const step = 2 ** level
  const size = survey.size(level)
  const region = clipRegion({ x: Math.floor(wide.x / step), y: Math.floor(wide.y / step), width: Math.ceil(wide.width / step), height: Math.ceil(wide.height / step) }, size.width, size.height)
  return { level, region, pixels: survey.read(region, level), cover: survey.cover(region, level) }
}

/** Square windows of a level that lie wholly in a zone, or wholly outside it and as near as there are. */
export function windowsOf(survey: Survey, level: number, side: number, where: 'inside' | 'outside', count: number): Region[] {
  const size = survey.size(level)
  const step = 2 ** level
  const full = zoneBounds(survey)
  const zone = clipRegion({ x: Math.floor(full.x / step), y: Math.floor(full.y / step), width: Math.ceil(full.width / step), height: Math.ceil(full.height / step) }, size.width, size.height)
  const area = where === 'inside' ? zone : clipRegion(growRegion(zone, 6 * side), size.width, size.height)
  const [columns, rows] = [Math.floor(area.width / side), Math.floor(area.height / side)]
  if (columns < 1 || rows < 1) return []
  // Every so many, so that they are spread over the zone whatever its size.
  const all = Array.from({ length: columns * rows }, (_, n) => ({ x: area.x + (n % columns) * side, y: area.y + Math.floor(n / columns) * side, width: side, height: side }))
  const stride = Math.max(1, all.length / (8 * count))
  const wanted = where === 'inside' ? (value: number) => value > 0.98 : (value: number) => value < 0.02
  const found: Region[] = []
  for (let n = 0; n < all.length && found.length < 4 * count; n += stride) {
    const place = all[Math.floor(n)]!
    if (survey.cover(place, level).every(wanted)) found.push(place)
  }
  return found.filter((_, n) => n % Math.max(1, Math.ceil(found.length / count)) === 0)
}

/** Windows inside a zone and around it, of the largest side of which there are some of both; narrow zones hold smaller ones alone. */
export function pairedWindows(survey: Survey, level: number, sides: readonly number[], count: number): { readonly inside: Region[]; readonly outside: Region[] } | null {
  for (const side of sides) {
    const [inside, outside] = [windowsOf(survey, level, side, 'inside', count), windowsOf(survey, level, side, 'outside', count)]
    if (inside.length > 0 && outside.length > 0) return { inside, outside }
  }
  return null
}

/** Windows over the whole picture, in case a zone holds none of the size. */
function anyWindows(survey: Survey, level: number, side: number, count: number): Region[] {
  const size = survey.size(level)
  const [columns, rows] = [Math.max(1, Math.floor(size.width / side)), Math.max(1, Math.floor(size.height / side))]
  const stride = Math.max(1, (columns * rows) / count)
  return Array.from({ length: Math.floor((columns * rows) / stride) }, (_, n) => Math.floor(n * stride)).map((n) => clipRegion({ x: (n % columns) * side, y: Math.floor(n / columns) * side, width: side, height: side }, size.width, size.height))
}

/** The Laplacian of Immerkaer 1996 has this deviation over noise of deviation 1. */
const LAPLACIAN_DEVIATION = 6

/** Robust deviation of the noise of brightness in a window, from the 3 x 3 Laplacian mask of Immerkaer 1996. */
export function noiseIn(pixels: FloatRaster, context: OperationContext): number {
  const { width, height, data } = brightnessOf(pixels, context)
  if (width < 3 || height < 3) return 0
  const values = new Float32Array((width - 2) * (height - 2))
  let n = 0
  for (let y = 1; y < height - 1; y++) {
    for (let x = 1; x < width - 1; x++) {
      const i = y * width + x
      values[n++] = Math.abs(data[i - width - 1]! - 2 * data[i - width]! + data[i - width + 1]! - 2 * data[i - 1]! + 4 * data[i]! - 2 * data[i + 1]! + data[i + width - 1]! - 2 * data[i + width]! + data[i + width + 1]!)
    }
  }
  return (DEVIATION_PER_MAD * median(values)) / LAPLACIAN_DEVIATION
}

const WINDOW = 48
const WINDOWS = 12
/** Noise is never taken for less than half a step of 8 bits. */
const LEAST_NOISE = 0.5 / 255

/** Deviation of the noise of brightness in a zone on each level: the lower quartile of its windows, since texture only adds. */
export function noiseOfZone(survey: Survey, context: OperationContext): number[] {
  const noise: number[] = []
  for (let level = 0; level < survey.levels; level++) {
    const size = survey.size(level)
    if (Math.min(size.width, size.height) < WINDOW) break
    let windows = windowsOf(survey, level, WINDOW, 'inside', WINDOWS)
    if (windows.length === 0) windows = anyWindows(survey, level, WINDOW, WINDOWS)
    const values = windows.map((window) => noiseIn(survey.read(window, level), context)).sort((a, b) => a - b)
    noise.push(Math.max(LEAST_NOISE / 2 ** level, values[values.length >> 2] ?? 0))
  }
  return noise.length > 0 ? noise : [LEAST_NOISE]
}

/** A value that was measured on each level; beyond the last one it stays. */
export const atLevel = (values: readonly number[], level: number): number => values[Math.min(level, values.length - 1)]!
