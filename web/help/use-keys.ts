import { useEventListener } from '@vueuse/core'
import { isForWork, isTyping } from '../shared/keys.js'
import { KEY_TABLE, type KeyId, type KeyPlace } from './key-table.js'

/** What a key does, and when it does anything; of several rows with one key the first that may act does. */
export type KeyAction = ((event: KeyboardEvent) => void) | { readonly act: (event: KeyboardEvent) => void; readonly when: () => boolean }

/** Names by which rows of the table call the key of an event: as it is, and in lower case. */
function namesOf(event: KeyboardEvent): string[] {
  const before = `${event.ctrlKey || event.metaKey ? `Ctrl+${event.shiftKey ? 'Shift+' : ''}` : ''}${event.altKey ? 'Alt+' : ''}`
  const lower = event.key.length === 1 ? event.key.toLowerCase() : event.key
  return before === '' ? [event.key, lower] : [before + lower]
}

/**
 * What answers the keys of some places of the table.
 *
 * @param actions  What each row of the places does: none can be forgotten, and none be bound that is not in the table.
 * @param isHere   Whether a place is the one that is worked in.
 * @returns Acts on an event, and says whether it did.
 */
export function keyHandler<Place extends KeyPlace>(places: readonly Place[], actions: Record<KeyId<Place>, KeyAction>, isHere: (place: Place) => boolean = () => true): (event: KeyboardEvent) => boolean {
  const rows = KEY_TABLE.filter((row) => (places as readonly KeyPlace[]).includes(row.place)).map((row) => {
    const action = (actions as Record<string, KeyAction>)[row.id]!
    const { act, when } = typeof action === 'function' ? { act: action, when: () => true } : action
    return { keys: row.keys as readonly string[], act, when: () => isHere(row.place as Place) && when() }
  })
  return (event) => {
    for (const name of namesOf(event)) {
      const row = rows.find(({ keys, when }) => keys.includes(name) && when())
      if (!row) continue
      event.preventDefault()
      row.act(event)
      return true
    }
    return false
  }
}

/** Keys that act while the picture or a list has the focus, so that buttons and sliders keep theirs; with Ctrl wherever nothing is typed. */
export function useKeys<Place extends KeyPlace>(places: readonly Place[], actions: Record<KeyId<Place>, KeyAction>, isHere?: (place: Place) => boolean): void {
  const answer = keyHandler(places, actions, isHere)
  useEventListener(window, 'keydown', (event: KeyboardEvent) => {
    if (event.defaultPrevented || event.isComposing) return
    if (event.ctrlKey || event.metaKey ? !isTyping(event.target as HTMLElement) : isForWork(event)) answer(event)
  })
}
