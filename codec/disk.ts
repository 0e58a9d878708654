import { ProblemError } from '@fennip/core/problem.js'

/** A failed write as a problem the user can act on; anything else as it is. */
export function diskProblem(error: unknown, path: string): unknown {
  const code = (error as NodeJS.ErrnoException | null)?.code
  if (code === 'ENOSPC' || code === 'EDQUOT') return new ProblemError('disk-full', { title: 'The disk is full', detail: `There is no room to write ${path}. Nothing was stored; free some space and try again.`, status: 507 })
  return error
}
