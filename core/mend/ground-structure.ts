import { logLight } from '../raster/log-light.js'
import { gaussianBlur } from '../raster/blur.js'
import { clipRegion, growRegion } from '../raster/raster.js'
import { DEVIATION_PER_MAD, median } from '../numbers/statistics.js'
import { distanceOutside, shapeBounds, shapeCentre, shapeThickness, type Shape } from '../shape/shape.js'
import type { MendRequest } from './trial.js'

/** Above this likely error of a heal, as a share of the light, the ground has structure of its own. */
export const STRUCTURED = 0.03

/**
 * How far a heal is likely to be from what was there, as a share of the light: the structure of the surroundings
 * between grain and the size of the flaw, twice, since that of the source comes in for that of the place.
 */
export function likelyErrorOfHeal({ picture, transfer, flaw }: MendRequest): number {
  const { x, y, r } = shapeCentre(flaw.shape)
  const reach = Math.ceil(2.6 * r + 4)
  const region = clipRegion({ x: Math.floor(x) - reach, y: Math.floor(y) - reach, width: 2 * reach, height: 2 * reach }, picture.width, picture.height)
  const light = logLight(picture.read(region), transfer)
  const fine = gaussianBlur(light, 1.5)
  const coarse = gaussianBlur(light, Math.max(3, r / 2))
  const structure: number[] = []
  for (let i = 0; i < light.data.length; i++) {
    const dx = region.x + (i % region.width) + 0.5 - x
    const dy = region.y + Math.floor(i / region.width) + 0.5 - y
    if (dx * dx + dy * dy > 2.9 * r * r) structure.push(Math.abs(fine.data[i]! - coarse.data[i]!))
  }
  return Math.sqrt(2) * DEVIATION_PER_MAD * median(Float32Array.from(structure))
}

/** The same along a shape that is no disc: structure between grain and the width of the flaw, beside it, twice. */
export function structureBeside({ picture, transfer }: MendRequest, shape: Shape): number {
  const thickness = shapeThickness(shape)
  const region = clipRegion(growRegion(shapeBounds(shape), Math.ceil(2 * thickness + 8)), picture.width, picture.height)
  const light = logLight(picture.read(region), transfer)
  const fine = gaussianBlur(light, 1.5).data
  const coarse = gaussianBlur(light, Math.max(3, thickness / 2)).data
  const structure: number[] = []
  distanceOutside(shape, region, 2 * thickness + 8).data.forEach((d, i) => (d > 2 && d < 2 * thickness + 6 ? structure.push(Math.abs(fine[i]! - coarse[i]!)) : 0))
  return structure.length === 0 ? 0 : Math.sqrt(2) * DEVIATION_PER_MAD * median(Float32Array.from(structure))
}
