import { brightnessOf } from '../operations/brightness.js'
import type { OperationContext, Survey } from '../operations/operation.js'
import { pairedWindows, viewOfZone } from '../operations/zone-view.js'
import type { Region } from '../raster/raster.js'
import { distanceFrom } from '../raster/distance-transform.js'
import { GRAIN_WINDOWS } from './area-telltales.js'
import { lineSpectrum } from './line-spectrum.js'
import { maskWhere } from '../raster/per-pixel.js'

/** What is drawn to explain the telltales of a correction. Brightness is 0..1 as it is stored. */
export interface AreaExplanation {
  /** Mean brightness against the distance from the zone's edge in pixels (negative inside), before and after. */
  readonly profile: readonly { readonly distance: number; readonly before: number; readonly after: number }[]
  /** Power of detail against frequency in cycles a pixel: inside before and after, and after it around the zone. */
  readonly spectrum: readonly { readonly frequency: number; readonly before: number; readonly inside: number; readonly outside: number }[]
  /** Share of the zone's pixels by brightness, in bins from black to white. */
  readonly tones: { readonly before: readonly number[]; readonly after: readonly number[] }
}

/** Pixels of the level on which a profile is drawn, on either side of the edge. */
const REACH = 24
const LINE = 16
const WINDOWS = 8
const BINS = 32

/**
 * Measure what drawings need to show why a correction gives itself away, or does not.
 *
 * @param before  The picture below the step, with its zone.
 * @param after   The picture with it, with the same zone.
 * @returns Empty lists where the zone is too small, or is the whole picture.
 */
export function explainAreaStep(before: Survey, after: Survey, context: OperationContext): AreaExplanation {
  const { region, level, cover, pixels } = viewOfZone(before, 200_000)
  const [was, is] = [brightnessOf(pixels, context).data, brightnessOf(after.read(region, level), context).data]
  return { profile: profileOf(was, is, cover, region.width, region.height, 2 ** level), spectrum: spectrumOf(before, after, context), tones: { before: tonesOf(was, cover), after: tonesOf(is, cover) } }
}

function profileOf(was: Float32Array, is: Float32Array, cover: Float32Array, width: number, height: number, step: number): AreaExplanation['profile'] {
  const inside = maskWhere(cover, (value) => value > 0.5)
  const outside = inside.map((value) => 1 - value)
  if (!inside.includes(1) || !outside.includes(1)) return []
  const [away, within] = [distanceFrom(inside, width, height), distanceFrom(outside, width, height)]
  const bins = Array.from({ length: 2 * REACH }, () => ({ before: 0, after: 0, count: 0 }))
  for (let i = 0; i < cover.length; i++) {
    const bin = bins[Math.floor(inside[i] === 1 ? 0.5 - within[i]! : away[i]! - 0.5) + REACH]
    if (!bin) continue
    bin.before += was[i]!
    bin.after += is[i]!
    bin.count++
  }
  return bins.flatMap(({ before, after, count }, k) => (count < 3 ? [] : [{ distance: (k - REACH + 0.5) * step, before: before / count, after: after / count }]))
}

function spectrumOf(before: Survey, after: Survey, context: OperationContext): AreaExplanation['spectrum'] {
  const windows = pairedWindows(after, 0, GRAIN_WINDOWS, WINDOWS)
  if (!windows) return []
  const mean = (survey: Survey, places: readonly Region[]) => {
    const powers = places.map((window) => lineSpectrum(brightnessOf(survey.read(window, 0), context).data, window.width, window.height, LINE, () => true)!)
    return powers[0]!.map((_, f) => powers.reduce((sum, power) => sum + power[f]!, 0) / powers.length)
  }
  const [was, inside, outside] = [mean(before, windows.inside), mean(after, windows.inside), mean(after, windows.outside)]
  return inside.map((value, k) => ({ frequency: (k + 1) / LINE, before: was[k]!, inside: value, outside: outside[k]! }))
}

function tonesOf(brightness: Float32Array, cover: Float32Array): number[] {
  const counts = new Array<number>(BINS).fill(0)
  let all = 0
  for (let i = 0; i < cover.length; i++) {
    if (cover[i]! < 0.5) continue
    counts[Math.max(0, Math.min(BINS - 1, Math.floor(brightness[i]! * BINS)))]!++
    all++
  }
  return counts.map((count) => (all === 0 ? 0 : count / all))
}
