import type { PixelSource } from '../../raster/raster.js'
import type { Transfer } from '../../raster/transfer.js'
import { shapeThickness } from '../../shape/shape.js'
import type { Flaw } from '../../treatment/schema.js'
import { fitCover } from '../cover/fit-cover.js'
import { isCompact, LEAST_THICKNESS, TRANSLUCENT } from '../cover/try-cover.js'
import { mendShape } from '../mend-shape.js'
import { thickestFill } from '../try-fill.js'

/** So many of the thickest flaws are asked, and fewer say nothing of the others. */
const [MOST_ASKED, LEAST_ASKED] = [16, 3]
/** From this share on, by thickness, flaws let the picture through; set on the collections skimage A and sights of bench/cross, where dust has at least .53 and specks at most .28. */
const MOSTLY = 0.52
/** Compact ones say something of all when they make up this share of them: of dust at least .40 on those collections, of fibres at most .34. */
const OF_ALL = 0.37

/**
 * Whether flaws that nobody has named, those of one mask, are shadows: whether most of them let the picture through. Flaws come
 * in populations, and of a small piece of one the picture says too little by itself.
 */
export function areShadows(picture: PixelSource, transfer: Transfer, flaws: readonly Flaw[]): boolean {
  const shapes = flaws.filter(isUnnamed).map(mendShape).filter((shape) => shapeThickness(shape) >= LEAST_THICKNESS && shapeThickness(shape) <= thickestFill(shape))
  const compact = shapes.filter(isCompact).sort((a, b) => shapeThickness(b) - shapeThickness(a))
  const thicknessOf = (some: typeof shapes) => some.reduce((sum, shape) => sum + shapeThickness(shape), 0)
  if (compact.length < LEAST_ASKED || thicknessOf(compact) < OF_ALL * thicknessOf(shapes)) return false
  let [through, asked] = [0, 0]
  for (const shape of compact.slice(0, MOST_ASKED)) {
    const fit = fitCover(picture, transfer, shape, compact.filter((other) => other !== shape))
    if (!fit) continue
    asked += shapeThickness(shape)
    if (!fit.addsLight && fit.cover.opacity.at(-1)! < TRANSLUCENT) through += shapeThickness(shape)
  }
  return through > MOSTLY * asked
}

/** Drawn or masked, and of no kind that anybody told. */
export const isUnnamed = ({ kind, origin }: Flaw): boolean => kind === 'other' && origin === 'hand'
