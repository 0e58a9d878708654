import type { IntegerRaster, FloatRaster } from '../raster/raster.js'

/** What a pixel has lost: nothing, its darkness or its light. */
export type Clipped = 0 | -1 | 1

const maximumIn = (data: IntegerRaster['data'] | Float32Array) => (data instanceof Float32Array ? 1 : data instanceof Uint8Array ? 255 : 65535)

/** Whether a pixel is lost at black (-1) or at white (1) in all channels. @param at  Index of its first sample. */
function clippedAt(data: ArrayLike<number>, at: number, channels: number, maximum: number): Clipped {
  const first = data[at]!
  if (first > 0 && first < maximum) return 0
  for (let c = 1; c < channels; c++) if (first <= 0 ? data[at + c]! > 0 : data[at + c]! < maximum) return 0
  return first <= 0 ? -1 : 1
}

/** Shares of the pixels that are lost at black and at white. */
export function clippedShares({ channels, data }: IntegerRaster | FloatRaster): [number, number] {
  const maximum = maximumIn(data)
  let [dark, light] = [0, 0]
  for (let at = 0; at < data.length; at += channels) {
    const clipped = clippedAt(data, at, channels, maximum)
    if (clipped < 0) dark++
    else if (clipped > 0) light++
  }
  const all = Math.max(1, data.length / channels)
  return [dark / all, light / all]
}

/** Hatch what is lost at either end, so that it is seen on any ground. @param into  Screen pixels, four samples each; changed in place. */
export function hatchClipped({ width, channels, data }: IntegerRaster | FloatRaster, into: Uint8ClampedArray): void {
  const maximum = maximumIn(data)
  for (let i = 0, at = 0; at < data.length; i++, at += channels) {
    const clipped = clippedAt(data, at, channels, maximum)
    if (clipped === 0) continue
    const isLine = ((i % width) + Math.floor(i / width)) % 6 < 2
    into[4 * i] = into[4 * i + 1] = into[4 * i + 2] = isLine ? (clipped < 0 ? 235 : 20) : clipped < 0 ? 40 : 225
  }
}

/** Counts of 256 steps for each channel. */
export function histogramOf({ channels, data }: IntegerRaster | FloatRaster): number[][] {
  const scale = 255 / maximumIn(data)
  return Array.from({ length: channels }, (_, c) => countsOf(data, c, channels, scale))
}

function countsOf(data: ArrayLike<number>, first: number, step: number, scale: number): number[] {
  const counts = new Uint32Array(256)
  for (let i = first; i < data.length; i += step) counts[Math.min(255, Math.floor(data[i]! * scale + 0.5))]!++
  return Array.from(counts)
}
