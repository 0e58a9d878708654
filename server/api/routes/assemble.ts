import { ProblemError } from '@fennip/core/problem.js'
import * as validators from '@fennip/core/treatment/generated/validators.js'
import { readPictureSummary } from '../../pictures.js'
import { queueRun } from '../../runs/runs.js'
import { BringOverBody, FitBody, JoinBody, LayTogetherBody, MergeBody } from '../bodies.js'
import { parameter, type Route, type RouteTools } from '../route.js'

/** The stage Assemble: pieces, exposures and parts of other pictures, each as a picture of its own. */
export function assembleRoutes({ database, boss }: RouteTools): Route[] {
  return [
    { method: 'post', path: '/pictures/{picture}/fit', summary: 'Cut the pieces of a torn print out of its scan and fit them', body: FitBody, validate: validators.validateFitBody, success: 202, handle: async (request) => {
      await readPictureSummary(database, parameter(request, 'picture'))
      return queueRun(database, boss, 'fit', parameter(request, 'picture'), request.body as Record<string, unknown>)
    } },
    { method: 'post', path: '/pictures/{picture}/join', summary: 'Join the pieces of a scan into a picture of its own', body: JoinBody, validate: validators.validateJoinBody, success: 202, handle: async (request) => {
      await readPictureSummary(database, parameter(request, 'picture'))
      return queueRun(database, boss, 'join', parameter(request, 'picture'), request.body as Record<string, unknown>)
    } },
    { method: 'post', path: '/pictures/{picture}/lay-together', summary: 'Lay the pieces of several scans on one sheet, as a picture of its own', body: LayTogetherBody, validate: validators.validateLayTogetherBody, success: 202, handle: async (request) => {
      const { pictures } = request.body as { pictures: string[] }
      await Promise.all([parameter(request, 'picture'), ...pictures].map((id) => readPictureSummary(database, id)))
      return queueRun(database, boss, 'lay-together', parameter(request, 'picture'), request.body as Record<string, unknown>)
    } },
    { method: 'post', path: '/pictures/{picture}/merge', summary: 'Merge exposures of a bracket, this picture being the reference', body: MergeBody, validate: validators.validateMergeBody, success: 202, handle: async (request) => {
      const { pictures, zones = [] } = request.body as { pictures: string[]; zones?: { from: number }[] }
      const reference = parameter(request, 'picture')
      if (zones.some(({ from }) => from >= pictures.length)) throw new ProblemError('no-exposure', { title: 'There is no such exposure', detail: `A zone is to be taken from an exposure beyond the ${pictures.length} that were sent. Exposures are counted from 0.`, status: 422 })
      if (!pictures.includes(reference)) throw new ProblemError('no-reference', { title: 'The reference is not among the exposures', detail: 'The picture that the others are aligned to has to be one of them.', status: 422 })
      await Promise.all(pictures.map((id) => readPictureSummary(database, id)))
      return queueRun(database, boss, 'merge', reference, request.body as Record<string, unknown>)
    } },
    { method: 'post', path: '/pictures/{picture}/bring-over', summary: 'Bring what another picture of the job shows into a zone, as a picture of its own', body: BringOverBody, validate: validators.validateBringOverBody, success: 202, handle: async (request) => {
      const { from } = request.body as { from: string }
      await Promise.all([parameter(request, 'picture'), from].map((id) => readPictureSummary(database, id)))
      return queueRun(database, boss, 'bring-over', parameter(request, 'picture'), request.body as Record<string, unknown>)
    } },
  ]
}
