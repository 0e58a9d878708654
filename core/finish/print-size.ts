import { Type } from '@sinclair/typebox'
import { defineGeometry, type Size } from '../operations/operation.js'

interface PrintSize { readonly widthCm: number; readonly perInch: number }

const CM_PER_INCH = 2.54

/** Size on paper and resolution: so many pixels are written, and the file says how many lie on an inch. */
export const printSize = defineGeometry<PrintSize>({
  name: 'print-size',
  version: 1,
  stage: 'finish',
  form: 'geometry',
  title: 'Size on paper',
  trouble: 'It is to be printed at a certain size',
  settings: Type.Object({
    widthCm: Type.Number({ title: 'Width', minimum: 0, maximum: 500, default: 0, step: 0.1, unit: 'cm', description: 'Width on paper; 0 keeps the pixels and sets the resolution alone.' }),
    perInch: Type.Integer({ title: 'Resolution', minimum: 36, maximum: 2400, default: 300, unit: 'per inch', description: 'Pixels on an inch of paper; 300 for a print held in the hand (common practice).' }),
  }, { additionalProperties: false }),
  sentence: 'Print {widthCm} wide at {perInch}',
  size: (before, { widthCm, perInch }) => {
    if (widthCm === 0) return before
    const width = Math.max(1, Math.round((widthCm / CM_PER_INCH) * perInch))
    return { width, height: Math.max(1, Math.round((before.height * width) / before.width)) }
  },
  toSource: (_settings, before, after) => (x, y) => [(x * before.width) / after.width, (y * before.height) / after.height],
})

/**
 * What enlargement of a scan is honest.
 *
 * A print scanned at 300 per inch is printed at its own size, at best a quarter larger on a side: 4 x 6 in gives 4 x 6,
 * at best 5 x 7 (common practice). Scanned finer it bears as much more.
 */
export function enlargementVerdict(pixels: Size, widthCm: number, perInch: number): { readonly verdict: 'as scanned' | 'softens' | 'too large'; readonly mostCm: number } {
  const inches = pixels.width / perInch
  const mostCm = Math.round(inches * 1.25 * CM_PER_INCH * 10) / 10
  const asScannedCm = inches * CM_PER_INCH
  return { verdict: widthCm <= asScannedCm * 1.02 ? 'as scanned' : widthCm <= mostCm ? 'softens' : 'too large', mostCm }
}
