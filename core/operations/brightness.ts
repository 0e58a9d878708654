import type { OperationContext } from './operation.js'
import type { Plane, FloatRaster } from '../raster/raster.js'

/** Brightness of a picture: its encoded channels weighed as in luminance. */
export function brightnessOf({ width, height, channels, data }: FloatRaster, { luminance }: Pick<OperationContext, 'luminance'>): Plane {
  if (channels === 1) return { width, height, data }
  const plane = new Float32Array(width * height)
  const [r, g, b] = luminance as [number, number, number]
  for (let i = 0; i < plane.length; i++) plane[i] = r * data[3 * i]! + g * data[3 * i + 1]! + b * data[3 * i + 2]!
  return { width, height, data: plane }
}

/** One channel as a plane. */
export function channelOf({ width, height, channels, data }: FloatRaster, c: number): Plane {
  if (channels === 1) return { width, height, data }
  const plane = new Float32Array(width * height)
  for (let i = 0; i < plane.length; i++) plane[i] = data[i * channels + c]!
  return { width, height, data: plane }
}

/** Planes of the channels as a raster, values kept between 0 and 1. */
export function rasterOf(planes: readonly Plane[]): FloatRaster {
  const { width, height } = planes[0]!
  const channels = planes.length
  const data = new Float32Array(width * height * channels)
  planes.forEach((plane, c) => putChannel(data, plane.data, c, channels))
  return { width, height, channels, data }
}

function putChannel(into: Float32Array, plane: Float32Array, c: number, channels: number): void {
  for (let i = 0, k = c; i < plane.length; i++, k += channels) {
    const value = plane[i]!
    into[k] = value < 0 ? 0 : value > 1 ? 1 : value
  }
}

/** No pixel becomes more than so many times as light: beyond it there is only noise. */
const MOST_GAIN = 8

/**
 * A picture with another brightness: the linear light of all channels is changed in one ratio, so that chromaticity stays.
 *
 * @param before  Brightness as it is, encoded.
 * @param after   Brightness that is wanted, encoded.
 */
export function withBrightness(below: FloatRaster, before: Plane, after: Plane, { tones }: Pick<OperationContext, 'tones'>): FloatRaster {
  const { channels, data } = below
  const result = new Float32Array(data.length)
  for (let i = 0; i < before.data.length; i++) {
    const [was, is] = [before.data[i]!, after.data[i]!]
    if (was === is) {
      for (let k = i * channels; k < (i + 1) * channels; k++) result[k] = data[k]!
      continue
    }
    const ratio = Math.min(MOST_GAIN, tones.decode(Math.max(0, is)) / Math.max(1e-5, tones.decode(was)))
    for (let k = i * channels; k < (i + 1) * channels; k++) result[k] = tones.encode(ratio * tones.decode(data[k]!))
  }
  return { ...below, data: result }
}
