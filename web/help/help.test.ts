import { describe, expect, it } from 'vitest'
import { TELLTALE_NAMES as MEND_TELLTALES } from '@fennip/core/check/telltales.js'
import { TELLTALE_NAMES as MEND_TELLTALE_WORDS } from '../shared/words.js'
import { STAGES } from '../bench/stages.js'
import { keysDocument, wordsDocument } from './help-document.js'
import { KEY_TABLE, rowsOf, shownKey, type KeyPlace } from './key-table.js'
import { explained, STAGE_WORDS_EXPLAINED } from './stage-words.js'
import { keyHandler } from './use-keys.js'

const event = (key: string, held: Partial<Record<'ctrlKey' | 'altKey' | 'shiftKey', boolean>> = {}) => {
  const asked = { key, ctrlKey: false, metaKey: false, altKey: false, shiftKey: false, ...held, prevented: 0, preventDefault: () => asked.prevented++ }
  return asked as unknown as KeyboardEvent & { prevented: number }
}

describe('the table of keys', () => {
  it('has each row once, and no key twice in one place', () => {
    expect(new Set(KEY_TABLE.map(({ id }) => id)).size).toBe(KEY_TABLE.length)
    for (const place of new Set<KeyPlace>(KEY_TABLE.map((row) => row.place))) {
      const keys = rowsOf(place).flatMap((row) => row.keys)
      expect(new Set(keys).size, place).toBe(keys.length)
    }
  })
  it('gives no key of a stage two meanings but where the first says when', () => {
    // Enter, Backspace and Delete go to what is being drawn first; everything else is unique within what one stage shows.
    const shared = new Set(['Enter'])
    for (const places of [['everywhere', 'ledger', 'mend', 'tools'], ['everywhere', 'strip', 'correct'], ['everywhere', 'strip', 'rebuild'], ['everywhere', 'strip', 'finish'], ['everywhere', 'assemble']] as KeyPlace[][]) {
      const keys = places.flatMap((place) => rowsOf(place).flatMap((row) => row.keys)).filter((key) => !shared.has(key))
      expect(keys.filter((key, i) => keys.indexOf(key) !== i), places.join(' ')).toEqual([])
    }
  })
  it('writes keys as keyboards have them', () => {
    expect(['z', 'M', ' ', 'ArrowDown', 'Ctrl+Shift+z', 'Alt+ArrowLeft', '+', '-'].map(shownKey)).toEqual(['Z', 'Shift M', 'Space', '↓', 'Ctrl Shift Z', 'Alt ←', '+', '-'])
  })
})

describe('keys that are pressed', () => {
  const said: string[] = []
  let isSelected = false
  const steps = { 'step-next': () => said.push('next'), 'step-back': () => said.push('back'), 'step-down': () => said.push('down'), 'step-up': () => said.push('up'), 'step-switch': () => said.push('switch'), 'step-remove': { act: () => said.push('remove'), when: () => isSelected } }
  const answer = keyHandler(['steps'], steps)
  it('act once, and are taken from the page only then', () => {
    const down = event('ArrowDown')
    expect(answer(down)).toBe(true)
    expect(down.prevented).toBe(1)
    const other = event('q')
    expect(answer(other)).toBe(false)
    expect(other.prevented).toBe(0)
    expect(said).toEqual(['next'])
  })
  it('with Alt or Ctrl are others', () => {
    said.length = 0
    answer(event('ArrowDown', { altKey: true }))
    expect(answer(event('ArrowDown', { ctrlKey: true }))).toBe(false)
    expect(said).toEqual(['down'])
  })
  it('act only when they may', () => {
    said.length = 0
    expect(answer(event('Delete'))).toBe(false)
    isSelected = true
    expect(answer(event('Delete'))).toBe(true)
    expect(said).toEqual(['remove'])
  })
  it('mean the same in upper case, unless another row has the upper', () => {
    const pressed: string[] = []
    const name = (id: string) => () => pressed.push(id)
    const sensor = keyHandler(['sensor'], Object.fromEntries(rowsOf('sensor').map(({ id }) => [id, name(id)])) as never)
    for (const key of ['l', 'L', 'a', 'A']) sensor(event(key, { shiftKey: key !== key.toLowerCase() }))
    expect(pressed).toEqual(['mark-leave', 'mark-leave', 'mark-settle-all', 'mark-settle-quiet'])
  })
  it('act only in the place that is worked in', () => {
    expect(keyHandler(['steps'], steps, () => false)(event('ArrowDown'))).toBe(false)
  })
})

describe('what the words say', () => {
  it('is there for every stage, and for every telltale of a mend', () => {
    expect(Object.keys(STAGE_WORDS_EXPLAINED)).toEqual(expect.arrayContaining(STAGES.map(({ id }) => id)))
    const words = STAGE_WORDS_EXPLAINED.mend.words.map(({ word }) => word as string)
    for (const name of MEND_TELLTALES) expect(words).toContain(MEND_TELLTALE_WORDS[name])
  })
  it('is one sentence for a row, with what is good', () => {
    expect(explained('correct', 'Clipped')).toBe('Share of the zone that has become pure black or white. Good: none.')
    expect(() => explained('correct', 'No such word')).toThrow()
  })
  it('stands in the documentation as in the application (npx vitest run web/help --update writes it)', async () => {
    await expect(keysDocument()).toMatchFileSnapshot('../../docs/keys.md')
    await expect(wordsDocument()).toMatchFileSnapshot('../../docs/words.md')
  })
})
