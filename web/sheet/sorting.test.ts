import { describe, expect, it } from 'vitest'
import type { Counts } from '@fennip/core/check/triage.js'
import type { Picture } from '../shared/api.js'
import { arranged, FILTERS, ORDERS, type Filter, type Order } from './sorting.js'

const picture = (name: string, counts: Partial<Counts>, more: Partial<Picture> = {}): Picture => ({
  id: name, name, kind: 'frame', levels: 3, revision: 1, counts, sensor: null, setAside: false, searched: true, looked: [], sameAs: null,
  original: { sha256: 'a'.repeat(64), format: 'jpeg', width: 3000, height: 2000, channels: 3, depth: 8, bytes: 1 },
  about: { profile: { name: 'sRGB', curve: { type: 'srgb' }, assumed: true } as Picture['about']['profile'], camera: {}, resolutionPerInch: null, hasAlpha: false, pages: 1, notes: [] },
  ...more,
})
const sheet = [
  picture('valve', { open: 300, shows: 0 }),
  picture('bracket', { open: 12, mended: 4, shows: 3 }),
  picture('archive', { open: 900 }),
  picture('cable', {}, { searched: false, revision: 0 }),
  picture('station', { settled: 20, left: 2, shows: 1 }),
  picture('torn', { open: 9000, covered: 0.3 }),
  picture('old', { open: 30 }, { setAside: true }),
]
const names = (order: Order, filter: Filter, pace = {}) => arranged(sheet, order, filter, pace).map(({ name }) => name)

describe('the order of a contact sheet', () => {
  it('is as they came, by name, by number of flaws or by what shows', () => {
    expect(names('arrival', 'all')).toEqual(sheet.map(({ name }) => name))
    expect(names('name', 'all')).toEqual(['archive', 'bracket', 'cable', 'old', 'station', 'torn', 'valve'])
    expect(names('flaws', 'all').slice(0, 3)).toEqual(['torn', 'archive', 'valve'])
    expect(names('shows', 'all').slice(0, 2)).toEqual(['bracket', 'station'])
  })
  it('by verdict begins with the quickest, and ends with what was never searched and what is set aside', () => {
    expect(names('verdict', 'all')).toEqual(['station', 'bracket', 'valve', 'archive', 'torn', 'cable', 'old'])
  })
  it('has a word for every order and filter', () => {
    for (const order of Object.keys(ORDERS) as Order[]) expect(names(order, 'all')).toHaveLength(sheet.length)
    for (const filter of Object.keys(FILTERS) as Filter[]) expect(names('arrival', filter).length).toBeLessThanOrEqual(sheet.length)
  })
})

describe('which pictures are shown', () => {
  it('are all, what is to do, what is done, or what is set aside', () => {
    expect(names('arrival', 'todo')).toEqual(['valve', 'bracket', 'archive', 'cable', 'torn'])
    expect(names('arrival', 'done')).toEqual(['station'])
    expect(names('arrival', 'aside')).toEqual(['old'])
  })
  it('are those of one verdict, which what was not searched has none of', () => {
    expect(names('arrival', 'quick')).toEqual(['bracket'])
    expect(names('arrival', 'worth it')).toEqual(['valve'])
    expect(names('arrival', 'long')).toEqual(['archive'])
    expect(names('arrival', 'doubtful')).toEqual(['torn'])
  })
  it('follow the pace of the restorer: who is slow has fewer quick ones', () => {
    expect(names('arrival', 'quick', { mend: 60 })).toEqual([])
    expect(names('arrival', 'worth it', { mend: 60 })).toEqual(['bracket'])
  })
  it('come from a list that is left as it is', () => {
    const before = sheet.map(({ name }) => name)
    names('name', 'all')
    expect(sheet.map(({ name }) => name)).toEqual(before)
  })
})
