import { brightnessOf } from '../operations/brightness.js'
import { meanWhere } from '../operations/zone-means.js'
import { noiseIn, pairedWindows, viewOfZone } from '../operations/zone-view.js'
import type { Operation, OperationContext, Survey } from '../operations/operation.js'
import { gaussianBlur } from '../raster/blur.js'
import type { Region } from '../raster/raster.js'
import { distanceFrom } from '../raster/distance-transform.js'
import { labPixels } from '../colour/lab.js'
import { median } from '../numbers/statistics.js'
import type { Measure } from '../treatment/schema.js'
import { maskWhere } from '../raster/per-pixel.js'

/** Signs that a correction of an area gives itself away. */
export interface AreaTelltales {
  /** Step along the zone's edge, over what neighbouring tones differ by outside. */
  readonly zoneEdge: Measure
  /** Deviation of the grain inside over outside; right is 1. */
  readonly grain: Measure
  /** Share of the fine structure that was there before and is not there any more. */
  readonly detailLost: Measure
  /** Share of the zone that was clipped by the correction. */
  readonly clipped: Measure
  /** Difference in colour of the zone and what is around it (CIE 1976), over what places around differ by; null for a correction that is not meant to make both alike. */
  readonly leftOver: Measure | null
}

/** Distance on either side of the edge at which tones are compared, in pixels of the level. */
const ACROSS = 3
/** Sides of the windows in which grain is measured, in pixels. */
export const GRAIN_WINDOWS = [40, 28, 20]
/** Half the width of the band of right grain: what mends are judged by. */
const GRAIN_BAND = 0.15
/** A step is seen from so many times the usual difference (measured on untouched zones of open photographs: up to 1.3). */
const EDGE_LIMIT = 1.5
const DETAIL_LIMIT = 0.35
const CLIPPED_LIMIT = 0.002
const LEFT_LIMIT = 1.5

/**
 * Telltales of one correction.
 *
 * @param before  The picture below the step, with its zone.
 * @param after   The picture with it, with the same zone.
 */
export function measureAreaStep(before: Survey, after: Survey, context: OperationContext, { meetsSurroundings = false }: Pick<Operation, 'meetsSurroundings'>): AreaTelltales {
  const view = viewOfZone(before, 200_000)
  const { region, level, cover } = view
  const { width, height } = region
  const [was, is] = [view.pixels, after.read(region, level)]
  const [wasBright, isBright] = [brightnessOf(was, context), brightnessOf(is, context)]
  return {
    zoneEdge: { value: edgeStep(isBright.data, cover, width, height), limit: EDGE_LIMIT },
    grain: { value: grainRatio(after, context), limit: GRAIN_BAND },
    detailLost: { value: detailLost(wasBright.data, isBright.data, cover, width, height), limit: DETAIL_LIMIT },
    clipped: { value: newlyClipped(was.data, is.data, cover, context.channels), limit: CLIPPED_LIMIT },
    leftOver: meetsSurroundings ? { value: leftOver(is.data, cover, width, height, context), limit: LEFT_LIMIT } : null,
  }
}

/** Mean difference of tones across the zone's edge, over the same across a line a little outside it. */
function edgeStep(brightness: Float32Array, cover: Float32Array, width: number, height: number): number {
  const inside = maskWhere(cover, (value) => value > 0.5)
  if (inside.every((value) => value === 1) || inside.every((value) => value === 0)) return 0
  const soft = gaussianBlur({ width, height, data: brightness }, 1.5).data
  const distance = distanceFrom(inside, width, height)
  const across = (nearest: number, furthest: number): number => {
    const differences: number[] = []
    for (let y = ACROSS; y < height - ACROSS; y++) {
      for (let x = ACROSS; x < width - ACROSS; x++) {
        const d = distance[y * width + x]!
        if (d < nearest || d >= furthest) continue
        const i = y * width + x
        differences.push(Math.max(Math.abs(soft[i + ACROSS]! - soft[i - ACROSS]!), Math.abs(soft[i + ACROSS * width]! - soft[i - ACROSS * width]!)))
      }
    }
    return differences.length < 20 ? NaN : median(Float32Array.from(differences))
  }
  const [edge, outside] = [across(0.5, 2.5), across(4 + ACROSS, 8 + ACROSS)]
  if (Number.isNaN(edge) || Number.isNaN(outside)) return 0
  return edge / Math.max(1 / 512, outside)
}

function grainRatio(after: Survey, context: OperationContext): number {
  const windows = pairedWindows(after, 0, GRAIN_WINDOWS, 12)
  if (!windows) return 1
  const noiseOf = (places: readonly Region[]) => {
    const values = places.map((window) => noiseIn(after.read(window, 0), context)).sort((a, b) => a - b)
    return values[values.length >> 2]!
  }
  const [inside, outside] = [noiseOf(windows.inside), noiseOf(windows.outside)]
  return outside === 0 ? 1 : inside / outside
}

/** 1 less the regression of the new fine structure on the old one, where little was changed: what was taken on purpose does not count. */
function detailLost(was: Float32Array, is: Float32Array, cover: Float32Array, width: number, height: number): number {
  const [wasSoft, isSoft] = [was, is].map((data) => gaussianBlur({ width, height, data }, 2).data) as [Float32Array, Float32Array]
  const fine = was.map((value, i) => value - wasSoft[i]!)
  const limit = 4 * 1.4826 * median(fine.map(Math.abs))
  let [both, old] = [0, 0]
  for (let i = 0; i < fine.length; i++) {
    if (cover[i]! < 0.9 || Math.abs(fine[i]!) > limit) continue
    both += fine[i]! * (is[i]! - isSoft[i]!)
    old += fine[i]! * fine[i]!
  }
  return old === 0 ? 0 : Math.max(0, 1 - both / old)
}

function newlyClipped(was: Float32Array, is: Float32Array, cover: Float32Array, channels: number): number {
  let [clipped, all] = [0, 0]
  for (let i = 0; i < cover.length; i++) {
    if (cover[i]! < 0.5) continue
    all++
    for (let k = i * channels; k < (i + 1) * channels; k++) {
      if ((is[k]! <= 0 && was[k]! > 0) || (is[k]! >= 1 && was[k]! < 1)) {
        clipped++
        break
      }
    }
  }
  return all === 0 ? 0 : clipped / all
}

function leftOver(is: Float32Array, cover: Float32Array, width: number, height: number, { channels, tones, toXyz }: OperationContext): number {
  const lab = labPixels(is, channels, tones.decode, toXyz)
  const means = (['inside', 'outside'] as const).map((side) => [0, 1, 2].map((c) => meanWhere(lab, cover, side, 3, c)))
  const [inside, outside] = means as [(number | null)[], (number | null)[]]
  if (inside.some((value) => value === null) || outside.some((value) => value === null)) return 0
  // Places around: how far the mean of a part lies from the mean of all.
  const cell = Math.max(8, Math.round(Math.min(width, height) / 8))
  const away: number[] = []
  for (let top = 0; top + cell <= height; top += cell) {
    for (let left = 0; left + cell <= width; left += cell) {
      const sum = [0, 0, 0]
      let n = 0
      for (let y = top; y < top + cell; y++) {
        for (let x = left; x < left + cell; x++) {
          const i = y * width + x
          if (cover[i]! > 0.02) continue
          for (let c = 0; c < 3; c++) sum[c]! += lab[3 * i + c]!
          n++
        }
      }
      if (n > cell * cell * 0.6) away.push(Math.sqrt(sum.reduce((total, value, c) => total + (value / n - outside[c]!) ** 2, 0)))
    }
  }
  const usual = away.length === 0 ? 2 : Math.max(1, median(Float32Array.from(away)))
  return Math.sqrt(inside.reduce<number>((total, value, c) => total + (value! - outside[c]!) ** 2, 0)) / usual
}
