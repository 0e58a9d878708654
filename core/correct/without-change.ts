import type { OperationContext } from '../operations/operation.js'
import type { FloatRaster, Region } from '../raster/raster.js'
import type { LightChange } from './fault-profile.js'
import { gridField } from './zone-grid.js'

/**
 * A picture without the light that lies over a zone.
 *
 * @param tone, colour  How far the change of brightness and that of colour are undone, 0 to 1.
 * @param level, region Where the pixels lie.
 */
export function withoutChange(below: FloatRaster, { grid, isGain, channels: stored }: LightChange, tone: number, colour: number, { luminance, tones: { decode, encode } }: OperationContext, level: number, region: Region): FloatRaster {
  const { channels, data } = below
  const fields = stored.map((values) => gridField(grid, values, region, level))
  const result = data.slice()
  const undone = new Float64Array(channels)
  for (let i = 0; i < data.length / channels; i++) {
    let brighter = 0
    for (let c = 0; c < channels; c++) {
      const light = decode(data[i * channels + c]!)
      undone[c] = isGain ? light / fields[c]![i]! - light : -fields[c]![i]!
      brighter += luminance[c]! * undone[c]!
    }
    for (let c = 0; c < channels; c++) {
      const by = tone * brighter + colour * (undone[c]! - brighter)
      if (by !== 0) result[i * channels + c] = encode(Math.max(0, decode(data[i * channels + c]!) + by))
    }
  }
  return { ...below, data: result }
}
