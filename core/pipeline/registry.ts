import { ProblemError } from '../problem.js'
import { calmMoire } from '../correct/calm-moire.js'
import { clearHaze } from '../correct/clear-haze.js'
import { clearSpecks } from '../correct/clear-specks.js'
import { contrast } from '../correct/contrast.js'
import { evenOut } from '../correct/even-out.js'
import { grain } from '../correct/grain.js'
import { lighten } from '../correct/lighten.js'
import { liftStain } from '../correct/lift-stain.js'
import { match } from '../correct/match.js'
import { shiftColour } from '../correct/shift-colour.js'
import { clone, fill, heal, lift } from '../mend/mend-operations.js'
import { bring } from '../rebuild/bring.js'
import { draw } from '../rebuild/draw.js'
import { edge } from '../rebuild/edge.js'
import { sharpenEdge } from '../rebuild/sharpen-edge.js'
import { texture } from '../rebuild/texture.js'
import { blackAndWhite } from '../finish/black-and-white.js'
import { cast } from '../finish/cast.js'
import { colourOut } from '../finish/colour-out.js'
import { crop } from '../finish/crop.js'
import { curve } from '../finish/curve.js'
import { lens } from '../finish/lens.js'
import { neutral } from '../finish/neutral.js'
import { perspective } from '../finish/perspective.js'
import { printSize } from '../finish/print-size.js'
import { sharpen } from '../finish/sharpen.js'
import { size } from '../finish/size.js'
import { turn } from '../finish/turn.js'
import type { Operation } from '../operations/operation.js'

/** All operations by name, in the order in which steps are put when nobody says otherwise. Adding one is adding its file and its entry here. */
const operations = new Map<string, Operation>()

export function registerOperation(operation: Operation): void {
  operations.set(operation.name, operation)
}

for (const operation of [clearSpecks, liftStain, calmMoire, match, contrast, clearHaze, shiftColour, lighten, evenOut, grain, heal, clone, fill, lift, bring, edge, draw, texture, sharpenEdge, cast, neutral, blackAndWhite, curve, colourOut, sharpen, lens, perspective, turn, crop, size, printSize]) registerOperation(operation)

/** In the order in which they were registered. */
export const allOperations = (): Operation[] => [...operations.values()]

/** Where an operation of a name stands in that order; -1 when there is none. */
export const orderOf = (name: string): number => [...operations.keys()].indexOf(name)

/**
 * Where a new step goes among steps: tone before filters, these before the frame. Among tone, and among filters, it goes
 * last, since their order is the user's; the frame has an order of its own.
 */
export function placeOf(name: string, steps: readonly { readonly operation: string }[]): number {
  const rank = (of: string) => {
    const { form } = operationOf(of)
    return form === 'tone' ? -2 : form === 'geometry' ? orderOf(of) : -1
  }
  const at = steps.findIndex(({ operation }) => rank(operation) > rank(name))
  return at < 0 ? steps.length : at
}

/** @throws {ProblemError} when there is none of that name and version. */
export function operationOf(name: string, version?: number): Operation {
  const found = operations.get(name)
  if (!found || (version !== undefined && version !== found.version)) {
    throw new ProblemError('operation-unknown', { title: 'There is no such operation', detail: `${name}${version === undefined ? '' : ` version ${version}`} is not known here. Known are ${[...operations.keys()].join(', ')}.`, status: 422 })
  }
  return found
}
