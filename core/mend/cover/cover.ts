import { gaussianBlur } from '../../raster/blur.js'
import { exp, ln } from '../../numbers/exact-math.js'
import { clipRegion, growRegion, makeRaster, maximumOf, type PixelSource, type Region } from '../../raster/raster.js'
import type { Transfer } from '../../raster/transfer.js'
import { distanceFrom } from '../../raster/distance-transform.js'
import { distanceOutside, insideOutline, shapeBounds, shapeThickness, type Outline, type Shape } from '../../shape/shape.js'
import type { Area } from '../../treatment/schema.js'
import { BARRED, FILL, type FillProblem } from '../fill/fill-problem.js'
import { fillReach, fillSmallOrLarge, planesOf, rolesOfOthers } from '../fill/fill.js'
import { roundSample } from '../heal/heal.js'
import type { Mended } from '../../check/mended.js'

/**
 * What lies on a picture and hides it in its middle only: observed = (1 - a) x detail + a x veil in linear light (the alpha
 * of Porter and Duff 1984). Without a core the opacity a goes by how deep a pixel lies in the shape; with one, by how far it
 * lies from the core.
 */
export interface Cover {
  /** Light of the veil, a channel each: 0 for what only takes light away. */
  readonly veil: number[]
  /** Opacity from the outline to the deepest place in equal steps; or from the core outward, `stepPx` apart. */
  readonly opacity: number[]
  /** Parts in which nothing of the picture is to be seen. */
  readonly core?: Outline[]
  readonly stepPx?: number
  /** From this opacity on nothing is given back: there the surroundings go on. */
  readonly hidden: number
  /** Power of 1 - a by which grain is damped, since it was drawn after the cover; 0 not at all. */
  readonly damping: number
}

/** Detail finer than this, in pixels, is grain. */
const GRAIN_FILTER = 1.5
/** Below so much opacity no sample changes. */
const FAINTEST = 0.002
/** Over so much opacity what is given back goes over into what is filled. */
const BLEND = 0.15

/** Opacity of every pixel of a region. @returns In a plane of the region; 0 outside of the shape. */
export function opacityOf(shape: Shape, { opacity, core, stepPx = 1 }: Cover, region: Region): Float32Array {
  const deepest = shapeThickness(shape)
  // Distances are told as far as they are asked for, inside too.
  const distance = distanceOutside(shape, region, deepest + 2).data
  const steps = opacity.length - 1
  const between = (at: number): number => {
    const k = Math.min(steps - 1, Math.floor(at))
    return opacity[k]! + (at - k) * (opacity[k + 1]! - opacity[k]!)
  }
  if (!core) return distance.map((d) => (d >= 0 ? 0 : between(Math.min(steps, (-d / deepest) * steps))))
  const inCore = new Uint8Array(distance.length)
  for (const outline of core) insideOutline(outline, region).forEach((value, i) => value && (inCore[i] = 1))
  const away = distanceFrom(inCore, region.width, region.height)
  return distance.map((d, i) => (d >= 0 ? 0 : inCore[i] === 1 ? 1 : away[i]! >= steps * stepPx ? opacity[steps]! : between(away[i]! / stepPx)))
}

/**
 * Give back what shows through a cover, and fill what it hides.
 *
 * @param picture  As mended so far.
 * @param avoid    Open flaws: nothing is learned from them for the fill.
 */
export function liftCover(picture: PixelSource, transfer: Transfer, shape: Shape, cover: Cover, { strength, seed, avoid, guarded }: { strength: number; seed: number; avoid: readonly Shape[]; guarded?: readonly Area[] | undefined }): Mended {
  const hides = cover.core !== undefined || cover.opacity.at(-1)! > cover.hidden - BLEND
  const region = clipRegion(growRegion(shapeBounds(shape), hides ? fillReach(shape) : Math.ceil(3 * GRAIN_FILTER)), picture.width, picture.height)
  const before = picture.read(region)
  const { channels } = picture
  const maximum = maximumOf(picture.depth)
  const opacity = opacityOf(shape, cover, region)
  const planes = planesOf(before, maximum)
  const light = new Float32Array(opacity.length)
  planes.forEach((plane, c) => {
    const veil = cover.veil[Math.min(c, cover.veil.length - 1)]!
    for (let i = 0; i < light.length; i++) {
      const seen = transfer.light[before.data[i * channels + c]!]!
      const a = Math.min(cover.hidden, opacity[i]!)
      light[i] = a <= FAINTEST ? seen : Math.max(0, seen - a * veil) / (1 - a)
    }
    const tone = cover.damping > 0 ? gaussianBlur({ width: region.width, height: region.height, data: light }, GRAIN_FILTER).data : light
    for (let i = 0; i < light.length; i++) {
      const a = Math.min(cover.hidden, opacity[i]!)
      if (a <= FAINTEST) continue
      const kept = cover.damping > 0 ? exp(cover.damping * ln(1 - a)) : 1
      plane[i] = transfer.encode(tone[i]! + kept * (light[i]! - tone[i]!)) / maximum
    }
  })
  if (hides) fillHidden({ width: region.width, height: region.height, channels: planes, role: rolesOfOthers(opacity.length, region, avoid, guarded) }, opacity, cover.hidden, seed, shape)
  const pixels = makeRaster(region.width, region.height, channels, picture.depth)
  pixels.data.set(before.data)
  const touched = new Uint8Array(opacity.length)
  for (let i = 0; i < opacity.length; i++) {
    if (opacity[i]! <= FAINTEST) continue
    touched[i] = 1
    for (let c = 0; c < channels; c++) {
      const old = before.data[i * channels + c]!
      pixels.data[i * channels + c] = roundSample(old + (planes[c]![i]! * maximum - old) * strength, maximum)
    }
  }
  return { region, pixels, touched }
}

/** Fill what is hidden; what is half hidden is a mixture of both. */
function fillHidden(problem: FillProblem, opacity: Float32Array, hidden: number, seed: number, shape: Shape): void {
  const given = problem.channels.map((plane) => plane.slice())
  const lifted = problem.role.slice()
  for (let i = 0; i < opacity.length; i++) if (opacity[i]! > hidden - BLEND) problem.role[i] = FILL
  if (!problem.role.includes(FILL)) return
  fillSmallOrLarge(problem, seed, shapeThickness(shape))
  for (let i = 0; i < opacity.length; i++) {
    if (opacity[i]! <= hidden - BLEND || lifted[i] === BARRED) continue
    const share = Math.min(1, (opacity[i]! - hidden + BLEND) / BLEND)
    problem.channels.forEach((plane, c) => (plane[i] = given[c]![i]! + share * (plane[i]! - given[c]![i]!)))
  }
}
