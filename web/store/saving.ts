import { ref, type Ref, type ShallowRef } from 'vue'
import { ProblemError } from '@fennip/core/problem.js'
import type { Operation } from '@fennip/core/treatment/schema.js'
import { api, type OpenedPicture } from '../shared/api.js'

/** One gesture of the restorer: one entry of the history. */
interface Gesture {
  readonly label: string
  readonly operations: Operation[]
}

interface Saved {
  readonly opened: ShallowRef<OpenedPicture['picture'] | null>
  readonly revision: Ref<number>
  readonly undoLabel: Ref<string | null>
  readonly redoLabel: Ref<string | null>
  readonly problem: Ref<string | null>
  /** Take what is saved in place of what is on screen. */
  refresh(): Promise<void>
}

/** How long to wait before what could not be sent is sent again, in milliseconds. */
const AGAIN = 1500

/** Gestures on their way to the server: sent in order, kept and tried again while the server cannot be reached. */
export function useSaving({ opened, revision, undoLabel, redoLabel, problem, refresh }: Saved) {
  const queue: Gesture[] = []
  /** How many wait. */
  const saving = ref(0)
  const trouble = ref<string | null>(null)
  let sending = false

  const isBusy = () => queue.length > 0 || sending

  function push(gesture: Gesture): void {
    queue.push(gesture)
    saving.value = queue.length
    void send()
  }

  async function send(): Promise<void> {
    if (sending) return
    sending = true
    try {
      while (queue.length > 0 && opened.value) {
        const gesture = queue[0]!
        try {
          const saved = await api.edit(opened.value.id, revision.value, gesture.label, gesture.operations)
          queue.shift()
          revision.value = saved.revision
          undoLabel.value = gesture.label
          redoLabel.value = null
          trouble.value = null
          if (saved.rebased && queue.length === 0) await refresh()
        } catch (error) {
          const known = error instanceof ProblemError ? error : null
          if (known && known.status < 500 && known.status !== 507) {
            // Refused for good: what is on screen goes back to what is saved.
            queue.length = 0
            problem.value = known.detail
            await refresh()
            break
          }
          trouble.value = known?.title ?? 'Not saved'
          await new Promise((resolve) => setTimeout(resolve, AGAIN))
        }
        saving.value = queue.length
      }
    } finally {
      sending = false
      saving.value = queue.length
    }
  }

  /** Wait until everything is saved. */
  async function allSaved(): Promise<void> {
    while (isBusy()) await new Promise((resolve) => setTimeout(resolve, 30))
  }

  return { saving, trouble, push, isWaiting: () => queue.length > 0, isBusy, allSaved, forget: () => (queue.length = 0) }
}
