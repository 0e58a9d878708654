import { ref } from 'vue'

/** So long must nothing move before the exact picture is made, in milliseconds. */
const REST = 500

/**
 * At small zoom filters are drawn on a smaller copy of the picture, so that a setting is followed at once. When nothing
 * has moved for a while, what is in view is made at full size and reduced.
 *
 * @param refine  Makes it; answers whether it came to its end. It stops by itself when something is painted anew.
 * @param wanted  Whether what is in view differs from its exact picture at all.
 */
export function useExactView(wanted: () => boolean, refine: () => Promise<boolean>) {
  const isExact = ref(true)
  let timer = 0
  /** Something moved: whatever is under way is of no use any more. */
  function moved(): void {
    clearTimeout(timer)
    isExact.value = !wanted()
    if (isExact.value) return
    timer = window.setTimeout(async () => {
      // What was interrupted is begun again; what cannot be made, without a server for instance, stays as it is drawn.
      const ended = await refine().catch((error: unknown) => ((error as Error).name === 'AbortError' ? false : null))
      if (ended) isExact.value = true
      else if (ended === false) moved()
    }, REST)
  }
  return { isExact, moved, stop: () => clearTimeout(timer) }
}
