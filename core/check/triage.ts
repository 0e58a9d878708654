import { shapeArea, shapeCentre } from '../shape/shape.js'
import { areaCoverage } from '../shape/zone/area.js'
import { whatShows } from './telltales.js'
import type { FLAW_KINDS, Treatment } from '../treatment/schema.js'

/** What a contact sheet shows of a treatment, kept beside it. */
export interface Counts {
  readonly open: number
  readonly mended: number
  readonly settled: number
  readonly left: number
  readonly shows: number
  readonly kinds: Partial<Record<(typeof FLAW_KINDS)[number], number>>
  /** Where flaws lie, as shares of width and height; at most 400 of them. */
  readonly places: [number, number][]
  /** Share of the picture that flaws cover, 0..1; overlaps count twice. */
  readonly covered: number
  /** How many lie on the subject: in restless surroundings, near strong edges, or on a guard. */
  readonly onSubject: number
}

/** Surroundings this many times as restless as noise alone would make them have edges or texture of their own. */
const RESTLESS = 5
const PLACES = 400

export function countsOf(treatment: Treatment): Counts {
  const counts = { open: 0, mended: 0, settled: 0, left: 0, covered: 0, onSubject: 0, kinds: {} as Counts['kinds'] & Record<string, number>, places: [] as [number, number][] }
  const { width, height } = treatment.original
  const guards = (treatment.areas ?? []).filter(({ role }) => role === 'guard')
  const every = Math.max(1, Math.ceil(treatment.flaws.length / PLACES))
  treatment.flaws.forEach((flaw, i) => {
    const { x, y } = shapeCentre(flaw.shape)
    counts[flaw.state]++
    counts.kinds[flaw.kind] = (counts.kinds[flaw.kind] ?? 0) + 1
    counts.covered += shapeArea(flaw.shape) / (width * height)
    const guarded = guards.length > 0 && (areaCoverage(guards, { x: Math.floor(x), y: Math.floor(y), width: 1, height: 1 })?.data[0] ?? 0) > 0
    if (guarded || (flaw.unrest ?? 0) > RESTLESS) counts.onSubject++
    if (i % every === 0) counts.places.push([Math.round((1000 * x) / width) / 1000, Math.round((1000 * y) / height) / 1000])
  })
  return { ...counts, covered: Math.round(1e5 * counts.covered) / 1e5, shows: treatment.steps.filter((step) => whatShows(step.telltales).length > 0).length }
}

/** Seconds a restorer takes for one flaw to mend, and for one mend to judge. */
export interface Pace {
  readonly mend: number
  readonly judge: number
}

/** Until a restorer's own pace is known (common practice). */
export const USUAL_PACE: Pace = { mend: 6, judge: 2.5 }

/** Minutes of a person's time that are left. */
export function minutesOf({ open = 0, mended = 0 }: Partial<Pick<Counts, 'open' | 'mended'>>, pace: Pace = USUAL_PACE): number {
  return (open * pace.mend + mended * pace.judge) / 60
}

export const VERDICTS = ['quick', 'worth it', 'long', 'doubtful'] as const
export type Verdict = (typeof VERDICTS)[number]

/** Up to ten minutes are quick, two hours are what a badly creased print takes by hand (common practice). */
const QUICK_MINUTES = 10
const LONG_MINUTES = 45
const DOUBTFUL_MINUTES = 150
/** So much of a picture covered by flaws cannot be given back; on the subject less is too much already. */
const DOUBTFUL_COVER = 0.15

/** Whether a picture is worth its work, before any of it is done. */
export function verdictOf(counts: Partial<Counts>, minutes: number): Verdict {
  const all = (counts.open ?? 0) + (counts.mended ?? 0) + (counts.settled ?? 0) + (counts.left ?? 0)
  const onSubject = all > 0 ? (counts.onSubject ?? 0) / all : 0
  if ((counts.covered ?? 0) * (1 + onSubject) > DOUBTFUL_COVER || minutes > DOUBTFUL_MINUTES) return 'doubtful'
  if (minutes > LONG_MINUTES) return 'long'
  return minutes > QUICK_MINUTES ? 'worth it' : 'quick'
}

/** A gesture of a restorer, when and what: one mend made, one judged, or anything else. */
export interface TimedGesture {
  readonly picture: string
  readonly act: 'judge' | 'mend' | 'other'
  /** Milliseconds. */
  readonly at: number
}

/** A longer silence is no work, in seconds. */
const PAUSE = 90
/** Fewer say nothing. */
const LEAST_GESTURES = 12

/**
 * A restorer's own pace: the median time since the gesture before, of those that judge a mend and those that make one.
 *
 * @param gestures  Of all pictures, oldest first.
 * @returns Only what enough gestures tell.
 */
export function paceOf(gestures: readonly TimedGesture[]): Partial<Pace> {
  const spans = { judge: [] as number[], mend: [] as number[] }
  gestures.forEach(({ picture, act, at }, i) => {
    const before = gestures[i - 1]
    if (!before || before.picture !== picture) return
    const seconds = (at - before.at) / 1000
    if (seconds <= PAUSE && act !== 'other') spans[act].push(seconds)
  })
  const middle = (list: number[]) => list.sort((a, b) => a - b)[list.length >> 1]!
  return {
    ...(spans.judge.length >= LEAST_GESTURES ? { judge: middle(spans.judge) } : {}),
    ...(spans.mend.length >= LEAST_GESTURES ? { mend: middle(spans.mend) } : {}),
  }
}
