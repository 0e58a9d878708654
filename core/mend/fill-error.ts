import { maximumOf, type PixelSource } from '../raster/raster.js'
import { moveShape, shapeBounds, type Shape } from '../shape/shape.js'
import { fill, type FillDecisions } from './fill.js'
import { shapesTouch } from './source-search.js'

/** Directions in which a shape is moved aside, and so many of the places are asked. */
const ASIDE = [[1, 0], [-1, 0], [0, 1], [0, -1], [1, 1], [-1, -1]] as const
const ASKED = 3

/**
 * How far a fill is likely to be from what was there: the same fill on places beside, where that is known.
 *
 * @param others  Open flaws: places that touch them say nothing.
 * @returns Mean squared difference as a share of the range squared, the middle one of up to three places; null where no place is free.
 */
export function likelyErrorOfFill(picture: PixelSource, shape: Shape, others: readonly Shape[], decisions: Pick<FillDecisions, 'softEdgePx' | 'seed' | 'guarded'>): number | null {
  const { x, y, width, height } = shapeBounds(shape)
  const errors: number[] = []
  for (const [right, down] of ASIDE) {
    if (errors.length === ASKED) break
    const [dx, dy] = [Math.round(right * (1.1 * width + 4)), Math.round(down * (1.1 * height + 4))]
    if (x + dx < 0 || y + dy < 0 || x + dx + width > picture.width || y + dy + height > picture.height) continue
    const moved = moveShape(shape, dx, dy)
    if (shapesTouch(moved, shape) || others.some((other) => shapesTouch(moved, other))) continue
    const { region, pixels, touched } = fill(picture, { ...decisions, shape: moved, strength: 1, avoid: [shape, ...others] })
    const before = picture.read(region)
    let [sum, count] = [0, 0]
    for (let i = 0; i < touched.length; i++) {
      if (touched[i] === 0) continue
      for (let k = i * picture.channels; k < (i + 1) * picture.channels; k++) sum += (pixels.data[k]! - before.data[k]!) ** 2
      count += picture.channels
    }
    if (count > 0) errors.push(sum / count / maximumOf(picture.depth) ** 2)
  }
  return errors.length === 0 ? null : Math.max(...errors)
}
