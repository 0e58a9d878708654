import { logLight } from '../../raster/log-light.js'
import { gaussianBlur } from '../../raster/blur.js'
import { ln } from '../../numbers/exact-math.js'
import { clipRegion, growRegion, type PixelSource } from '../../raster/raster.js'
import { median } from '../../numbers/statistics.js'
import type { Transfer } from '../../raster/transfer.js'
import { patchedSource } from '../patches/patch.js'
import { roundTo } from '../../round.js'
import { carryOut, CURRENT_VERSION } from '../methods.js'
import { shadowField, type Shadow } from './shadow.js'

/** Side of the blocks in which noise is told from texture: the calmest hold noise alone. */
const CALM_BLOCK = 8
/** Median detail of the calmest tenth of such blocks of pure noise, over that of all (measured on normal noise). */
const CALMEST = 0.83

/**
 * How strongly grain must be damped to match the surroundings.
 *
 * Photon noise alone would ask for a power of one half of the transmission; tone curves and compression change that, so
 * it is measured: grain inside after a plain lift over grain outside. Texture was not drawn after the light was lost,
 * so only the share of the detail that is noise is damped at all.
 *
 * @param shadow  As it was fitted, with a damping of 0.
 * @returns A power of the transmission, 0 to 1; 0 where grain is the same in and around it, or there are too few pixels to say.
 */
export function fitDamping(picture: PixelSource, transfer: Transfer, shadow: Shadow): number {
  const mended = carryOut(picture, transfer, { method: 'lift', methodVersion: CURRENT_VERSION.lift, shape: { type: 'disc', x: shadow.x, y: shadow.y, r: shadow.radius }, softEdgePx: 0, strength: 1, seed: 0, shadow })
  const wide = clipRegion(growRegion(mended.region, 8), picture.width, picture.height)
  const light = logLight(patchedSource(picture, [mended]).read(wide), transfer)
  const smooth = gaussianBlur(light, 1.5)
  const field = shadowField(shadow)
  const inside: number[] = []
  const outside: number[] = []
  const columns = Math.ceil(wide.width / CALM_BLOCK)
  const blocks = Array.from({ length: columns * Math.ceil(wide.height / CALM_BLOCK) }, (): number[] => [])
  let depth = 0
  const deepest = shadow.profile[0]!
  for (let y = 0; y < wide.height; y++) {
    for (let x = 0; x < wide.width; x++) {
      const d = field.depth(wide.x + x + 0.5, wide.y + y + 0.5)
      const detail = Math.abs(light.data[y * wide.width + x]! - smooth.data[y * wide.width + x]!)
      if (d > 0.5 * deepest) {
        inside.push(detail)
        depth += d
      } else if (d === 0) {
        outside.push(detail)
        blocks[Math.floor(y / CALM_BLOCK) * columns + Math.floor(x / CALM_BLOCK)]!.push(detail)
      }
    }
  }
  if (inside.length < 30 || outside.length < 30) return 0
  const usual = Math.max(1e-6, median(Float32Array.from(outside)))
  const ratio = median(Float32Array.from(inside)) / usual
  if (!(ratio > 1.02)) return 0
  const calm = blocks.filter((block) => block.length > CALM_BLOCK).map((block) => median(Float32Array.from(block))).sort((a, b) => a - b)
  const noise = (calm[Math.floor(calm.length / 10)] ?? usual) / CALMEST
  // ratio x exp(-depth x damping) = 1
  return roundTo(Math.min(1, (noise * noise) / (usual * usual), ln(ratio) / Math.max(0.02, depth / inside.length)), 3)
}
