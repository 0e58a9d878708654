import { Type } from '@sinclair/typebox'
import { defineTone } from '../operations/operation.js'

/** All colour out: every channel becomes the luminance, in linear light. */
export const colourOut = defineTone<Record<string, never>>({
  name: 'colour-out',
  version: 1,
  stage: 'finish',
  form: 'tone',
  title: 'Colour out',
  trouble: 'The print was black and white: whatever colour it has is from age',
  settings: Type.Object({}, { additionalProperties: false }),
  sentence: 'All colour out',
  parts: (_settings, _measured, { channels, luminance }) => (channels === 1 ? [] : [{ kind: 'matrix', rows: [...luminance, ...luminance, ...luminance] }]),
})
