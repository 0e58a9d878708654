import { SourceArea } from '../../kernels/healing/source-area.js'
import { clipRegion, growRegion, type PixelSource, type Region } from '../../raster/raster.js'
import { median } from '../../numbers/statistics.js'
import { distanceOutside, shapeBounds, type Shape } from '../../shape/shape.js'

/** How the ring round a mend compares with the ring round a source, pixel for pixel. */
export interface RingMatch {
  /** Difference of tone, samples, summed over channels; null outside the area. */
  tone(dx: number, dy: number): number | null
  /** What is left of the differences after the mean tone is matched, samples a pixel, mean over channels. */
  structure(dx: number, dy: number): number | null
  /** The same in the channel that says most of light alone, at a third of the cost; given up as infinite beyond `most`. */
  structureOfLight(dx: number, dy: number, most?: number): number | null
}

/**
 * Compare rings at full size.
 *
 * @param picture    As mended so far.
 * @param ringPx     Width of the ring.
 * @param area       Where sources may lie, inside the picture.
 * @param witnesses  Most pixels that are compared.
 * @param pixels     Of the area; good until another is put into the kernels' memory, and so is the answer.
 * @returns Null when the ring lies outside the picture.
 */
export function ringMatch(picture: PixelSource, shape: Shape, ringPx: number, area: Region, witnesses: number, pixels = new SourceArea(picture.read(area))): RingMatch | null {
  const here = clipRegion(growRegion(shapeBounds(shape), ringPx + 1), picture.width, picture.height)
  const distance = distanceOutside(shape, here, ringPx + 1).data
  const ring: number[] = []
  distance.forEach((d, i) => (d > 0.5 && d < ringPx ? ring.push(i) : 0))
  const stride = Math.ceil(ring.length / witnesses)
  const chosen = Int32Array.from(ring.filter((_i, k) => k % stride === 0))
  if (chosen.length < 6) return null
  const { channels } = picture
  const place = picture.read(here).data
  const count = chosen.length
  const own = Array.from({ length: channels }, (_, c) => Float32Array.from(chosen, (i) => place[i * channels + c]!))
  const asked = pixels.witnesses(chosen.map((i) => Math.floor(i / here.width) * area.width + (i % here.width)), own)
  const startOf = (dx: number, dy: number): number => {
    const left = here.x + dx - area.x
    const top = here.y + dy - area.y
    return left < 0 || top < 0 || left + here.width > area.width || top + here.height > area.height ? -1 : top * area.width + left
  }
  const restOf = (start: number, channel: number, most = Infinity): number => {
    const offset = pixels.compare(asked, channel, start) / count
    return pixels.sumAbout(asked, offset, most * count) / count
  }
  return {
    tone: (dx, dy) => {
      const start = startOf(dx, dy)
      if (start < 0) return null
      let sum = 0
      for (let c = 0; c < channels; c++) {
        pixels.compare(asked, c, start)
        sum += Math.abs(median(pixels.keptDifferences(asked)))
      }
      return sum
    },
    structure: (dx, dy) => {
      const start = startOf(dx, dy)
      if (start < 0) return null
      let rest = 0
      for (let c = 0; c < channels; c++) rest += restOf(start, c)
      return rest / channels
    },
    structureOfLight: (dx, dy, most) => {
      const start = startOf(dx, dy)
      return start < 0 ? null : restOf(start, pixels.light, most)
    },
  }
}
