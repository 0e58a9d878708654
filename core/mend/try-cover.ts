import { growRegion, maximumOf, overlaps, type PixelSource } from '../raster/raster.js'
import { distanceOutside, shapeBounds, shapeThickness, type Shape } from '../shape/shape.js'
import { fillReach } from './fill.js'
import { likelyErrorOfFill } from './fill-error.js'
import { fitCore } from './fit-core.js'
import { fitCover, type CoverFit } from './fit-cover.js'
import type { Mended } from './lift.js'
import { makeStep, measured, softEdgeOf, type MendRequest, type Trial } from './trial.js'
import { MOST_AVOIDED, thickestFill } from './try-fill.js'

/** Half the width below which a shape has no depth to speak of, in pixels. */
const LEAST_THICKNESS = 1.5
/**
 * What is right is no rougher than its surroundings: so much may the gradients cost more in what is given back, where light
 * was lost and where none was. These and the numbers below were set on the first collection of bench/cross and measured on
 * the others.
 */
const [ROUGHER_DARK, ROUGHER] = [0.2, 0.02]
/**
 * Of what is independent and right the squares of errors add up: a lift that is as right as a fill differs from it by twice
 * the square of the fill's error. More is allowed where light was lost, since the fill often is the one that is off.
 */
const [ALLOWED_DARK, ALLOWED] = [3.5, 1]
/** What takes no more light than this anywhere, and hides as much of the shape, is translucent: it needs no fill to bear it out. */
const [TRANSLUCENT, HARDLY_HIDDEN] = [0.75, 0.1]
/** A mask of which this share is hardly covered is wide: there the picture is given back. */
const WIDE = 0.4
/** Share of the range by which a place must be darker than a fill makes it to have lost light, and lighter to be covered by something light. */
const [DARKER, LIGHTER] = [2.5 / 255, 3 / 255]

/**
 * Give back what shows through a cover, where there is evidence that it does; fill what is hidden.
 *
 * Whether the detail under a flaw is still there: what a lift gives is held against what a fill says, and that against how
 * far fills are off beside it, where the truth is known.
 *
 * @param filled  The shape filled, made once for all who ask.
 */
export function tryCover(request: MendRequest, shape: Shape, filled: () => Trial): { trial: Trial; why: string } | { refused: string } {
  if (shapeThickness(shape) < LEAST_THICKNESS || shapeThickness(shape) > thickestFill(shape)) return { refused: 'it is too thin or too wide to tell what shows through' }
  const { picture, transfer, openFlaws } = request
  const ground = filled().mended
  const lighter = meanDifference(picture, shape, ground)
  const byCore = fitCore(picture, transfer, shape, ground)
  const isWide = byCore !== null && byCore.given > WIDE
  const byDepth = lighter > LIGHTER && isWide ? null : fitCover(picture, transfer, shape, openFlaws)
  if (byDepth) {
    const trial = coverTrial(request, shape, byDepth)
    if (request.method === 'lift' || showsThrough(request, shape, byDepth, trial.mended, ground, lighter < -DARKER)) return { trial, why: reasonOf(byDepth) }
  }
  if (isWide) return { trial: coverTrial(request, shape, byCore), why: reasonOf(byCore) }
  return { refused: 'nothing shows through' }
}

function showsThrough(request: MendRequest, shape: Shape, { cover, filled, excess }: CoverFit, lifted: Mended, ground: Mended, isDark: boolean): boolean {
  if (excess > (isDark ? ROUGHER_DARK : ROUGHER)) return false
  if (isDark && filled < HARDLY_HIDDEN && cover.opacity.at(-1)! < TRANSLUCENT) return true
  return agrees(request, shape, lifted, ground, isDark ? ALLOWED_DARK : ALLOWED)
}

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

/** Whether a lift differs from a fill by no more than fills are off beside. */
function agrees(request: MendRequest, shape: Shape, lifted: Mended, ground: Mended, allowed: number): boolean {
  const difference = meanSquare(request.picture, shape, lifted, ground)
  const error = likelyErrorOfFill(request.picture, shape, request.openFlaws, { softEdgePx: softEdgeOf(request, shape), seed: 1 })
  // Where no place beside is free, nothing speaks against it.
  return error === null || difference < allowed * error
}

/** Samples of a mend at the pixels of a region, as it leaves them. */
function reader(picture: PixelSource, { region, pixels }: Mended) {
  return (x: number, y: number, c: number): number | null => {
    const [column, row] = [x - region.x, y - region.y]
    return column < 0 || row < 0 || column >= region.width || row >= region.height ? null : pixels.data[(row * region.width + column) * picture.channels + c]! / maximumOf(picture.depth)
  }
}

function overShape(picture: PixelSource, shape: Shape, ground: Mended, of: (x: number, y: number, c: number, ground: number) => number): number {
  const { region } = ground
  const distance = distanceOutside(shape, region, 2).data
  const groundAt = reader(picture, ground)
  let [sum, count] = [0, 0]
  for (let i = 0; i < distance.length; i++) {
    if (distance[i]! >= 0) continue
    const [x, y] = [region.x + (i % region.width), region.y + Math.floor(i / region.width)]
    for (let c = 0; c < picture.channels; c++) sum += of(x, y, c, groundAt(x, y, c)!)
    count += picture.channels
  }
  return sum / Math.max(1, count)
}

/** How much lighter a place is than a fill makes it, as a share of the range. */
function meanDifference(picture: PixelSource, shape: Shape, ground: Mended): number {
  const before = picture.read(ground.region)
  const maximum = maximumOf(picture.depth)
  const { region } = ground
  return overShape(picture, shape, ground, (x, y, c, value) => before.data[((y - region.y) * region.width + x - region.x) * picture.channels + c]! / maximum - value)
}

function meanSquare(picture: PixelSource, shape: Shape, lifted: Mended, ground: Mended): number {
  const at = reader(picture, lifted)
  const before = picture.read(ground.region)
  const maximum = maximumOf(picture.depth)
  const { region } = ground
  return overShape(picture, shape, ground, (x, y, c, value) => ((at(x, y, c) ?? before.data[((y - region.y) * region.width + x - region.x) * picture.channels + c]! / maximum) - value) ** 2)
}
