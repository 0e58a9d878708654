import { KEY_PLACES, rowsOf, shownKey, type KeyPlace } from './key-table.js'
import { STAGE_WORDS_EXPLAINED, type ScreenWords } from './stage-words.js'

const cell = (text: string) => text.replaceAll('|', '\\|')

/** docs/keys.md: every key, by where it acts. */
export function keysDocument(): string {
  const places = (Object.keys(KEY_PLACES) as KeyPlace[]).map((place) => [`## ${KEY_PLACES[place]}`, '', '| key | does |', '|---|---|', ...rowsOf(place).map(({ keys, words }) => `| ${keys.map((key) => cell(shownKey(key))).join(' ')} | ${cell(words)} |`), ''].join('\n'))
  return ['# Keys', '', 'Written from `web/help/key-table.ts`, which also binds them and fills the help (`?`).', '', ...places].join('\n')
}

/** docs/words.md: what the words and numbers of each screen say. */
export function wordsDocument(): string {
  const screens = (Object.values(STAGE_WORDS_EXPLAINED) as ScreenWords[]).map(({ title, purpose, words }) => [`## ${title}`, '', purpose, '', '| word | means | good |', '|---|---|---|', ...words.map(({ word, means, good = '' }) => `| ${cell(word)} | ${cell(means)} | ${cell(good)} |`), ''].join('\n'))
  return ['# Words and numbers', '', 'Written from `web/help/stage-words.ts`, which also fills the help (`?`).', '', ...screens].join('\n')
}
