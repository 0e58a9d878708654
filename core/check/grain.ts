import { gaussianBlur } from '../raster/blur.js'
import { crop, type IntegerRaster, type Plane } from '../raster/raster.js'
import type { Measure } from '../treatment/schema.js'

/** Grain is what a Gaussian of this deviation takes away, in pixels. */
const GRAIN_FILTER = 1.5
/** Width of the surroundings that a mend is held against, and what the filter needs beyond it, in pixels. */
const BAND = 8
const APRON = 5
/** Right is 0.85 to 1.15, or so many standard errors for what is small: a little over three, so that chance alone seldom says anything. */
const HALF_BAND = 0.15
const ERRORS = 3.2

/** Square of a seventh of a sample's step: where light is clipped nothing has grain, and nothing lacks it. */
const FAINTEST = 0.02

/**
 * Deviation of the 1.5 px high pass inside a mend over that of a band of 8 px around it, over all channels; right is 0.85
 * to 1.15, widened to somewhat over three standard errors for small mends.
 *
 * A wider band where parts of the surroundings differ, robust deviations and the logarithm of the light were tried: on
 * open photographs each tells mends that show from others less well (bench/mending/telltales.ts).
 *
 * @param pixels    The picture with the mend in it, its encoded samples.
 * @param distance  From the outline, negative inside; of the same size.
 */
export function measureGrain(pixels: IntegerRaster, distance: Plane): Measure {
  const box = boxWithin(distance, BAND + APRON)
  const energy = grainEnergy(crop(pixels, box))
  let inside = 0
  let insideCount = 0
  let outside = 0
  let outsideCount = 0
  for (let y = 0; y < box.height; y++) {
    for (let x = 0; x < box.width; x++) {
      const d = distance.data[(box.y + y) * distance.width + box.x + x]!
      const e = energy[y * box.width + x]!
      if (d < 0) {
        inside += e
        insideCount++
      } else if (d > 0.5 && d < BAND) {
        outside += e
        outsideCount++
      }
    }
  }
  if (insideCount < 8 || outsideCount < 8) return { value: 1, limit: 1 }
  // A deviation of n samples has a relative error of about 1 / sqrt 2n; the filter leaves about half of them independent.
  return {
    value: Math.sqrt((inside / insideCount + FAINTEST) / (outside / outsideCount + FAINTEST)),
    limit: Math.max(HALF_BAND, ERRORS / Math.sqrt(insideCount * pixels.channels)),
  }
}

/** The smallest rectangle round all pixels that lie nearer than so many pixels to the shape. */
function boxWithin({ width, height, data }: Plane, reach: number): { x: number; y: number; width: number; height: number } {
  let [left, top, right, bottom] = [width, height, 0, 0]
  for (let y = 0; y < height; y++) {
    for (let x = 0; x < width; x++) {
      if (data[y * width + x]! > reach) continue
      left = Math.min(left, x)
      right = Math.max(right, x + 1)
      top = Math.min(top, y)
      bottom = Math.max(bottom, y + 1)
    }
  }
  return right > left ? { x: left, y: top, width: right - left, height: bottom - top } : { x: 0, y: 0, width, height }
}

/** Square of what the filter takes away, mean over the channels. */
function grainEnergy({ width, height, channels, data }: IntegerRaster): Float32Array {
  const energy = new Float32Array(width * height)
  const plane = new Float32Array(width * height)
  for (let c = 0; c < channels; c++) {
    for (let i = 0; i < plane.length; i++) plane[i] = data[i * channels + c]!
    const smooth = gaussianBlur({ width, height, data: plane }, GRAIN_FILTER).data
    for (let i = 0; i < plane.length; i++) energy[i]! += (plane[i]! - smooth[i]!) ** 2 / channels
  }
  return energy
}
