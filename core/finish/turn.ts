import { Type } from '@sinclair/typebox'
import { cos, PI, sin } from '../numbers/exact-math.js'
import { defineGeometry } from '../operations/operation.js'

interface Turn { readonly degrees: number }

/** Turn about the middle, size kept but for quarter turns, which change width and height over; what comes in from outside is white. */
export const turn = defineGeometry<Turn>({
  name: 'turn',
  version: 1,
  stage: 'finish',
  form: 'geometry',
  title: 'Turn',
  trouble: 'The picture lies askew',
  settings: Type.Object({
    degrees: Type.Number({ title: 'Turned', minimum: -180, maximum: 180, default: 0, step: 0.05, unit: '°', description: 'Clockwise on screen, about the middle of the picture.' }),
  }, { additionalProperties: false }),
  sentence: 'Turn by {degrees}',
  size: (before, { degrees }) => (degrees % 180 !== 0 && degrees % 90 === 0 ? { width: before.height, height: before.width } : before),
  toSource({ degrees }, before, after) {
    const angle = (-degrees * PI) / 180
    // Quarter turns are exact.
    const quarter = Math.round(degrees / 90)
    const isQuarter = degrees === quarter * 90
    const turned = ((quarter % 4) + 4) % 4
    const c = isQuarter ? [1, 0, -1, 0][turned]! : cos(angle)
    const s = isQuarter ? [0, -1, 0, 1][turned]! : sin(angle)
    const [mx, my] = [before.width / 2, before.height / 2]
    const [ax, ay] = [after.width / 2, after.height / 2]
    return (x, y) => [mx + c * (x - ax) - s * (y - ay), my + s * (x - ax) + c * (y - ay)]
  },
})
