import { Type, type Static } from '@sinclair/typebox'

/** What a file of the result is to be: one schema for presets, requests and the command line. */

/** Formats that are written; `ora` is OpenRaster. */
export const OUTPUT_FORMATS = ['tiff', 'png', 'jpeg', 'webp', 'avif', 'ora'] as const
export type OutputFormat = (typeof OUTPUT_FORMATS)[number]
/** What a file shows: the result; before and after on one sheet; the stages as layers. */
export const OUTPUT_CONTENTS = ['picture', 'pair', 'layers'] as const
export type OutputContent = (typeof OUTPUT_CONTENTS)[number]

const literals = <T extends string>(values: readonly T[]) => Type.Union(values.map((value) => Type.Literal(value)))

export const OutputSchema = Type.Object(
  {
    name: Type.Optional(Type.String({ minLength: 1, maxLength: 60, description: 'What it is for; becomes part of the file name.' })),
    wanted: Type.Optional(Type.Boolean({ description: 'Whether it is written with the others that are kept for a job; true when not given.' })),
    content: Type.Optional({ ...literals(OUTPUT_CONTENTS), description: 'picture when not given. layers are written as ora alone.' }),
    format: literals(OUTPUT_FORMATS),
    depth: Type.Optional({ ...Type.Union([Type.Literal(8), Type.Literal(16)]), description: 'Bits a sample, for TIFF, PNG and OpenRaster; those of the picture when not given.' }),
    quality: Type.Optional(Type.Integer({ minimum: 1, maximum: 100, description: 'For JPEG, WebP and AVIF; 92 when not given.' })),
    longestPx: Type.Optional(Type.Integer({ minimum: 0, maximum: 60000, description: 'Longest side in pixels; 0, as when not given, keeps the size.' })),
    widthCm: Type.Optional(Type.Number({ minimum: 0, maximum: 500, description: 'Width on paper, which with the resolution gives the pixels; 0 keeps the size.' })),
    perInch: Type.Optional(Type.Integer({ minimum: 0, maximum: 2400, description: 'Pixels on an inch of paper; 0 keeps what the picture says.' })),
    sharpen: Type.Optional(Type.Integer({ minimum: 0, maximum: 200, description: 'Sharpening at the size that is written, in percent; 0 when not given.' })),
    profile: Type.Optional({ ...literals(['kept', 'srgb', 'display-p3'] as const), description: 'Colour profile of the file; the one of the picture when not given.' }),
    personal: Type.Optional(Type.Boolean({ description: 'Whether the place, names of persons and serial numbers that the file came with are kept; true when not given.' })),
    layout: Type.Optional({ ...literals(['row', 'split'] as const), description: 'Of a pair: both pictures in a row, or the left half before and the right half after.' }),
    caption: Type.Optional(Type.String({ maxLength: 200, description: 'Line under a pair.' })),
  },
  { additionalProperties: false },
)
export const OutputsSchema = Type.Array(OutputSchema, { minItems: 1, maxItems: 20 })

/** As it is asked for. */
export type OutputRequest = Static<typeof OutputSchema>
/** With everything said. */
export type Output = { [K in keyof Required<OutputRequest>]: Required<OutputRequest>[K] }

/** @param depth  Bits a sample of the picture. */
export function completeOutput(asked: OutputRequest, depth: 8 | 16): Output {
  const content = asked.content ?? (asked.format === 'ora' ? 'layers' : 'picture')
  return {
    name: content === 'pair' ? 'before and after' : content === 'layers' ? 'layers' : 'result',
    depth, quality: 92, longestPx: 0, widthCm: 0, perInch: 0, sharpen: 0, profile: 'kept', personal: true, layout: 'row', caption: '', wanted: true,
    ...asked, content,
  }
}

/** What a job begins with; resolution and sizes are common practice. */
export const PRESETS: readonly OutputRequest[] = [
  { name: 'archive', format: 'tiff', depth: 16 },
  { name: 'print', format: 'tiff', depth: 8, perInch: 300, sharpen: 40 },
  { name: 'screen', format: 'jpeg', quality: 88, longestPx: 2400, sharpen: 25, profile: 'srgb', personal: false },
  { name: 'before and after', content: 'pair', format: 'jpeg', quality: 90, longestPx: 3000, profile: 'srgb', personal: false, caption: 'Before and after restoration' },
  { name: 'layers', content: 'layers', format: 'ora', depth: 16, wanted: false },
]
