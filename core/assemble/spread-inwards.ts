import { gaussianBlur } from '../raster/blur.js'

/** Deviations of the Gaussians by which a difference is carried inwards, in pixels: each goes on where the last knew nothing. */
const WIDTHS = [2, 6, 18, 54]
/** A Gaussian speaks of a place of whose weight so much is known. */
const LEAST_KNOWN = 0.12
/** What the widths leave uneven where one takes over from another is smoothed by this deviation, in pixels. */
const EVEN_PX = 6

/**
 * A difference that is known around a place, carried smoothly over it, so that what is laid there steps nowhere: as Perez,
 * Gangnet and Blake (Poisson image editing, 2003) do by a membrane, here by normalized convolution (Knutsson and Westin 1993)
 * at growing widths.
 *
 * @param difference  Row by row; where it is not known its values have no say.
 * @param known       1 where it is known, 0 elsewhere.
 * @returns The difference everywhere; 0 where nothing is known within reach.
 */
export function spreadInwards(difference: Float32Array, known: Float32Array, width: number, height: number): Float32Array {
  const said = difference.map((value, i) => value * known[i]!)
  const filled = new Float32Array(difference.length)
  const done = new Uint8Array(difference.length)
  for (const [k, deviation] of WIDTHS.entries()) {
    const [sum, weight] = [gaussianBlur({ width, height, data: said }, deviation).data, gaussianBlur({ width, height, data: known }, deviation).data]
    for (let i = 0; i < filled.length; i++) {
      if (done[i] === 1 || (weight[i]! < LEAST_KNOWN && k < WIDTHS.length - 1)) continue
      filled[i] = weight[i]! > 1e-4 ? sum[i]! / weight[i]! : 0
      done[i] = 1
    }
  }
  return gaussianBlur({ width, height, data: filled }, EVEN_PX).data
}
