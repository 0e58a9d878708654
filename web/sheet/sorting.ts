import { minutesOf, USUAL_PACE, VERDICTS, verdictOf, type Pace } from '@fennip/core/check/triage.js'
import type { Picture } from '../shared/api.js'

/** How the pictures of a job are put in order, and which are shown. */

export const ORDERS = { arrival: 'as they came', verdict: 'quickest first', flaws: 'most flaws first', shows: 'most that shows first', name: 'by name' } as const
export type Order = keyof typeof ORDERS

export const FILTERS = { all: 'all', todo: 'to do', quick: 'quick', 'worth it': 'worth it', long: 'long', doubtful: 'doubtful', done: 'done', aside: 'set aside' } as const
export type Filter = keyof typeof FILTERS

const flawsOf = ({ counts }: Picture) => (counts.open ?? 0) + (counts.mended ?? 0) + (counts.settled ?? 0) + (counts.left ?? 0)
const minutes = (picture: Picture, pace: Partial<Pace>) => minutesOf(picture.counts, { ...USUAL_PACE, ...pace })

/** Searched and everything in it judged. */
export const isDone = (picture: Picture) => picture.searched && (picture.counts.open ?? 0) + (picture.counts.mended ?? 0) === 0

export function arranged(list: readonly Picture[], order: Order, filter: Filter, pace: Partial<Pace>): Picture[] {
  const shown = list.filter((picture) => {
    if (filter === 'all') return true
    if (filter === 'aside' || picture.setAside) return filter === 'aside' && picture.setAside
    if (filter === 'done') return isDone(picture)
    if (filter === 'todo') return !isDone(picture)
    return picture.searched && !isDone(picture) && verdictOf(picture.counts, minutes(picture, pace)) === filter
  })
  const rank = (picture: Picture): number => {
    switch (order) {
      case 'arrival': case 'name': return 0
      case 'flaws': return -flawsOf(picture)
      case 'shows': return -(picture.counts.shows ?? 0)
      // What was never searched has no verdict yet, and what is set aside none any more.
      case 'verdict': return picture.setAside ? 1e9 : !picture.searched ? 1e8 : 1e6 * VERDICTS.indexOf(verdictOf(picture.counts, minutes(picture, pace))) + minutes(picture, pace)
    }
  }
  return order === 'name' ? shown.sort((a, b) => a.name.localeCompare(b.name)) : shown.sort((a, b) => rank(a) - rank(b))
}
