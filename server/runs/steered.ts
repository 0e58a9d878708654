import { Cancelled, type Progress } from './tools.js'

/** Work in a thread that stops when the run is cancelled. */
export async function steered<T>(progress: Progress, work: (onShare: (share: number) => boolean) => Promise<T>): Promise<T> {
  let stopped = false
  const result = await work((share) => {
    if (!progress(share)) stopped = true
    return !stopped
  }).catch((error: unknown) => {
    throw stopped ? new Cancelled() : error
  })
  if (stopped) throw new Cancelled()
  return result
}
