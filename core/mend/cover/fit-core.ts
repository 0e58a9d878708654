import { gaussianBlur } from '../../raster/blur.js'
import { distanceFrom } from '../../raster/distance-transform.js'
import type { PixelSource } from '../../raster/raster.js'
import type { Transfer } from '../../raster/transfer.js'
import { roundTo } from '../../round.js'
import { outlinesOfMask } from '../../shape/from-mask.js'
import { distanceOutside, moveShape, type Shape } from '../../shape/shape.js'
import type { Cover } from './cover.js'
import type { CoverFit } from './fit-cover.js'
import type { Mended } from '../../check/mended.js'
import { floatsOf } from '../../raster/per-pixel.js'

/** From this opacity on a pixel belongs to the core; and the core goes so many pixels further, since lens and compression smear its edge. */
const [CORE, MARGIN_PX] = [0.2, 1]
/** Beyond the core nothing is given back where more is hidden than this: set on the first of the collections of bench/cross. */
const HIDDEN = 0.15
/** Width of the rings round a core in which the opacity is measured, in pixels; and at most so many. */
const [RING_PX, RINGS] = [1.5, 14]
/** Share of the pixels, those furthest from the ground, that the colour of the veil is taken from. */
const PUREST = 0.12
/** Deviations of the Gaussians that take grain out of ground and opacity, in pixels. */
const [GROUND_SMOOTHED, OPACITY_SMOOTHED] = [1, 0.7]

/**
 * Tell what hides the picture from the halo through which it is seen, and how the halo fades: the ground is what a fill makes
 * of the whole shape, the opacity of each pixel follows from it and from the colour of the veil, and outside of the core it is
 * averaged over rings, so that errors of the fill and grain cancel.
 *
 * @param filled  The shape filled, from which the ground is taken.
 * @returns Null where no core stands out.
 */
export function fitCore(picture: PixelSource, transfer: Transfer, shape: Shape, filled: Mended): CoverFit | null {
  const { region, pixels } = filled
  const { width, height } = region
  const { channels } = picture
  const before = picture.read(region)
  const distance = distanceOutside(shape, region, 2).data
  const inside = Array.from(distance.keys()).filter((i) => distance[i]! < 0)
  if (inside.length < 8) return null
  const planeOf = (data: ArrayLike<number>, c: number) => floatsOf(width * height, (i) => transfer.light[data[i * channels + c]!]!)
  const seen = Array.from({ length: channels }, (_, c) => planeOf(before.data, c))
  const ground = Array.from({ length: channels }, (_, c) => gaussianBlur({ width, height, data: planeOf(pixels.data, c) }, GROUND_SMOOTHED).data)
  const off = (i: number) => seen.reduce((sum, plane, c) => sum + Math.abs(plane[i]! - ground[c]![i]!), 0)
  const purest = [...inside].sort((a, b) => off(b) - off(a)).slice(0, Math.max(3, Math.round(PUREST * inside.length)))
  const veil = seen.map((plane) => purest.reduce((sum, i) => sum + plane[i]!, 0) / purest.length)
  const product = (i: number) => seen.reduce((sum, plane, c) => sum + (plane[i]! - ground[c]![i]!) * (veil[c]! - ground[c]![i]!), 0)
  const square = (i: number) => ground.reduce((sum, plane, c) => sum + (veil[c]! - plane[i]!) ** 2, 1e-6)
  const opacity = new Float32Array(width * height)
  for (const i of inside) opacity[i] = Math.max(0, Math.min(1, product(i) / square(i)))
  const smooth = gaussianBlur({ width, height, data: opacity }, OPACITY_SMOOTHED).data
  const seeds = new Uint8Array(width * height)
  for (const i of inside) if (smooth[i]! > CORE) seeds[i] = 1
  if (!seeds.includes(1)) return null
  const fromSeeds = distanceFrom(seeds, width, height)
  const core = new Uint8Array(width * height)
  for (const i of inside) if (fromSeeds[i]! < MARGIN_PX + 0.5) core[i] = 1
  const away = distanceFrom(core, width, height)
  const profile = fading(inside, core, away, product, square)
  const opacityAt = (i: number) => (core[i] === 1 ? 1 : profile[Math.min(RINGS - 1, Math.floor(away[i]! / RING_PX))]!)
  const given = inside.filter((i) => opacityAt(i) < HIDDEN).length / inside.length
  const cover: Cover = {
    veil: veil.map((value) => roundTo(value, 5)), opacity: profile.map((value) => roundTo(value, 4)), hidden: HIDDEN, damping: 0,
    core: outlinesOfMask(core, width, height).map((outline) => moveShape(outline, region.x, region.y)), stepPx: RING_PX,
  }
  return { cover, given, filled: 1 - given }
}

/** Mean opacity of each ring round the core by least squares; never rising outward. */
function fading(inside: readonly number[], core: Uint8Array, away: Float32Array, product: (i: number) => number, square: (i: number) => number): number[] {
  const products = new Float64Array(RINGS)
  const squares = new Float64Array(RINGS)
  for (const i of inside) {
    if (core[i] === 1) continue
    const k = Math.min(RINGS - 1, Math.floor(away[i]! / RING_PX))
    products[k]! += product(i)
    squares[k]! += square(i)
  }
  let most = 1
  return Array.from(products, (value, k) => (most = squares[k]! > 0 ? Math.max(0, Math.min(most, value / squares[k]!)) : 0))
}
