import { grain } from '../correct/grain.js'
import type { AreaOperation, OperationContext, Survey } from '../operations/operation.js'
import { defaultSettings } from '../operations/settings.js'
import type { Region, FloatRaster } from '../raster/raster.js'

/** Grain of the surroundings of what is drawn, as the operation `grain` measures and lays it. */
const operation = grain as AreaOperation

/** @param coverOf  What is drawn over a region of a level, 0..1: grain is looked for outside of it. */
export function measureDrawnGrain(survey: Survey, context: OperationContext, coverOf: (region: Region, level: number) => Float32Array): unknown {
  // What lies under the drawing will be gone: it is never looked at as grain that is there.
  return operation.measure!({ ...survey, cover: (region, level) => coverOf(region, level).map((value) => Math.min(0.5, value)) }, defaultSettings(operation), context)
}

/**
 * Lay grain over what is drawn. What lies under it has lost as much of its own as the drawing covers, and no more is given.
 *
 * @param amount  In percent; 100 is as much as around.
 * @param cover   Of the drawing, a value a pixel.
 */
export function layDrawnGrain(drawn: FloatRaster, cover: Float32Array, amount: number, measured: unknown, context: OperationContext, level: number, region: Region): FloatRaster {
  if (amount === 0 || measured === undefined) return drawn
  const grainy = operation.render(drawn, { ...defaultSettings(operation), amount }, measured, context, level, region)
  const data = drawn.data.slice()
  for (let i = 0; i < cover.length; i++) {
    const share = Math.sqrt(1 - (1 - cover[i]!) ** 2)
    if (share === 0) continue
    for (let k = i * drawn.channels; k < (i + 1) * drawn.channels; k++) data[k] = data[k]! + share * (grainy.data[k]! - data[k]!)
  }
  return { ...drawn, data }
}
