import { Type } from '@sinclair/typebox'
import { defineGeometry } from '../operations/operation.js'

interface ResultSize { readonly longestSidePx: number }

/** Another size in pixels, proportions kept. */
export const size = defineGeometry<ResultSize>({
  name: 'size',
  version: 1,
  stage: 'finish',
  form: 'geometry',
  title: 'Size in pixels',
  trouble: 'The client wants so many pixels',
  settings: Type.Object({
    longestSidePx: Type.Integer({ title: 'Longest side', minimum: 0, maximum: 60000, default: 0, unit: 'px', description: '0 keeps the size.' }),
  }, { additionalProperties: false }),
  sentence: 'Longest side {longestSidePx}',
  size: (before, { longestSidePx }) => scaledTo(before, longestSidePx === 0 ? Math.max(before.width, before.height) : longestSidePx),
  toSource: (_settings, before, after) => (x, y) => [(x * before.width) / after.width, (y * before.height) / after.height],
})

/** A size whose longest side is as wanted. */
export function scaledTo({ width, height }: { width: number; height: number }, longest: number): { width: number; height: number } {
  const scale = longest / Math.max(width, height)
  return { width: Math.max(1, Math.round(width * scale)), height: Math.max(1, Math.round(height * scale)) }
}
