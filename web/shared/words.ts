import { shapeCentre } from '@fennip/core/shape/shape.js'
import type { Flaw, TelltaleName } from '@fennip/core/treatment/schema.js'
import { KIND_WORDS, TELLTALE_SHORT } from '@fennip/core/treatment/words.js'
import { minutesOf, USUAL_PACE, type Pace } from '@fennip/core/check/triage.js'
import type { Run } from './api.js'
import type { Lens } from '../workers/lenses.js'

export { KIND_WORDS, TELLTALE_SHORT }
/** What a flaw is called: its kind where that is known, else its shape. */
export function nameOf(flaw: Pick<Flaw, 'kind' | 'shape'>): string {
  if (flaw.kind !== 'other') return KIND_WORDS[flaw.kind]
  return { disc: 'Spot', stroke: 'Stroke', outline: 'Outline' }[flaw.shape.type]
}
export const STATE_WORDS: Record<Flaw['state'], string> = { open: 'open', mended: 'to judge', settled: 'settled', left: 'left' }
export const TELLTALE_NAMES: Record<TelltaleName, string> = { leftover: 'Left over', toneStep: 'Tone step', grain: 'Grain', repeat: 'Repeat', brokenEdge: 'Broken edge', smear: 'Smear', subjectTouched: 'Subject', taintedSource: 'Source' }

export const LENS_WORDS: Record<Lens, string> = { plain: 'Plain', negative: 'Negative', relief: 'Relief', grain: 'Grain', change: 'Change' }

/** What is left to do, in words. */
export function minutesLeft(open: number, mended: number, pace: Partial<Pace> = {}): string {
  const minutes = minutesOf({ open, mended }, { ...USUAL_PACE, ...pace })
  if (minutes === 0) return 'nothing left'
  if (minutes < 1) return 'under a minute left'
  if (minutes < 60) return `about ${Math.round(minutes)} min left`
  return `about ${Math.floor(minutes / 60)} h ${Math.round(minutes % 60)} min left`
}

export const RUN_WORDS: Record<Run['kind'], { doing: string; batch: string }> = {
  intake: { doing: 'Taking in', batch: 'Take in' },
  find: { doing: 'Searching', batch: 'Find' },
  mend: { doing: 'Mending', batch: 'Mend' },
  export: { doing: 'Writing the files', batch: 'Hand over' },
  learn: { doing: 'Learning the chart', batch: 'Learn the chart' },
  chart: { doing: 'Applying chart', batch: 'Apply the sensor chart' },
  carry: { doing: 'Carrying mends over', batch: 'Carry mends over' },
  'lay-together': { doing: 'Laying the pieces together', batch: 'Lay pieces together' },
  fit: { doing: 'Fitting the pieces', batch: 'Fit the pieces' },
  join: { doing: 'Joining the pieces', batch: 'Join the pieces' },
  merge: { doing: 'Merging the exposures', batch: 'Merge the exposures' },
  'bring-over': { doing: 'Bringing a part over', batch: 'Bring a part over' },
  rescan: { doing: 'Carrying the treatment to this scan', batch: 'Carry a treatment over' },
  archive: { doing: 'Writing the archive', batch: 'Write the archive' },
  restore: { doing: 'Taking a job in', batch: 'Take a job in' },
  'contact-sheet': { doing: 'Writing the contact sheet', batch: 'Write the contact sheet' },
}

/** A number with the word for it. */
export const counted = (value: number, one: string, many: string) => `${thousands(value)} ${value === 1 ? one : many}`
export const thousands = (value: number) => value.toString().replace(/\B(?=(\d{3})+$)/g, '\u202f')
export const megapixels = (width: number, height: number) => `${((width * height) / 1e6).toFixed(1)} MP`

/** A number of times, to three places or more. */
const times = (value: number) => `${value < 100 ? value.toFixed(1) : Math.round(value)}×`

/** How strongly a flaw stands out, in a few words; empty where that was not measured, as of what was drawn. */
export function strengthWords({ kind, contrast, weight }: Pick<Flaw, 'kind' | 'contrast' | 'weight'>): string {
  if (!(weight > 0)) return ''
  switch (kind) {
    // Of these the contrast is what is missing of the grain.
    case 'flat': case 'smudge': return `${Math.round(100 * (1 + contrast))} % of grain`
    // Of a wave: its amplitude over that of other waves as long.
    case 'moire': return `${times(contrast)} others`
    // A tear may lie over bright and dark alike: a number would say more of these than of the tear.
    case 'loss': return contrast < 0 ? 'darker' : 'brighter'
    default: return `${times(Math.abs(contrast))} noise`
  }
}

/** How likely a find is a flaw; empty where there is hardly a doubt. */
export function likelihoodWords({ confidence }: Pick<Flaw, 'confidence'>): string {
  const real = Math.max(1, Math.round(100 * confidence))
  return real >= 95 ? '' : `Of 100 such finds about ${counted(real, 'is', 'are')} real.`
}

/** What and where a flaw is, for the names of steps: "dust at 1204, 833". */
export function placeWords(flaw: Pick<Flaw, 'kind' | 'shape'>): string {
  const { x, y } = shapeCentre(flaw.shape)
  const place = `at ${Math.round(x)}, ${Math.round(y)}`
  return flaw.kind === 'other' ? place : `${KIND_WORDS[flaw.kind].toLowerCase()} ${place}`
}
