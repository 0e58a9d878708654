import { ProblemError } from '../problem.js'
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
import type { Operation } from './operation.js'

/** All operations by name. Adding one is adding its file and its entry here. */
const operations = new Map<string, Operation>()

export function registerOperation(operation: Operation): void {
  operations.set(operation.name, operation)
}

for (const operation of [blackAndWhite, curve, neutral, cast, colourOut, sharpen, lens, perspective, turn, crop, size, printSize]) registerOperation(operation)

/** In the order in which they were registered. */
export const allOperations = (): Operation[] => [...operations.values()]

/** @throws {ProblemError} when there is none of that name and version. */
export function operationOf(name: string, version?: number): Operation {
  const found = operations.get(name)
  if (!found || (version !== undefined && version !== found.version)) {
    throw new ProblemError('operation-unknown', { title: 'There is no such operation', detail: `${name}${version === undefined ? '' : ` version ${version}`} is not known here. Known are ${[...operations.keys()].join(', ')}.`, status: 422 })
  }
  return found
}
