import { shapeArea } from '../shape/shape.js'
import type { Flaw } from '../treatment/schema.js'

/** What is lighter than this cannot be told from noise reliably, however it looks: one in many million places of noise alone is as heavy. */
export const LEAST_SEEN = 7

/**
 * How heavy a flaw still is when its picture is delivered smaller.
 *
 * Where pixels are averaged, noise falls as fast as the number of pixels that speak for the flaw, so that its weight stays
 * as long as it is many pixels wide. What becomes as narrow as a pixel is diluted: a spot in two directions, a line in one.
 *
 * @param flaw   Its weight in multiples of local noise; 0 when not measured, which stays 0.
 * @param scale  Delivered over original width, above 0; a picture that is enlarged shows what it has.
 */
export function weightAtSize(flaw: Pick<Flaw, 'shape' | 'weight'>, scale: number): number {
  const { shape, weight } = flaw
  const across = shape.type === 'stroke' ? shape.width : Math.sqrt(shapeArea(shape))
  const left = kept(across * Math.min(1, scale)) / kept(across)
  return weight * (shape.type === 'stroke' ? left : left * left)
}

/**
 * Share of its weight that a bar keeps on pixels it is so many times as wide as, over all places it may lie at: the root
 * of the energy of a bar averaged over a pixel (a trapezium), held against that of the bar, in white noise.
 */
function kept(pixels: number): number {
  return Math.sqrt(pixels < 1 ? pixels * (1 - pixels / 3) : 1 - 1 / (3 * pixels))
}

/** Whether a flaw will be seen in the delivered size; what was not measured is taken for seen. */
export function isSeenAtSize(flaw: Pick<Flaw, 'shape' | 'weight'>, scale: number): boolean {
  return flaw.weight === 0 || weightAtSize(flaw, scale) >= LEAST_SEEN
}
