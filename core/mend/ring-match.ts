import { clipRegion, growRegion, type PixelSource, type Region } from '../raster/raster.js'
import { median } from '../raster/statistics.js'
import { distanceOutside, shapeBounds, type Shape } from '../shape/shape.js'

/** How the ring round a mend compares with the ring round a source, pixel for pixel. */
export interface RingMatch {
  /** Difference of tone, samples, summed over channels; null outside the area. */
  tone(dx: number, dy: number): number | null
  /** What is left of the differences after the mean tone is matched, samples a pixel, mean over channels. */
  structure(dx: number, dy: number): number | null
  /** The same in the channel that says most of light alone, at a third of the cost. */
  structureOfLight(dx: number, dy: number): number | null
}

/**
 * Compare rings at full size.
 *
 * @param picture    As mended so far.
 * @param ringPx     Width of the ring.
 * @param area       Where sources may lie, inside the picture; read once.
 * @param witnesses  Most pixels that are compared.
 * @returns Null when the ring lies outside the picture.
 */
export function ringMatch(picture: PixelSource, shape: Shape, ringPx: number, area: Region, witnesses: number): RingMatch | null {
  const here = clipRegion(growRegion(shapeBounds(shape), ringPx + 1), picture.width, picture.height)
  const distance = distanceOutside(shape, here, ringPx + 1).data
  const ring: number[] = []
  distance.forEach((d, i) => (d > 0.5 && d < ringPx ? ring.push(i) : 0))
  const stride = Math.ceil(ring.length / witnesses)
  const chosen = Int32Array.from(ring.filter((_i, k) => k % stride === 0))
  if (chosen.length < 6) return null
  const { channels } = picture
  const place = picture.read(here).data
  const around = picture.read(area).data
  // Where each witness lies in the rectangle of the ring, and in the area when the source lies at its corner.
  const from = chosen.map((i) => i * channels)
  const to = chosen.map((i) => (Math.floor(i / here.width) * area.width + (i % here.width)) * channels)
  const differences = new Float32Array(chosen.length)
  const startOf = (dx: number, dy: number): number | null => {
    const left = here.x + dx - area.x
    const top = here.y + dy - area.y
    return left < 0 || top < 0 || left + here.width > area.width || top + here.height > area.height ? null : (top * area.width + left) * channels
  }
  const compare = (start: number, channel: number) => {
    for (let k = 0; k < differences.length; k++) differences[k] = place[from[k]! + channel]! - around[start + to[k]! + channel]!
  }
  const restOf = (start: number, channel: number): number => {
    let sum = 0
    for (let k = 0; k < differences.length; k++) {
      const d = place[from[k]! + channel]! - around[start + to[k]! + channel]!
      differences[k] = d
      sum += d
    }
    const offset = sum / differences.length
    let rest = 0
    for (let k = 0; k < differences.length; k++) rest += Math.abs(differences[k]! - offset)
    return rest / differences.length
  }
  return {
    tone: (dx, dy) => {
      const start = startOf(dx, dy)
      if (start === null) return null
      let sum = 0
      for (let c = 0; c < channels; c++) {
        compare(start, c)
        sum += Math.abs(median(differences))
      }
      return sum
    },
    structure: (dx, dy) => {
      const start = startOf(dx, dy)
      if (start === null) return null
      let rest = 0
      for (let c = 0; c < channels; c++) rest += restOf(start, c)
      return rest / channels
    },
    structureOfLight: (dx, dy) => {
      const start = startOf(dx, dy)
      return start === null ? null : restOf(start, channels > 1 ? 1 : 0)
    },
  }
}
