import type { FloatRaster } from '../raster/raster.js'
import { inverse3, product } from '../colour/oklab.js'
import type { ColourProfile } from '../colour/profile.js'
import { makeToneSpace } from '../colour/tone-space.js'

/** A converter of encoded pixels, in place. */
export type Conversion = (pixels: FloatRaster) => void

/**
 * Conversion of encoded values from one profile to another, relative to the white that both share (ICC.1:2022, media-relative
 * colorimetric): through linear light and XYZ at D50. What lies outside the other gamut is clipped. Grey pictures change
 * their tone curve alone.
 *
 * @returns Null when both are the same.
 */
export function conversionBetween(from: Pick<ColourProfile, 'curve' | 'toXyz'>, to: Pick<ColourProfile, 'curve' | 'toXyz'>, channels: number): Conversion | null {
  const [source, target] = [makeToneSpace(from.curve), makeToneSpace(to.curve)]
  if (channels === 1) {
    if (JSON.stringify(from.curve) === JSON.stringify(to.curve)) return null
    return ({ data }) => {
      for (let i = 0; i < data.length; i++) data[i] = target.encode(source.decode(data[i]!))
    }
  }
  if (!from.toXyz || !to.toXyz) return null
  if (JSON.stringify(from.curve) === JSON.stringify(to.curve) && from.toXyz.every((value, i) => Math.abs(value - to.toXyz![i]!) < 2e-4)) return null
  const rows = product(inverse3(to.toXyz), from.toXyz)
  return ({ data }) => {
    for (let i = 0; i < data.length; i += 3) {
      const [r, g, b] = [source.decode(data[i]!), source.decode(data[i + 1]!), source.decode(data[i + 2]!)]
      for (let c = 0; c < 3; c++) data[i + c] = target.encode(Math.max(0, Math.min(1, rows[3 * c]! * r + rows[3 * c + 1]! * g + rows[3 * c + 2]! * b)))
    }
  }
}
