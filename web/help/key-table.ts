/** Where keys act. */
export const KEY_PLACES = {
  anywhere: 'Every screen',
  everywhere: 'Over a picture, in every stage',
  steps: 'Lists of steps',
  strip: 'The test strip',
  curve: 'Points of the curve',
  ledger: 'The ledger, in Find and Mend',
  mend: 'Mend',
  tools: 'Tools of Mend',
  correct: 'Correct',
  rebuild: 'Rebuild',
  finish: 'Finish',
  assemble: 'Assemble',
  sensor: 'The sensor chart',
} as const
export type KeyPlace = keyof typeof KEY_PLACES

export interface KeyRow {
  readonly id: string
  readonly place: KeyPlace
  /** As `KeyboardEvent.key`, a letter in lower case for both cases unless another row takes the upper; before it `Ctrl+`, `Shift+` and `Alt+` in this order. */
  readonly keys: readonly string[]
  readonly words: string
}

/** Every key of the application: what is bound, what the help shows, and docs/keys.md. */
export const KEY_TABLE = [
  { id: 'help', place: 'anywhere', keys: ['?'], words: 'keys and words' },
  { id: 'original', place: 'everywhere', keys: [' '], words: 'the original, as long as it is held' },
  { id: 'divider', place: 'everywhere', keys: ['d'], words: 'divider between original and result' },
  { id: 'beside', place: 'everywhere', keys: ['b'], words: 'original and result side by side' },
  { id: 'blink', place: 'everywhere', keys: ['k'], words: 'original and result in turn' },
  { id: 'alone', place: 'everywhere', keys: ['w'], words: 'compare only what is selected (Mend, Correct, Rebuild)' },
  { id: 'one-to-one', place: 'everywhere', keys: ['z'], words: '1:1' },
  { id: 'whole', place: 'everywhere', keys: ['0'], words: 'the whole picture' },
  { id: 'print-size', place: 'everywhere', keys: ['r'], words: 'as large as on paper' },
  { id: 'mirrored', place: 'everywhere', keys: ['x'], words: 'seen mirrored' },
  { id: 'turned', place: 'everywhere', keys: ['y'], words: 'seen turned by a quarter' },
  { id: 'give-up', place: 'everywhere', keys: ['Escape'], words: 'give up what is being drawn; select nothing' },
  { id: 'undo', place: 'everywhere', keys: ['Ctrl+z'], words: 'undo' },
  { id: 'redo', place: 'everywhere', keys: ['Ctrl+Shift+z'], words: 'redo' },
  { id: 'next', place: 'ledger', keys: ['ArrowDown'], words: 'next flaw' },
  { id: 'back', place: 'ledger', keys: ['ArrowUp'], words: 'flaw before' },
  { id: 'first', place: 'ledger', keys: ['Home'], words: 'first flaw' },
  { id: 'last', place: 'ledger', keys: ['End'], words: 'last flaw' },
  { id: 'marks', place: 'ledger', keys: ['h'], words: 'marks: all, unsettled, none' },
  { id: 'round-on', place: 'ledger', keys: ['PageDown'], words: 'on with the round' },
  { id: 'round-back', place: 'ledger', keys: ['PageUp'], words: 'back in the round' },
  { id: 'close-shape', place: 'tools', keys: ['Enter'], words: 'end what is being drawn; keep the guard' },
  { id: 'settle', place: 'mend', keys: ['Enter'], words: 'settle' },
  { id: 'leave', place: 'mend', keys: ['l'], words: 'leave as it is' },
  { id: 'mend', place: 'mend', keys: ['m'], words: 'mend' },
  { id: 'mend-all', place: 'mend', keys: ['M'], words: 'mend all open' },
  { id: 'lift', place: 'mend', keys: ['1'], words: 'lift' },
  { id: 'heal', place: 'mend', keys: ['2'], words: 'heal' },
  { id: 'fill', place: 'mend', keys: ['3'], words: 'fill' },
  { id: 'clone', place: 'mend', keys: ['4'], words: 'clone' },
  { id: 'other-source', place: 'mend', keys: ['o'], words: 'another source' },
  { id: 'next-best', place: 'mend', keys: ['n'], words: 'the next best mend' },
  { id: 'source-left', place: 'mend', keys: ['Alt+ArrowLeft'], words: 'source left by a pixel' },
  { id: 'source-right', place: 'mend', keys: ['Alt+ArrowRight'], words: 'source right by a pixel' },
  { id: 'source-up', place: 'mend', keys: ['Alt+ArrowUp'], words: 'source up by a pixel' },
  { id: 'source-down', place: 'mend', keys: ['Alt+ArrowDown'], words: 'source down by a pixel' },
  { id: 'take-out', place: 'mend', keys: ['Delete'], words: 'take out' },
  { id: 'take-back', place: 'tools', keys: ['Backspace'], words: 'take the last corner back; take out' },
  { id: 'spot', place: 'tools', keys: ['s'], words: 'spot' },
  { id: 'stroke', place: 'tools', keys: ['t'], words: 'stroke' },
  { id: 'outline', place: 'tools', keys: ['u'], words: 'outline' },
  { id: 'area', place: 'tools', keys: ['g'], words: 'guards and zones' },
  { id: 'side', place: 'tools', keys: ['i'], words: 'grow inside or outside' },
  { id: 'smaller', place: 'tools', keys: ['-'], words: 'smaller, also by Alt and wheel' },
  { id: 'larger', place: 'tools', keys: ['+', '='], words: 'larger' },
  { id: 'correct-look', place: 'correct', keys: ['v'], words: 'look' },
  { id: 'correct-mend', place: 'correct', keys: ['m'], words: 'mend by strokes' },
  { id: 'zone-in', place: 'correct', keys: ['i'], words: 'paint in' },
  { id: 'zone-out', place: 'correct', keys: ['e'], words: 'paint out' },
  { id: 'zone-outline', place: 'correct', keys: ['u'], words: 'outline' },
  { id: 'zone-grow', place: 'correct', keys: ['g'], words: 'grow' },
  { id: 'zone-tone', place: 'correct', keys: ['t'], words: 'pick by tone' },
  { id: 'zone-colour', place: 'correct', keys: ['c'], words: 'pick by colour' },
  { id: 'zone-slope', place: 'correct', keys: ['l'], words: 'slope' },
  { id: 'zone-end', place: 'correct', keys: ['Enter'], words: 'end the outline' },
  { id: 'zone-smaller', place: 'correct', keys: ['-'], words: 'smaller brush, also by Alt and wheel' },
  { id: 'zone-larger', place: 'correct', keys: ['+', '='], words: 'larger brush' },
  { id: 'rebuild-look', place: 'rebuild', keys: ['v'], words: 'look' },
  { id: 'draw', place: 'rebuild', keys: ['s'], words: 'draw; with Shift straight on' },
  { id: 'pick', place: 'rebuild', keys: ['p'], words: 'pick a tone' },
  { id: 'edge', place: 'rebuild', keys: ['e'], words: 'edge' },
  { id: 'sharpen-edge', place: 'rebuild', keys: ['a'], words: 'sharpen an edge' },
  { id: 'texture', place: 'rebuild', keys: ['t'], words: 'texture' },
  { id: 'texture-from', place: 'rebuild', keys: ['f'], words: 'where the texture is from' },
  { id: 'pen-smaller', place: 'rebuild', keys: ['-'], words: 'smaller pen, also by Alt and wheel' },
  { id: 'pen-larger', place: 'rebuild', keys: ['+', '='], words: 'larger pen' },
  { id: 'strip-down', place: 'strip', keys: [','], words: 'the value before' },
  { id: 'strip-up', place: 'strip', keys: ['.'], words: 'the next value' },
  { id: 'step-next', place: 'steps', keys: ['ArrowDown'], words: 'next step' },
  { id: 'step-back', place: 'steps', keys: ['ArrowUp'], words: 'step before' },
  { id: 'step-down', place: 'steps', keys: ['Alt+ArrowDown'], words: 'moved down' },
  { id: 'step-up', place: 'steps', keys: ['Alt+ArrowUp'], words: 'moved up' },
  { id: 'step-switch', place: 'steps', keys: [' '], words: 'switched on or off' },
  { id: 'step-remove', place: 'steps', keys: ['Delete'], words: 'taken out' },
  { id: 'propose', place: 'finish', keys: ['p'], words: 'propose all' },
  { id: 'neutral', place: 'finish', keys: ['n'], words: 'neutral point' },
  { id: 'level', place: 'finish', keys: ['v'], words: 'level a line' },
  { id: 'crop', place: 'finish', keys: ['c'], words: 'cut the frame' },
  { id: 'corners', place: 'finish', keys: ['q'], words: 'corners' },
  { id: 'framed', place: 'finish', keys: ['f'], words: 'seen as framed' },
  { id: 'point-left', place: 'curve', keys: ['ArrowLeft'], words: 'darker tones; with Shift five times as far' },
  { id: 'point-right', place: 'curve', keys: ['ArrowRight'], words: 'lighter tones' },
  { id: 'point-up', place: 'curve', keys: ['ArrowUp'], words: 'made lighter' },
  { id: 'point-down', place: 'curve', keys: ['ArrowDown'], words: 'made darker' },
  { id: 'point-remove', place: 'curve', keys: ['Delete'], words: 'taken out' },
  { id: 'piece-left', place: 'assemble', keys: ['ArrowLeft'], words: 'piece left by a pixel, with Alt by a tenth' },
  { id: 'piece-right', place: 'assemble', keys: ['ArrowRight'], words: 'right' },
  { id: 'piece-up', place: 'assemble', keys: ['ArrowUp'], words: 'up' },
  { id: 'piece-down', place: 'assemble', keys: ['ArrowDown'], words: 'down' },
  { id: 'piece-left-fine', place: 'assemble', keys: ['Alt+ArrowLeft'], words: 'left by a tenth of a pixel' },
  { id: 'piece-right-fine', place: 'assemble', keys: ['Alt+ArrowRight'], words: 'right' },
  { id: 'piece-up-fine', place: 'assemble', keys: ['Alt+ArrowUp'], words: 'up' },
  { id: 'piece-down-fine', place: 'assemble', keys: ['Alt+ArrowDown'], words: 'down' },
  { id: 'piece-turn-back', place: 'assemble', keys: [','], words: 'turned to the left' },
  { id: 'piece-turn', place: 'assemble', keys: ['.'], words: 'turned to the right' },
  { id: 'mark-next', place: 'sensor', keys: ['ArrowRight'], words: 'next mark' },
  { id: 'mark-back', place: 'sensor', keys: ['ArrowLeft'], words: 'mark before' },
  { id: 'frame-next', place: 'sensor', keys: ['ArrowDown'], words: 'next frame' },
  { id: 'frame-back', place: 'sensor', keys: ['ArrowUp'], words: 'frame before' },
  { id: 'mark-settle', place: 'sensor', keys: ['Enter'], words: 'settle' },
  { id: 'mark-leave', place: 'sensor', keys: ['l'], words: 'leave as it is' },
  { id: 'mark-settle-all', place: 'sensor', keys: ['a'], words: 'settle this mark in all frames' },
  { id: 'mark-settle-quiet', place: 'sensor', keys: ['A'], words: 'settle all that show nothing' },
  { id: 'mark-open', place: 'sensor', keys: ['b'], words: 'open the flaw in Mend' },
] as const satisfies readonly KeyRow[]

export type KeyId<Place extends KeyPlace> = Extract<(typeof KEY_TABLE)[number], { place: Place }>['id']

const SHOWN: Record<string, string> = { ' ': 'Space', ArrowDown: '↓', ArrowUp: '↑', ArrowLeft: '←', ArrowRight: '→', Delete: 'Del', Escape: 'Esc', PageDown: 'PgDn', PageUp: 'PgUp' }

/** A key as it is printed on keyboards: `Shift M`, `Ctrl Z`, `↓`. */
export function shownKey(key: string): string {
  const parts = key.length > 1 ? key.split('+') : [key]
  const last = parts.pop()!
  const letter = /^\p{Lu}$/u.test(last) ? `Shift ${last}` : last
  return [...parts, SHOWN[last] ?? (letter.length === 1 ? letter.toUpperCase() : letter)].join(' ')
}

/** Rows of the places, in the order of the table. */
export const rowsOf = (place: KeyPlace): readonly KeyRow[] => KEY_TABLE.filter((row) => row.place === place)
