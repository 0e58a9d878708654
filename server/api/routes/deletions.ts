import type { Request } from 'express'
import * as validators from '@fennip/core/treatment/generated/validators.js'
import { notify } from '../../events.js'
import { deleteForADay, restore } from '../../pictures.js'
import { NothingBody } from '../bodies.js'
import { parameter, type Route, type RouteTools } from '../route.js'

/** Deleting for a day, and bringing back. */
export function deletionRoutes({ database }: RouteTools): Route[] {
  const kinds = [{ path: '/jobs/{job}', name: 'job', table: 'jobs', word: 'a job with its pictures' }, { path: '/pictures/{picture}', name: 'picture', table: 'pictures', word: 'a picture' }] as const
  return kinds.flatMap(({ path, name, table, word }): Route[] => {
    const changed = async (request: Request, change: typeof deleteForADay) => {
      const answer = await change(database, table, parameter(request, name))
      await notify(database, { type: 'listing', picture: parameter(request, name) })
      return answer
    }
    return [
      { method: 'delete', path, summary: `Delete ${word}; it can be brought back for a day`, success: 200, handle: (request) => changed(request, deleteForADay) },
      { method: 'post', path: `${path}/restore`, summary: `Bring back ${word}`, body: NothingBody, validate: validators.validateNothingBody, success: 200, handle: (request) => changed(request, restore) },
    ]
  })
}
