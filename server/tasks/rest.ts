import { setFlagsFromString } from 'node:v8'
import { runInNewContext } from 'node:vm'
import { forgetKernels } from '@fennip/core/kernels/module.js'
import { forgetTiles } from '../storage/base.js'
import { forgetPatches } from '../storage/patches.js'

/**
 * What a thread does between two pieces of work: it stays, with all that it has compiled, but gives back the memory that it
 * has grown by. Otherwise threads that searched keep so much that the next long work does not fit beside it.
 */

/** So long after its last task a thread rests; the tasks of one run follow one another faster. */
const REST_AFTER = 500

let busy = 0
let waiting: NodeJS.Timeout | undefined

/** Clear away at once what nothing refers to any more; the engine itself waits until memory is short. */
function collectGarbage(): void {
  setFlagsFromString('--expose-gc')
  ;(runInNewContext('gc') as () => void)()
}

function rest(): void {
  forgetKernels()
  forgetTiles()
  forgetPatches()
  collectGarbage()
}

/** Do a task, and rest when none follows it. */
export async function restingAfter<O>(task: () => O | Promise<O>): Promise<O> {
  busy++
  clearTimeout(waiting)
  try {
    return await task()
  } finally {
    busy--
    if (busy === 0) waiting = setTimeout(rest, REST_AFTER).unref()
  }
}
