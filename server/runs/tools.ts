import type { ReadLimits } from '@fennip/codec/read.js'
import type { Database } from '../database/database.js'
import type { Storage } from '../storage/storage.js'
import type { Threads } from '../threads.js'

export interface WorkTools {
  readonly database: Database
  readonly storage: Storage
  readonly threads: Threads
  /** Threads for files that arrive; they end with their work, and their memory with them. */
  readonly intake: Threads
  readonly limits: ReadLimits
}

/** Told of progress; answers false when the work is to stop. */
export type Progress = (share: number) => boolean

/** The work was cancelled; nothing of it is kept. */
export class Cancelled extends Error {}

/** Tell the progress, and end the work where it was cancelled. */
export function goOn(progress: Progress, share: number): void {
  if (!progress(share)) throw new Cancelled()
}
