import { stepExtent } from '../mend/patches/patch-keys.js'
import { ProblemError } from '../problem.js'
import { clipRegion, type Region } from '../raster/raster.js'
import { shapeBounds } from '../shape/shape.js'
import { isShapeArea, unpackMask } from '../shape/zone/zone-cover.js'
import type { Area, Flaw, Operation, Step, Treatment } from '../treatment/schema.js'

/**
 * Check that what a gesture puts into a treatment lies in the picture: a mend that cannot be made would make every later
 * export fail.
 *
 * @throws {ProblemError} naming the flaw or mend and what is wrong with its place.
 */
export function checkPlaces({ original }: Treatment, operations: readonly Operation[]): void {
  for (const operation of operations) {
    if (operation.type !== 'put') continue
    const ids = new Set<string>()
    for (const item of operation.items) {
      if (ids.has(item.id)) throw new ProblemError('identifier-twice', { title: 'An identifier stands twice in one change', detail: `${item.id} is put into the list of ${operation.list} twice. Give each thing an identifier of its own.`, status: 422 })
      ids.add(item.id)
    }
    if (operation.at && operation.at.length !== operation.items.length) throw new ProblemError('places-missing', { title: 'The places do not fit the things', detail: `${operation.items.length} things are put at ${operation.at.length} places. Say one place for each.`, status: 422 })
    if (operation.list === 'flaws') for (const flaw of operation.items) checkFlaw(flaw, original)
    if (operation.list === 'steps') for (const step of operation.items) checkStep(step, original)
    if (operation.list === 'areas') for (const area of operation.items) checkArea(area)
  }
}

interface Size { readonly width: number; readonly height: number }

const isEmpty = ({ width, height }: Region) => width <= 0 || height <= 0

function checkFlaw({ id, shape }: Flaw, { width, height }: Size): void {
  if (isEmpty(clipRegion(shapeBounds(shape), width, height))) throw outside(`Flaw ${id}`, { width, height })
}

function checkStep(step: Step, picture: Size): void {
  const { id, shape, source } = step
  if (isEmpty(clipRegion(shapeBounds(shape), picture.width, picture.height))) throw outside(`Mend ${id}`, picture)
  const { writes, reads } = stepExtent(step, picture)
  if (isEmpty(writes)) throw outside(`Mend ${id}`, picture)
  if (source && reads.some(isEmpty)) throw new ProblemError('source-outside', { title: 'The source lies outside the picture', detail: `Mend ${id} takes its pixels from ${source.dx}, ${source.dy} away, where there is no picture. Choose a source inside.`, status: 422 })
  for (const field of [step.tint, step.pattern]) {
    const values = field && ('depth' in field ? field.depth : field.waves[0]!.real)
    if (field && values && values.length % field.columns !== 0) throw new ProblemError('grid-incomplete', { title: 'A grid of values is not complete', detail: `Mend ${id} has ${values.length} values in rows of ${field.columns}. Send whole rows.`, status: 422 })
  }
}

function checkArea(area: Area): void {
  if (area.role === 'guard' && !isShapeArea(area)) throw new ProblemError('guard-not-of-shapes', { title: 'A guard is made of shapes', detail: `${area.name} has a slope, a range, a grey picture or is inverted, so that its edge would move with the picture. Make it a zone, or draw it.`, status: 422 })
  for (const part of area.parts) {
    if (!('mask' in part)) continue
    try {
      unpackMask(part.mask)
    } catch {
      throw new ProblemError('mask-damaged', { title: 'A grey picture of a zone cannot be unpacked', detail: `${area.name} holds a picture of ${part.mask.width} x ${part.mask.height} that does not unpack to that size. Import it again.`, status: 422 })
    }
  }
}

const outside = (what: string, { width, height }: Size) =>
  new ProblemError('outside-picture', { title: 'This lies outside the picture', detail: `${what} does not touch the picture of ${width} x ${height} pixels. Move it inside, or leave it out.`, status: 422 })
