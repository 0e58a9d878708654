import { useEventListener, useIntervalFn } from '@vueuse/core'
import { onBeforeUnmount, watch } from 'vue'
import { useSession } from '../access/session.js'

/** Without a hand on it for so long, a picture is not being worked on, in milliseconds. */
const IDLE_AFTER = 90_000
/** How often time is counted, and how much is told at once, in seconds. */
const [COUNT_EVERY, TELL_EVERY] = [5, 60]

/** Count the time that the open picture is worked on, by its stage, and tell the server now and then. */
export function useTimeSpent(picture: () => string | null, stage: () => string): void {
  const session = useSession()
  let lastTouched = Date.now()
  let counted = 0
  let of: { picture: string; stage: string } | null = null
  const touched = () => (lastTouched = Date.now())
  for (const event of ['pointerdown', 'pointermove', 'keydown', 'wheel'] as const) useEventListener(window, event, touched, { passive: true })

  function tell(): void {
    const seconds = Math.min(600, counted)
    counted = 0
    if (!of || seconds < COUNT_EVERY || !session.mayChange) return
    // It is sent even while the page closes; what is lost then is less than a minute.
    void fetch(`/api/pictures/${of.picture}/time`, { method: 'POST', keepalive: true, headers: { 'content-type': 'application/json' }, body: JSON.stringify({ stage: of.stage, seconds }) }).catch(() => undefined)
  }
  const { pause } = useIntervalFn(() => {
    if (document.visibilityState !== 'visible' || Date.now() - lastTouched > IDLE_AFTER || !of) return
    counted += COUNT_EVERY
    if (counted >= TELL_EVERY) tell()
  }, 1000 * COUNT_EVERY)
  watch([picture, stage], ([id, where]) => {
    tell()
    of = id ? { picture: id, stage: where } : null
  }, { immediate: true })
  useEventListener(window, 'pagehide', tell)
  onBeforeUnmount(() => {
    pause()
    tell()
  })
}
