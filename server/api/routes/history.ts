import * as validators from '@fennip/core/treatment/generated/validators.js'
import type { Step } from '@fennip/core/treatment/schema.js'
import { appendEdit, appendUndo, listGestures } from '../../history.js'
import { EditBody, UndoBody, type EditRequest, type UndoRequest } from '../bodies.js'
import { parameter, type Route, type RouteTools } from '../route.js'

/** The history of a picture: gestures appended, taken back and made again. */
export function historyRoutes({ database, onEdit }: RouteTools): Route[] {
  return [
    { method: 'get', path: '/pictures/{picture}/gestures', summary: 'What was done, oldest first, and what was taken back and can be made again, next first', success: 200, handle: (request) => listGestures(database, parameter(request, 'picture')) },
    { method: 'post', path: '/pictures/{picture}/edits', summary: 'Append a gesture to the history', body: EditBody, validate: validators.validateEditBody, success: 200, handle: async (request) => {
      const { id, revision, label, operations } = request.body as EditRequest
      const picture = parameter(request, 'picture')
      const saved = await appendEdit(database, picture, revision, label, operations as never, id)
      const steps = operations.flatMap((operation) => (operation.type === 'put' && operation.list === 'steps' ? (operation.items as Step[]) : []))
      if (steps.length > 0) onEdit(picture, steps)
      return saved
    } },
    { method: 'post', path: '/pictures/{picture}/undo', summary: 'Take the last gestures back', body: UndoBody, validate: validators.validateUndoBody, success: 200, handle: (request) => {
      const { id, revision, times } = request.body as UndoRequest
      return appendUndo(database, parameter(request, 'picture'), 'undo', revision, times, id)
    } },
    { method: 'post', path: '/pictures/{picture}/redo', summary: 'Make the gestures again that were taken back', body: UndoBody, validate: validators.validateUndoBody, success: 200, handle: (request) => {
      const { id, revision, times } = request.body as UndoRequest
      return appendUndo(database, parameter(request, 'picture'), 'redo', revision, times, id)
    } },
  ]
}
