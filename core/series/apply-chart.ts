import { ln } from '../numbers/exact-math.js'
import type { PixelSource } from '../raster/raster.js'
import type { Transfer } from '../raster/transfer.js'
import type { ExpectedShadow } from '../mend/lift/fit-shadow.js'
import { FIRST_PROFILE } from '../mend/lift/shadow-state.js'
import { undecidedFinds } from '../find/found-flaws.js'
import { roundTo } from '../round.js'
import { distanceAt, shapeCentre } from '../shape/shape.js'
import type { Flaw, Treatment } from '../treatment/schema.js'
import type { SensorChart } from './chart-schema.js'
import type { FrameSpot } from './learn-chart.js'
import { measureMark } from './measure-mark.js'
import { findPlacement, placeIn, type Placement, type Size } from './placement.js'
import { shadowAt } from './shadow-law.js'

/** A mark of the chart as one frame shows it. */
export interface PlacedMark {
  readonly mark: string
  readonly state: 'absent' | 'faint' | 'clear'
  readonly x: number
  readonly y: number
  readonly r: number
  /** -ln of the transmission: measured and expected together, each as far as it is sure. */
  readonly depth: number
  /** Deviation of the depth that the chart expects. */
  readonly spread: number
  readonly weight: number
  readonly contrast: number
  readonly sureness: number
  readonly unrest: number
}

/** From these weights on a mark is faint, and clear. */
const FAINT = 2.5
const CLEAR = 8
/**
 * What a chart expects is off by about this share, of a mark that was seen in several frames and of one that was seen in
 * one alone. On three made-up series (`bench/mending/series.ts`, seeds 61 to 63), whose dust follows the law, two in three lie
 * within .05 to .07; real dust moves, and is not evenly thick.
 */
const LAW_ERROR = { several: 0.2, one: 0.35 }

/** How a frame lies on the chart, by the spots that were found in it. */
export function placeFrame(chart: SensorChart, frame: Size & { readonly aperture: number | null; readonly spots: readonly FrameSpot[] }): Placement & { matches: number } {
  const marks = chart.marks.map((mark) => {
    const { r, lost } = shadowAt(mark, chart, frame.aperture ?? usualAperture(chart))
    // What hardly shows at this aperture has no say.
    return { x: mark.x, y: mark.y, r, weight: 400 * lost * mark.sureness }
  })
  return findPlacement(marks.filter(({ weight }) => weight > 4), chart.frame, frame.spots, frame)
}

const usualAperture = ({ frames }: SensorChart): number => {
  const known = frames.flatMap(({ aperture }) => aperture ?? []).sort((a, b) => a - b)
  return known[known.length >> 1] ?? 11
}

/**
 * Measure every mark of a chart in a frame.
 *
 * @param picture    The frame.
 * @param placement  From `placeFrame`.
 */
export function placeMarks(chart: SensorChart, picture: PixelSource, transfer: Transfer, aperture: number | null, placement: Placement): PlacedMark[] {
  return chart.marks.flatMap((mark) => {
    const expected = shadowAt(mark, chart, aperture ?? usualAperture(chart))
    const r = Math.max(1.5, expected.r * placement.scale)
    const at = placeIn(mark, chart.frame, picture, placement)
    const measure = measureMark(picture, transfer, { type: 'disc', ...at, r, slack: 1 + 0.05 * r })
    if (!measure) return []
    const depth = -ln(1 - expected.lost)
    const spread = Math.max(1e-4, depth * (mark.seen > 1 ? LAW_ERROR.several : LAW_ERROR.one))
    const say = 1 / (spread * spread)
    const own = 1 / (measure.deviation * measure.deviation)
    const together = Math.max(0, (depth * say + measure.depth * own) / (say + own))
    // Dust that was wiped off leaves no shadow, whatever the chart expects; in texture it may only be hard to see.
    const gone = depth > 5 * measure.deviation && measure.depth < 0.2 * depth
    const weight = measure.depth > 1e-6 ? (measure.weight * together) / measure.depth : together / measure.deviation
    const state = gone || weight < FAINT ? 'absent' : weight < CLEAR ? 'faint' : 'clear'
    return [{ mark: mark.id, state, x: measure.x, y: measure.y, r: measure.r, depth: together, spread, weight, contrast: measure.contrast, sureness: mark.sureness, unrest: measure.unrest }]
  })
}

/** Identifier of the flaw that a mark makes in a picture: the same in every frame, so that one mark can be checked in all. */
export const flawOfMark = (mark: string) => `chart-${mark}`

/** Placed marks as open flaws. */
export function flawsOfMarks(marks: readonly PlacedMark[]): Flaw[] {
  return marks.filter(({ state }) => state !== 'absent').map(({ mark, x, y, r, weight, contrast, sureness, unrest }) => ({
    id: flawOfMark(mark), kind: 'dust', shape: { type: 'disc', x: roundTo(x, 2), y: roundTo(y, 2), r: roundTo(r, 2) }, state: 'open',
    contrast: roundTo(contrast, 2), weight: roundTo(weight, 1), confidence: roundTo(sureness, 3), unrest: roundTo(unrest, 1), origin: 'chart',
  }))
}

/**
 * What placing marks changes in a treatment: new flaws, and finds of an earlier search that they take the place of.
 * Whatever a person or an earlier chart has decided on stays.
 */
export function changesOfMarks(treatment: Pick<Treatment, 'flaws' | 'steps'>, placed: readonly PlacedMark[]): { put: Flaw[]; remove: string[] } {
  const undecided = new Set(undecidedFinds(treatment).filter(({ kind }) => kind === 'dust' || kind === 'speck'))
  const decided = treatment.flaws.filter((flaw) => !undecided.has(flaw))
  const there = new Set(treatment.flaws.map(({ id }) => id))
  const meets = (a: Flaw, b: Flaw) => a.shape.type === 'disc' && distanceAt(b.shape, a.shape.x, a.shape.y) < Math.max(0, a.shape.r - shapeCentre(b.shape).r)
  const put = flawsOfMarks(placed).filter((flaw) => !there.has(flaw.id) && !decided.some((other) => meets(flaw, other)))
  return { put, remove: [...undecided].filter((find) => put.some((flaw) => meets(flaw, find))).map(({ id }) => id) }
}

/**
 * The profile that marks are measured with, a soft disc with a level ground, as one that shadows are lifted with: of all
 * radii and depths of FIRST_PROFILE these leave the least square difference, a hundredth of the depth, out to 2.1 radii.
 */
const LIFTED_RADIUS = 1.09
const LIFTED_DEPTH = 0.89

/** The shadow that a chart expects, for a lift. */
export function expectedShadow({ x, y, r, depth, spread }: PlacedMark): ExpectedShadow {
  return {
    x, y, radius: LIFTED_RADIUS * r, wobble: [0, 0, 0, 0, 0, 0, 0, 0], profile: FIRST_PROFILE.map((share) => share * LIFTED_DEPTH * depth), channels: [1, 1, 1],
    spread: LIFTED_DEPTH * spread,
  }
}
