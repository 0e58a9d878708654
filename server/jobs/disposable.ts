/** What of a job may be thrown away, since it can be made again. */
export const DISPOSABLE = ['mends', 'files', 'archives'] as const
export type Disposable = (typeof DISPOSABLE)[number]
