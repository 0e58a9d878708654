import { ProblemError } from '../problem.js'
import { roundTo } from '../round.js'
import type { ChartFrame, ChartMark, SensorChart } from './chart-schema.js'
import { lostOf, type ExpectedMark, type MarkMeasure } from './measure-mark.js'
import { findPlacement, pairsOf, placeIn, placeOnChart, spotIndex, type Placement, type Size } from './placement.js'
import { fitShadowLaw, shadowAt, type MeasuredShadow } from './shadow-law.js'

/** A frame to learn from: what was found in it, and how it was taken. */
export interface DustyFrame extends Size {
  readonly name: string
  readonly aperture: number | null
  readonly taken: string | null
  /** Dark spots of the frame, dust and others. */
  readonly spots: readonly FrameSpot[]
}

export interface FrameSpot {
  readonly x: number
  readonly y: number
  readonly r: number
  readonly weight: number
}

/** Fewer frames say nothing: two may share a thing of the scene. */
export const LEAST_FRAMES = 3

/** An aperture that is not known is taken for this one (common practice). */
const USUAL_APERTURE = 11

/** A place that several frames may share, with where to look for it in every frame. */
export interface ChartDraft {
  readonly frame: Size
  readonly places: readonly Place[]
  readonly placements: readonly (Placement & { matches: number })[]
}

interface Place {
  x: number
  y: number
  /** Radius and weight where it is seen most clearly, in pixels of the chart, and the aperture there. */
  r: number
  weight: number
  aperture: number
  /** What each frame shows of it, by index of the frame. */
  readonly seen: Map<number, FrameSpot>
}

/**
 * Bring frames together: what sits at the same place of the sensor in several of them, while the scene changes, is dust.
 *
 * @param frames  At least three of one sensor.
 * @throws {ProblemError} when there are fewer, or when they share no dust.
 */
export function draftChart(frames: readonly DustyFrame[]): ChartDraft {
  if (frames.length < LEAST_FRAMES) throw new ProblemError('too-few-frames', { title: 'A chart needs three frames', detail: `Only ${frames.length} were chosen. Choose at least ${LEAST_FRAMES} frames of this camera body, of different scenes.`, status: 422 })
  // The frame that shows most is where the others are laid on.
  const strength = (frame: DustyFrame) => frame.spots.reduce((sum, { weight }) => sum + Math.min(40, weight), 0)
  const order = frames.map((_frame, i) => i).sort((a, b) => strength(frames[b]!) - strength(frames[a]!) || a - b)
  const first = frames[order[0]!]!
  const chart = { width: first.width, height: first.height }
  const apertureOf = (i: number) => frames[i]!.aperture ?? USUAL_APERTURE
  const places: Place[] = first.spots.map((spot) => ({ ...spot, aperture: apertureOf(order[0]!), seen: new Map([[order[0]!, spot]]) }))
  const placements: (Placement & { matches: number })[] = frames.map(() => ({ turn: 0, scale: 1, matches: 0 }))
  placements[order[0]!] = { turn: 0, scale: 1, matches: first.spots.length }
  for (const index of order.slice(1)) {
    const frame = frames[index]!
    const placement = findPlacement(places, chart, frame.spots, frame)
    placements[index] = placement
    const matched = new Set<FrameSpot>()
    for (const { mark, spot } of pairsOf(places, chart, spotIndex(frame.spots), frame, placement)) {
      matched.add(spot)
      const at = placeOnChart(spot, chart, frame, placement)
      const count = mark.seen.size
      mark.x = (mark.x * count + at.x) / (count + 1)
      mark.y = (mark.y * count + at.y) / (count + 1)
      if (spot.weight > mark.weight) Object.assign(mark, { r: spot.r / placement.scale, weight: spot.weight, aperture: apertureOf(index) })
      mark.seen.set(index, spot)
    }
    for (const spot of frame.spots) {
      if (matched.has(spot)) continue
      places.push({ ...placeOnChart(spot, chart, frame, placement), r: spot.r / placement.scale, weight: spot.weight, aperture: apertureOf(index), seen: new Map([[index, spot]]) })
    }
  }
  const shared = places.filter(({ seen }) => seen.size >= 2)
  if (shared.length === 0) throw new ProblemError('no-shared-dust', { title: 'These frames share no dust', detail: 'Nothing sits at the same place in two of them. Check that they are of one camera body, and choose frames taken with a small aperture over plain skies.', status: 422 })
  return { frame: chart, places: shared, placements }
}

/** One frame's weight counts up to this. */
const MOST_SAY = 30

/** The weighted median of places: one frame whose texture leads astray moves nothing. */
function middleOf(places: readonly { x: number; y: number; say: number }[]): { x: number; y: number } {
  const along = (axis: 'x' | 'y') => {
    const sorted = [...places].sort((a, b) => a[axis] - b[axis])
    let half = sorted.reduce((sum, { say }) => sum + say, 0) / 2
    for (const place of sorted) {
      half -= place.say
      if (half <= 0) return place[axis]
    }
    return sorted.at(-1)![axis]
  }
  return { x: along('x'), y: along('y') }
}

/** Where a draft's places are to be measured in a frame. */
export function expectedPlaces({ frame: chart, places, placements }: ChartDraft, index: number, frame: Size & { readonly aperture: number | null }): ExpectedMark[] {
  const placement = placements[index]!
  return places.map((place) => {
    const own = place.seen.get(index)
    // Until the law is known about half of a shadow's square is blur, which follows the aperture.
    const blur = (place.aperture / (frame.aperture ?? USUAL_APERTURE)) ** 2
    const r = own?.r ?? Math.max(1.5, place.r * placement.scale * Math.sqrt(0.5 + 0.5 * blur))
    return { type: 'disc', ...(own ? { x: own.x, y: own.y } : placeIn(place, chart, frame, placement)), r, slack: own ? 1 : 1 + 0.1 * r }
  })
}

/** Deviations from which a measured mark counts as seen, and expected ones as looked for. */
const SEEN = 3.5
const CLEAR = 5

/**
 * Make the chart of a draft and what was measured at its places.
 *
 * @param measures  By frame, in the order of the draft's places; null where a place lies outside.
 */
export function finishChart(sensor: string, frames: readonly DustyFrame[], draft: ChartDraft, measures: readonly (readonly (MarkMeasure | null)[])[]): SensorChart {
  const apertureOf = (i: number) => frames[i]!.aperture ?? USUAL_APERTURE
  // In texture the finder, who looks at shape, may be surer than a measurement of depth is.
  const seenIn = draft.places.map((place, k) => frames.map((_frame, i) => {
    const measure = measures[i]![k]
    return measure && measure.depth > (place.seen.has(i) ? 0 : SEEN * measure.deviation) ? measure : null
  }))
  const shadows = seenIn.map((list) => list.flatMap((measure, i): MeasuredShadow[] => measure ? [{ aperture: apertureOf(i), r: measure.r / draft.placements[i]!.scale, lost: lostOf(measure.depth), weight: Math.min(measure.weight, measure.depth / measure.deviation) }] : []))
  const law = fitShadowLaw(shadows)
  const marks: ChartMark[] = []
  draft.places.forEach((_place, k) => {
    const { core, light } = law.marks[k]!
    const list = seenIn[k]!
    let looked = 0
    measures.forEach((measured, i) => {
      const measure = measured[k]
      if (measure && shadowAt({ core, light }, law, apertureOf(i)).lost > CLEAR * measure.deviation) looked++
    })
    const seen = list.filter((measure) => measure !== null).length
    if (seen < 2 || seen < 0.5 * looked) return
    const at = middleOf(list.flatMap((measure, i) => (measure ? [{ ...placeOnChart(measure, draft.frame, frames[i]!, draft.placements[i]!), say: Math.min(MOST_SAY, measure.weight) }] : [])))
    const dates = list.flatMap((measure, i) => (measure && frames[i]!.taken ? [frames[i]!.taken!] : [])).sort()
    marks.push({
      id: `d${marks.length + 1}`, x: roundTo(at.x, 2), y: roundTo(at.y, 2), core: roundTo(core, 2), light: roundTo(light, 4),
      sureness: roundTo((seen + 0.5) / (Math.max(seen, looked) + 1), 3), seen, looked: Math.max(seen, looked), firstSeen: dates[0] ?? null,
    })
  })
  const chartFrames: ChartFrame[] = frames.map(({ name, aperture, taken }, i) => ({
    name, aperture, taken, turn: draft.placements[i]!.turn, scale: roundTo(draft.placements[i]!.scale, 6), seen: seenIn.filter((list) => list[i] !== null).length,
  }))
  return { format: 'fennip-sensor-chart', version: 1, sensor, frame: draft.frame, spread: roundTo(law.spread, 2), marks, frames: chartFrames }
}

/** A chart of what was mended in one frame, to carry it to others; how sure each mark is nobody knows yet. */
export function chartOfFrame(sensor: string, frame: Omit<DustyFrame, 'spots'>, marks: readonly { readonly id: string; readonly measure: MarkMeasure }[]): SensorChart {
  const aperture = frame.aperture ?? USUAL_APERTURE
  const law = fitShadowLaw(marks.map(({ measure }) => [{ aperture, r: measure.r, lost: lostOf(measure.depth), weight: measure.weight }]))
  return {
    format: 'fennip-sensor-chart', version: 1, sensor, frame: { width: frame.width, height: frame.height }, spread: roundTo(law.spread, 2),
    marks: marks.map(({ id, measure }, k) => ({
      id, x: roundTo(measure.x, 2), y: roundTo(measure.y, 2), core: roundTo(law.marks[k]!.core, 2), light: roundTo(law.marks[k]!.light, 4), sureness: 0.5, seen: 1, looked: 1, firstSeen: frame.taken,
    })),
    frames: [{ name: frame.name, aperture: frame.aperture, taken: frame.taken, turn: 0, scale: 1, seen: marks.length }],
  }
}
