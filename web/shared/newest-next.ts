/**
 * Work that is asked for more often than it can be done: one at a time, and when it is through, once more if it was asked
 * for meanwhile. What fails does not keep the next from being done.
 *
 * @param work     Done at least once after each call.
 * @param failed   Told what it throws.
 */
export function newestNext(work: () => Promise<void>, failed: (error: unknown) => void): () => Promise<void> {
  let running = false
  let wanted = false
  return async () => {
    wanted = true
    if (running) return
    running = true
    while (wanted) {
      wanted = false
      await work().catch(failed)
    }
    running = false
  }
}
