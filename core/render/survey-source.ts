import type { OperationContext, Survey } from '../operations/operation.js'
import type { PixelSource } from '../raster/raster.js'
import { rounded } from './samples.js'

/** What a step sees, as samples of 16 bits, for what is measured on samples. */
export function sourceOf(survey: Survey, { channels, width, height }: OperationContext): PixelSource {
  return { width, height, channels, depth: 16, read: (region) => rounded(survey.read(region, 0), 16) }
}
