import { growRegion, overlaps } from '../../raster/raster.js'
import { shapeBounds, shapeCentre, shapeThickness, type Shape } from '../../shape/shape.js'
import { fillReach } from '../fill/fill.js'
import type { Cover } from './cover.js'
import { fitCore } from './fit-core.js'
import { fitCover, type CoverFit } from './fit-cover.js'
import { makeStep, measured, type MendRequest, type Trial } from '../trial.js'
import { MOST_AVOIDED, thickestFill } from '../try-fill.js'

/** Half the width below which a shape has no depth to speak of, in pixels. */
export const LEAST_THICKNESS = 1.5
/**
 * A lift is kept when the place looks like its surroundings afterwards: so many deviations squared are allowed. Set on the
 * collections skimage A and sights of bench/cross, measured on the other.
 */
const MOST_STRANGE = 4
/** What hides more than this in its middle may be opaque, the rest of it a soft edge. */
export const TRANSLUCENT = 0.75
/** Of a shadow among shadows, so much more is believed. */
const AMONG_SHADOWS = { strange: 12, translucent: 0.95 }
/** Of a lift that is asked for, at least so much of the shape is changed. */
const LEAST_LIFTED = 0.02
/** A mask of which this share is hardly covered is wide: there the picture is given back. */
const WIDE = 0.4

/**
 * Give back what shows through a cover, where there is evidence that it does; fill what is hidden.
 *
 * What takes light away shows the picture: the fit says how much, and whether the place looks like any other afterwards.
 * What adds light hides it, but for a halo round a core.
 *
 * @param filled  The shape filled, made once for all who ask.
 */
export function tryCover(request: MendRequest, shape: Shape, filled: () => Trial): { trial: Trial; why: string } | { refused: string | null } {
  const { picture, transfer, openFlaws, amongShadows = false } = request
  const [strange, translucent] = amongShadows ? [AMONG_SHADOWS.strange, AMONG_SHADOWS.translucent] : [MOST_STRANGE, TRANSLUCENT]
  if (shapeThickness(shape) < LEAST_THICKNESS) return amongShadows ? leftAsItIs(request, shape) : { refused: null }
  if (shapeThickness(shape) > thickestFill(shape)) return { refused: null }
  // Among shadows what is drawn out may be a piece of one; a dark hair is told by what it hides.
  const byDepth = isCompact(shape) || amongShadows ? fitCover(picture, transfer, shape, openFlaws) : null
  const takesLight = byDepth !== null && !byDepth.addsLight
  const showsThrough = takesLight && (byDepth.strangeness ?? 0) < strange && byDepth.cover.opacity.at(-1)! < translucent
  if (byDepth && (showsThrough || (takesLight && request.method === 'lift' && byDepth.given + byDepth.filled > LEAST_LIFTED))) return { trial: coverTrial(request, shape, byDepth), why: reasonOf(byDepth) }
  if (amongShadows && !takesLight) return leftAsItIs(request, shape)
  // What is filled in its middle is no lift that anyone asked for.
  const byCore = request.method ? null : fitCore(picture, transfer, shape, filled().mended)
  if (byCore && byCore.given > WIDE) return { trial: coverTrial(request, shape, byCore), why: reasonOf(byCore) }
  return { refused: 'nothing shows through' }
}

/** A piece of a shadow over something bright looks like something that lies on it; taken for that, what is there would be lost. */
function leftAsItIs(request: MendRequest, shape: Shape): { trial: Trial; why: string } {
  const cover: Cover = { veil: Array.from({ length: request.picture.channels }, () => 0), opacity: [0, 0], hidden: 1, damping: 0 }
  return { trial: coverTrial(request, shape, { cover, given: 0, filled: 0 }), why: 'Most of the mask are shadows, and of one nothing is to be seen here: the picture is left as it is.' }
}

/** What is drawn out is no shadow of a grain but a fibre, a scratch or an edge, and mostly opaque. */
export const isCompact = (shape: Shape): boolean => shapeCentre(shape).r < 2.2 * shapeThickness(shape)

function reasonOf({ given, filled }: CoverFit): string {
  const percent = (share: number) => `${Math.max(1, Math.round(100 * share))} %`
  if (given + filled < 0.02) return 'Nothing is to be seen of it: the picture is left as it is.'
  return filled < 0.02 ? 'The picture shows through it all over, so what lies under it is given back.' : `Through ${percent(given)} of it the picture shows and is given back; the rest is filled.`
}

function coverTrial(request: MendRequest, shape: Shape, { cover }: CoverFit): Trial {
  const reach = growRegion(shapeBounds(shape), fillReach(shape))
  const avoid = request.openFlaws.filter((other) => overlaps(shapeBounds(other), reach)).slice(0, MOST_AVOIDED)
  return measured(request, { ...makeStep(request, 'lift', shape, { cover, ...(avoid.length > 0 ? { avoid } : {}) }), seed: (request.skipSources ?? 0) + 1 })
}
