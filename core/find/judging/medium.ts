import { maximumOf, depthOf, type IntegerRaster } from '../../raster/raster.js'
import { median } from '../../numbers/statistics.js'

/** What a picture is: a frame of a camera, or a scan of a print or film. They have different flaws. */
export type Medium = 'frame' | 'scan'

/** Scanners write at least so many pixels an inch into their files; cameras and programs write 72 or 96 (common practice). */
const SCANNED_PER_INCH = 150
/** Parts of the range of tones, and pixels that are asked. */
const [TONES, ASKED] = [16, 40_000]
/** Of one colour is what strays from the usual colour of its tone by less than this, as a share of the range; and so many of 100 pixels do. */
const [STRAYS, MOST_OF] = [0.02, 0.9]

/**
 * Tell the medium from what a file says, and from the picture: cameras name themselves, scanners write their resolution, and
 * a picture that is grey or toned from edge to edge is a print.
 */
export function tellMedium({ camera, resolutionPerInch, pixels }: { readonly camera: { readonly body?: string | undefined; readonly aperture?: number | undefined }; readonly resolutionPerInch: number | null; readonly pixels: IntegerRaster }): Medium {
  if (camera.body !== undefined || camera.aperture !== undefined) return 'frame'
  if ((resolutionPerInch ?? 0) >= SCANNED_PER_INCH) return 'scan'
  return isOfOneColour(pixels) ? 'scan' : 'frame'
}

/** Whether the colour of every tone is about the same everywhere: grey, sepia, any toning. */
export function isOfOneColour({ channels, data, ...rest }: IntegerRaster): boolean {
  if (channels === 1) return true
  const maximum = maximumOf(depthOf({ channels, data, ...rest }))
  const count = data.length / channels
  const step = Math.max(1, Math.floor(count / ASKED))
  const bands = Array.from({ length: TONES }, () => ({ red: [] as number[], blue: [] as number[] }))
  for (let i = 0; i < count; i += step) {
    const [red, green, blue] = [data[i * channels]! / maximum, data[i * channels + 1]! / maximum, data[i * channels + 2]! / maximum]
    const band = bands[Math.min(TONES - 1, Math.floor(green * TONES))]!
    band.red.push(red - green)
    band.blue.push(blue - green)
  }
  let [near, all] = [0, 0]
  for (const { red, blue } of bands) {
    if (red.length === 0) continue
    const [usualRed, usualBlue] = [median(Float32Array.from(red)), median(Float32Array.from(blue))]
    red.forEach((value, k) => {
      all++
      // A band is a little wide, so that its own tones differ in colour: by no more than the allowance.
      if (Math.abs(value - usualRed) < STRAYS + 1 / (4 * TONES) && Math.abs(blue[k]! - usualBlue) < STRAYS + 1 / (4 * TONES)) near++
    })
  }
  return near >= MOST_OF * all
}
