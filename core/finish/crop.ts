import { Type } from '@sinclair/typebox'
import { defineGeometry } from '../operations/operation.js'

interface Crop { readonly x: number; readonly y: number; readonly width: number; readonly height: number }

const pixels = (title: string, least: number) => Type.Integer({ title, minimum: least, maximum: 100000, default: least, unit: 'px', description: 'Pixels of the turned picture. Width and height of 0 reach to its end.' })

/** Cut a frame out of the picture. */
export const crop = defineGeometry<Crop>({
  name: 'crop',
  version: 1,
  stage: 'finish',
  form: 'geometry',
  title: 'Crop',
  trouble: 'There is more in the frame than belongs to the picture',
  settings: Type.Object({ x: pixels('Left', 0), y: pixels('Top', 0), width: pixels('Width', 0), height: pixels('Height', 0) }, { additionalProperties: false }),
  sentence: 'Crop to {width} × {height} from {x}, {y}',
  size: (before, { x, y, width, height }) => ({ width: Math.max(1, Math.min(before.width - x, width || before.width)), height: Math.max(1, Math.min(before.height - y, height || before.height)) }),
  toSource: ({ x, y }) => (px, py) => [px + x, py + y],
})
